"""Two LUTs compared: figures over the cube and on the shot, the pictures, and the worst place."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from sfumato.app.controls.editor import quiet, quiet_line
from sfumato.app.guard import guarded
from sfumato.app.images import image_of
from sfumato.app.labels import Label, Line, brief, set_tip
from sfumato.app.rooms.convert.assay_panel import LutInstruments
from sfumato.app.theme import RADIUS, colour, quiet_font, strong_font
from sfumato.app.views.picture_pane import PicturePane
from sfumato.app.views.pictures import heat_of, heat_scale
from sfumato.core.arrays import Array
from sfumato.core.lut.difference import Difference
from sfumato.work.luts.compare import Comparison, OnPicture
from sfumato.work.preview.asks import to_bytes


class _Swatches(QWidget):
    """The worst colour of the cube: what goes in, and what each LUT makes of it."""

    def __init__(self) -> None:
        super().__init__()
        self.colours: list[tuple[str, Array, Array]] = []  # name, numbers, and how it is painted
        self.setFixedHeight(46)

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(quiet_font())
        for i, (name, rgb, tone) in enumerate(self.colours):
            left = i * 190
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(*(int(v) for v in tone)))
            painter.drawRoundedRect(QRectF(left, 4, 38, 38), RADIUS, RADIUS)
            painter.setPen(colour("quiet"))
            short = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideMiddle, 136)
            painter.drawText(QRectF(left + 46, 5, 140, 16), Qt.AlignmentFlag.AlignLeft, short)
            painter.setPen(colour("text"))
            numbers = "  ".join(f"{v:.3f}" for v in rgb)
            painter.drawText(QRectF(left + 46, 23, 140, 16), Qt.AlignmentFlag.AlignLeft, numbers)


_NEAR, _ENLARGED = 12, 12  # pixels round the worst place, and how many times they are enlarged


def _enlarged(on: OnPicture) -> Array:
    """Return the surroundings of the worst place, enlarged, as both LUTs give them side by side."""
    height, width = on.delta.shape
    x = min(max(on.worst_place[0], _NEAR), width - _NEAR)
    y = min(max(on.worst_place[1], _NEAR * 9 // 16 + 1), height - _NEAR)
    rows, columns = slice(max(y - _NEAR, 0), y + _NEAR), slice(max(x - _NEAR, 0), x + _NEAR)
    parts = [
        np.kron(p[rows, columns], np.ones((_ENLARGED, _ENLARGED, 1), np.uint8))
        for p in (on.a, on.b)
    ]
    gap = np.zeros((len(parts[0]), 6, 3), np.uint8)
    return np.hstack([parts[0], gap, parts[1]])


def _said(found: Difference) -> str:
    return f"{found.mean:.3f} mean · {found.p99:.2f} at 99 % · {found.worst:.2f} at worst ΔE"


class ComparePanel(QWidget):
    """`closed()` goes back to the assay."""

    closed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.comparison: Comparison | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 10, 12, 10)
        column.setSpacing(6)
        head = QHBoxLayout()
        self._title = Line()
        self._title.setFont(strong_font(15))
        self._title.setObjectName("compare.title")
        head.addWidget(self._title, 1)
        close = QPushButton("Back to the assay")
        close.setObjectName("compare.close")
        close.clicked.connect(self.closed)
        head.addWidget(close)
        column.addLayout(head)
        self._cube = Label()
        self._cube.setObjectName("compare.cube")
        self._shot = Label()
        self._shot.setObjectName("compare.shot")
        column.addWidget(self._cube)
        column.addWidget(self._shot)
        self._worst = quiet("The colour of the cube that differs most")
        column.addWidget(self._worst)
        self._swatches = _Swatches()
        column.addWidget(self._swatches)
        self.instruments = LutInstruments(("neutral", "curves", "cloud"), "compare")
        self.instruments.setFixedHeight(186)
        column.addWidget(self.instruments)
        self._legend = quiet_line("")
        column.addWidget(self._legend)
        pictures = QGridLayout()
        pictures.setSpacing(10)
        self._pictures = [PicturePane("") for _ in range(4)]
        for i, picture in enumerate(self._pictures):
            pictures.addWidget(picture, i // 2, i % 2)
        column.addLayout(pictures, 1)
        column.addStretch(0)

    def show_comparison(self, found: Comparison, seen: Callable[[Array], Array]) -> None:
        """Show it; `seen` makes codes of its display those of the screen, uint8."""
        self.comparison = found
        a, b = found.names
        self._title.setText(f"{brief(a)}  against  {brief(b)}")
        set_tip(self._title, f"{a}\nagainst\n{b}")
        self._cube.setText(f"Over the cube: {_said(found.cube)}")
        goes_in = np.array(found.cube.worst_at, np.float32)
        patches = [(a, found.results[0]), (b, found.results[1])]
        self._swatches.colours = [("goes in", goes_in, to_bytes(goes_in))]
        self._swatches.colours += [
            (n, rgb, seen(np.asarray(rgb, np.float32))) for n, rgb in patches
        ]
        self._swatches.update()
        self.instruments.show_view(*found.views)
        self._legend.setText(f"Solid: {brief(a)}. Dotted: {brief(b)}. The cloud is of {brief(a)}.")
        on = found.picture
        for picture in self._pictures:
            picture.setVisible(on is not None)
        if on is None:
            self._shot.setText("Choose a shot in the Look room to see both on a picture.")
            return
        self._shot.setText(f"On the shot: {_said(on.difference)}")
        top = heat_scale(float(np.percentile(on.delta, 99.5)))
        first, second, heat, near = self._pictures
        first.show_picture(a, image_of(seen(on.a)), on.worst_place)
        second.show_picture(b, image_of(seen(on.b)), on.worst_place)
        heat.show_picture("Difference", image_of(heat_of(on.delta, top)), on.worst_place, top)
        near.show_picture(
            "The worst place, enlarged: first left, second right",
            image_of(seen(_enlarged(on))),
            None,
        )
