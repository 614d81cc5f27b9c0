"""What is looked at and how; not undoable, and not part of the study."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QObject, Signal

from sfumato.core.measure.graticule import PERCENT

MODES = {"one": "One", "split": "Split", "side": "Side", "difference": "Diff", "all": "All"}

PICK_SIZES = (1, 5, 15)  # pixels square


class ViewState(QObject):
    """Named values; `changed(name)` after each that really moved."""

    changed = Signal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._values: dict[str, Any] = {
            "room": "look",
            "shot": "",
            "coat": "",
            "a": "ground",
            "b": "lut",
            "mode": "one",
            "split": 0.5,
            "split_across": False,
            "mount": "mid",
            "instruments": ("parade", "neutral"),
            "instruments_shown": True,
            "scope_unit": PERCENT,
            "limits": False,
            "band": None,
            "picking": "",
            "pick_part": "",
            "pick_size": 5,
            "marked": (),
            "marked_shots": (),
            "play": None,
            "clipping": False,
            "pinned": "",
            "believed": (),
            "laying_open": False,
            "solo": "",
            "curve": "master",
            "written": None,
        }

    def get(self, name: str) -> Any:
        return self._values[name]

    def set(self, name: str, value: Any) -> None:
        if self._values[name] != value:
            self._values[name] = value
            self.changed.emit(name)
