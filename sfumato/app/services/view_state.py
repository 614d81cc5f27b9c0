"""What is looked at and how; not undoable, and not part of the study."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import attrs
from attrs import frozen
from PySide6.QtCore import QObject, Signal

from sfumato.core.lut.transform import Transform
from sfumato.core.measure.graticule import PERCENT
from sfumato.core.measure.scopes import Band
from sfumato.core.study.coat import every
from sfumato.core.study.study import Study

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
    others: Mapping[str, Any] = attrs.field(factory=dict, eq=id)  # LUT files of anybody, by side
    blink: bool = False  # the sides stand swapped while a key is held


USUAL = ViewState()
_PINNED, _MATTE = "pinned", "matte"  # sides of the Easel


def fitted(now: ViewState, before: Study, after: Study) -> ViewState:
    """Return a state without shots and coats that are not there: the one rule, whatever changed.

    A shot that was taken out leaves the choice to its neighbour; a coat is chosen only in the Look
    or in the Ground of the chosen shot.
    """
    ids = [s.id for s in after.shots]
    shot = now.shot
    if shot not in ids:
        place = next((i for i, s in enumerate(before.shots) if s.id == shot), 0)
        shot = ids[min(place, len(ids) - 1)] if ids else ""
    ground = next((s.ground for s in after.shots if s.id == shot), ())
    here = {c.id for c in every((*after.look.coats, *ground))}
    every_coat = here | {c.id for s in after.shots for c in every(s.ground)}
    coat = now.coat if now.coat in here else ""
    pinned = now.pinned if now.pinned in ids else ""
    return attrs.evolve(
        now,
        shot=shot,
        coat=coat,
        picking=now.picking if now.picking in here else "",
        pick_part="" if now.picking and now.picking not in here else now.pick_part,
        solo=now.solo if now.solo in here and now.solo == coat else "",
        marked=tuple(i for i in now.marked if i in every_coat),
        marked_shots=tuple(i for i in now.marked_shots if i in ids),
        pinned=pinned,
        a=USUAL.a if not pinned and now.a == _PINNED else now.a,
        b=USUAL.b if not coat and now.b == _MATTE else now.b,
        mode="split" if now.mode == "difference" and coat and now.b == _MATTE else now.mode,
        play=now.play if shot == now.shot else None,
    )


class ViewModel(QObject):
    """Holds the state (`now`); `changed(before, after)` after each set that really moves it.

    `about_to_open(key)` comes before another room is: one that is built only then hears of the change.
    """

    changed = Signal(object, object)
    about_to_open = Signal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._now = ViewState()
        self._study = Study()

    @property
    def now(self) -> ViewState:
        """The state; read in the window's thread alone."""
        return self._now

    def set(self, **values: Any) -> None:
        """Change fields of the state; all of one call are one change."""
        if values.get("room", self.now.room) != self.now.room:
            self.about_to_open.emit(values["room"])
        if values.get("b") == _MATTE and self.now.mode == "all" and "mode" not in values:
            values["mode"] = "one"  # whoever asks for a matte sees it
        if values.get("mode") == "difference" and "b" not in values and self.now.b == _MATTE:
            values["b"] = USUAL.b  # a picture and a matte have no difference
        self._show(fitted(attrs.evolve(self.now, **values), self._study, self._study))

    def fit(self, before: Study, after: Study) -> None:
        """The study is another one: let go of what is not in it."""
        self._study = after
        self._show(fitted(self.now, before, after))

    def _show(self, after: ViewState) -> None:
        before = self._now
        if after != before:
            self._now = after
            self.changed.emit(before, after)

    def forget_side(self, shown: str) -> None:
        """Let the sides that show something that is gone show the usual again."""
        a, b = self.now.a, self.now.b
        self.set(a=USUAL.a if a == shown else a, b=USUAL.b if b == shown else b)
