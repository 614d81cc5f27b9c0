"""The one road from an error to the person."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, Signal

from sfumato.core.errors import SfumatoError


class Notices(QObject):
    """Says things: `said(level, text, hint, button, act)`; level is "fault", "note" or "good"."""

    said = Signal(str, str, str, str, object)
    bug = Signal(str)

    def fault(self, error: SfumatoError) -> None:
        """Say a refusal: what happened and where, then what to do."""
        place = getattr(error, "line", 0)
        where = f"{error.where}:{place}" if error.where and place else error.where
        text = f"{where}: {error.summary}" if where else error.summary
        self.said.emit("fault", text, error.hint, "", None)

    def note(
        self, text: str, hint: str = "", button: str = "", act: Callable[[], None] | None = None
    ) -> None:
        self.said.emit("note", text, hint, button, act)

    def good(
        self, text: str, hint: str = "", button: str = "", act: Callable[[], None] | None = None
    ) -> None:
        self.said.emit("good", text, hint, button, act)
