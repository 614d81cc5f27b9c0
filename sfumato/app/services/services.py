"""What every room is given."""

from __future__ import annotations

from pathlib import Path

from attrs import frozen
from PySide6.QtWidgets import QWidget

from sfumato.app.services.actions import Actions
from sfumato.app.services.desk import Desk
from sfumato.app.services.jobs import Queue
from sfumato.app.services.notices import Notices
from sfumato.app.services.ports import Ports
from sfumato.app.services.settings import Settings
from sfumato.app.services.study_model import StudyModel
from sfumato.app.services.view_state import ViewModel
from sfumato.core.arrays import Array
from sfumato.core.colour.encodings import Encoding, encoding


@frozen(eq=False)
class Services:
    """The study and its pictures (`desk`), work, questions to the person, and what is kept.

    `queue` is for work that lasts, `reading` for files that are taken in: they do not wait for it.
    `window` is what dialogs stand before; `demo` is the demo study, where it is installed.
    """

    window: QWidget
    ports: Ports
    settings: Settings
    notices: Notices
    queue: Queue
    reading: Queue
    desk: Desk
    actions: Actions
    demo: Path | None = None

    @property
    def model(self) -> StudyModel:
        return self.desk.model

    def seen(self, codes: Array, display: Encoding | None = None) -> Array:
        """Return codes of a display, else of the View's, as the screen before us shows them: uint8 (h, w, 3)."""
        display = display or encoding(self.model.study.view.encoding)
        return self.desk.previewer.seen(codes, display)

    @property
    def view(self) -> ViewModel:
        return self.desk.view
