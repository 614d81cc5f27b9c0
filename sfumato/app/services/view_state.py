"""What is looked at and how; not undoable, and not part of the study."""

from __future__ import annotations

from typing import Any

import attrs
from attrs import frozen
from PySide6.QtCore import QObject, Signal

from sfumato.core.lut.transform import Transform
from sfumato.core.measure.graticule import PERCENT
from sfumato.core.measure.scopes import Band

MODES = {"one": "One", "split": "Split", "side": "Side", "difference": "Diff", "all": "All"}

PICK_SIZES = (1, 5, 15)  # pixels square


@frozen
class ViewState:
    """What the window shows now; ids are of the study's shots and coats, "" is none."""

    room: str = ""
    shot: str = ""
    coat: str = ""
    a: str = "ground"  # what the sides of the Easel show
    b: str = "lut"
    mode: str = "one"
    split: float = 0.5  # where the line stands, as a share of the picture
    split_across: bool = False
    mount: str = "mid"
    instruments: tuple[str, ...] = ("parade", "neutral")
    instruments_shown: bool = True
    scope_unit: str = PERCENT
    limits: bool = False
    band: Band | None = None
    picking: str = ""  # the coat that waits for a click in the picture
    pick_part: str = ""
    pick_size: int = 5
    marked: tuple[str, ...] = ()  # coats
    marked_shots: tuple[str, ...] = ()
    play: int | None = None  # the frame that is shown while a clip plays
    clipping: bool = False
    pinned: str = ""  # the shot that stays on side A
    believed: tuple[tuple[str, str], ...] = ()  # shot and encoding, where a doubt was dismissed
    laying_open: bool = False
    solo: str = ""  # the coat that is shown alone
    curve: str = "master"
    exported: Transform | None = attrs.field(default=None, eq=id)  # the last exported file


_USUAL = ViewState()


class ViewModel(QObject):
    """Holds the state (`now`); `changed(before, after)` after each set that really moves it."""

    changed = Signal(object, object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._now = ViewState()

    @property
    def now(self) -> ViewState:
        """The state; read in the window's thread alone."""
        return self._now

    def set(self, **values: Any) -> None:
        """Change fields of the state; all of one call are one change."""
        before, after = self.now, attrs.evolve(self.now, **values)
        if after != before:
            self._now = after
            self.changed.emit(before, after)

    def forget_side(self, shown: str) -> None:
        """Let the sides that show something that is gone show the usual again."""
        a, b = self.now.a, self.now.b
        self.set(a=_USUAL.a if a == shown else a, b=_USUAL.b if b == shown else b)
