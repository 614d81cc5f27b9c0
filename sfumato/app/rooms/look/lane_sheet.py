"""A sheet beside the picture that has something measured in the background."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtGui import QCloseEvent
from PySide6.QtWidgets import QDialog, QVBoxLayout, QWidget

from sfumato.app.controls.editor import painted
from sfumato.app.guard import guarded
from sfumato.app.labels import Label
from sfumato.app.services.desk import Desk
from sfumato.app.services.jobs import Lane
from sfumato.app.services.study_model import StudyModel
from sfumato.core.errors import SfumatoError


class LaneSheet(QDialog):
    """Fills `column`; the answer of `lane` goes to `_on_answer`, a refusal onto `loss`."""

    def __init__(
        self,
        model: StudyModel,
        desk: Desk,
        parent: QWidget,
        name: str,
        title: str,
        words: str,
        width: int,
    ) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setObjectName(name)
        self.setWindowTitle(title)
        self.setFixedWidth(width)
        self._model, self._desk = model, desk
        self._lane = Lane(name, self)
        self._lane.answered.connect(self._on_answer)
        self._lane.refused.connect(self._on_refused)
        self._lane.crashed.connect(desk.notices.bug)
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(14, 12, 14, 12)
        self.column.setSpacing(8)
        said = Label(words)
        said.setWordWrap(True)
        self.column.addWidget(said)
        self.loss = Label()
        self.loss.setObjectName(f"{name}.loss")
        self.loss.setWordWrap(True)

    def _on_answer(self, answer: Any) -> None:
        raise NotImplementedError

    def _on_refused(self, error: SfumatoError) -> None:
        self.say(error.sentence(), is_good=False)

    def say(self, words: str, *, is_good: bool | None = None) -> None:
        """Show what was measured: good, bad, or (None) nothing yet; the sheet grows with the words, which wrap."""
        self.loss.setText(words)
        painted(self.loss, "" if is_good is None else "malachite" if is_good else "cinnabar")
        self.resize(self.width(), max(self.height(), self.column.heightForWidth(self.width())))

    @property
    def is_busy(self) -> bool:
        return self._lane.is_busy

    @guarded
    def done(self, code: int) -> None:
        self._lane.close()
        super().done(code)

    @guarded
    def closeEvent(self, event: QCloseEvent) -> None:
        self._lane.close()
        super().closeEvent(event)
