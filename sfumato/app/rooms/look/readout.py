"""The line under the Easel: what the place under the hand is, what is clipped, the screen and the zoom."""

from __future__ import annotations

from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QWidget

from sfumato.app.controls.editor import quiet
from sfumato.app.controls.rows import as_panel
from sfumato.app.guard import guarded
from sfumato.app.labels import set_tip
from sfumato.core.arrays import Rgb
from sfumato.work.preview.asks import Probe

_WIDTHS = {"place": 66, "source": 166, "a": 120, "b": 120, "delta": 50}  # px
_EDGE, _GAP, _HEIGHT = 12, 10, 26


def _number(value: float) -> str:
    """Return a number of six characters at most, as there is room for."""
    texts = (f"{value:.{digits}f}" for digits in (3, 2, 1, 0))
    return next((t for t in texts if len(t) <= 6), f"{value:.0e}")


def _three(rgb: Rgb) -> str:
    return " ".join(map(_number, rgb))


class Readout(QWidget):
    """Words that come and go with every move of the hand.

    They are placed here, by no layout: each word shown and each new text would have every layout of the
    window worked out anew, 20 ms a word.
    """

    def __init__(self) -> None:
        super().__init__()
        as_panel(self, height=_HEIGHT)
        self._probe, self._ends = {}, []
        for name in (*_WIDTHS, "clipping", "screen", "zoom"):
            label = quiet("")
            label.setParent(self)
            label.setObjectName(f"readout.{name}")
            label.hide()
            if name in _WIDTHS:
                self._probe[name] = label
            else:
                self._ends.append(label)
        self._clipping, self._screen, self._zoom = self._ends

    def show_probe(self, probe: Probe) -> None:
        words = {
            "place": f"{probe.x}, {probe.y}",
            "source": f"source {_three(probe.source)}",
            "a": f"A {_three(probe.a)}",
            "b": f"B {_three(probe.b)}",
            "delta": f"ΔE {probe.delta:.1f}",
        }
        for name, text in words.items():
            self._probe[name].setText(text)
        self._arrange()

    def clear_probe(self) -> None:
        for label in self._probe.values():
            label.setText("")
        self._arrange()

    def say_clipping(self, words: str) -> None:
        self._clipping.setText(words)
        set_tip(self._clipping, words)
        self._arrange()

    def say_view(self, screen: str, tip: str, zoom: str) -> None:
        """Say for which screen the picture is drawn, and how large."""
        self._screen.setText(screen)
        set_tip(self._screen, tip)
        self._zoom.setText(zoom)
        self._arrange()

    def _arrange(self) -> None:
        """Place what there is to say, and leave away what is least needed while the line is too short."""
        x = _EDGE
        for name, label in self._probe.items():
            label.setVisible(bool(label.text()))
            if label.text():
                label.setGeometry(x, 0, _WIDTHS[name], _HEIGHT)
                x += _WIDTHS[name] + _GAP
        room = self.width() - _EDGE - x
        for label in (self._clipping, self._zoom, self._screen):
            wanted = label.sizeHint().width() + _GAP
            label.setVisible(wanted <= room)
            room -= wanted if wanted <= room else 0
        x = self.width() - _EDGE
        for label in reversed(self._ends):
            if not label.isHidden():
                wide = label.sizeHint().width()
                label.setGeometry(x - wide, 0, wide, _HEIGHT)
                x -= wide + _GAP if label.text() else 0

    @guarded
    def resizeEvent(self, _event: QResizeEvent) -> None:
        self._arrange()
