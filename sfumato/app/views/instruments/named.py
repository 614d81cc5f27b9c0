"""Named colours: what the Look does to greys, skin, pure colours, land and sky."""

from __future__ import annotations

from typing import Any

import numpy as np
from attrs import frozen
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter

from sfumato.app.theme import instrument_colour as colour
from sfumato.app.views.graph import ALIGN
from sfumato.app.views.instrument import Instrument
from sfumato.app.views.scope import ScopeView
from sfumato.core.arrays import Array
from sfumato.core.colour.encodings import encoding
from sfumato.core.lut.difference import delta_e
from sfumato.core.measure.named_colours import NAMED, in_working
from sfumato.work.preview.scene import Scene

_LEFT, _WORDS = 58, 14  # px: the names of the groups, and a line of words
_ROOMY = 64  # px of a patch from which on it has its name


@frozen(eq=False)
class Patches:
    """Before and after: uint8 codes of the screen (groups, names, 3), and CIEDE2000 (groups, names)."""

    before: Array
    after: Array
    apart: Array


@frozen(eq=False)
class Named(Instrument):
    def measure(self, scene: Scene, _grey: bool = False) -> Any:
        code = in_working(encoding(scene.working))
        before, after = scene.shown(code), scene.shown(scene.through_look(code))
        apart = delta_e(before, after, encoding(scene.display))
        return Patches(scene.painted(before), scene.painted(after), np.asarray(apart))

    def area(self, rect: QRectF) -> QRectF:
        return rect.adjusted(_LEFT, 6, -8, -4)

    def paint(self, view: ScopeView, painter: QPainter) -> None:
        if not isinstance(view.data, Patches):
            return
        area = view.area()
        painter.save()
        painter.setClipRect(QRectF(0, area.top() - 2, area.right() + 2, area.height() + 4))
        rows, columns = view.data.apart.shape
        for y, (group, names) in enumerate(NAMED.items()):
            top, foot = view.place(0, 1 - y / rows).y(), view.place(0, 1 - (y + 1) / rows).y()
            painter.setPen(colour("quiet"))
            beside = QRectF(6, top, _LEFT - 10, foot - top - _WORDS)
            painter.drawText(beside, ALIGN.AlignVCenter, group)
            foot_line = QRectF(6, foot - 1 - _WORDS, _LEFT - 10, _WORDS)
            painter.drawText(foot_line, ALIGN.AlignVCenter, "ΔE")
            for x, name in enumerate(names):
                left, right = view.place(x / columns, 0).x(), view.place((x + 1) / columns, 0).x()
                box = QRectF(QPointF(left, top + 2), QPointF(right - 4, foot - 1))
                if box.right() > area.left():
                    self._paint_one(painter, box, (y, x), view.data, name, area.left())
        painter.restore()

    def _paint_one(
        self,
        painter: QPainter,
        box: QRectF,
        at: tuple[int, int],
        data: Patches,
        name: str,
        edge: float,
    ) -> None:
        """Paint a colour before and, beside it, after; under it how far apart they are."""
        patch = QRectF(box.left(), box.top(), box.width(), max(box.height() - _WORDS, 4))
        halves = (
            patch.adjusted(0, 0, -patch.width() / 2, 0),
            patch.adjusted(patch.width() / 2, 0, 0, 0),
        )
        for half, codes in zip(halves, (data.before[at], data.after[at]), strict=True):
            seen = half.intersected(QRectF(edge, half.top(), 1e5, half.height()))
            painter.fillRect(seen, QColor(*(int(v) for v in codes)))
        painter.setPen(colour("line"))  # what is as dark as the well has an edge, too
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(patch.intersected(QRectF(edge, patch.top(), 1e5, patch.height())))
        if box.left() < edge - 1:  # moved under the names of the groups
            return
        words = f"{data.apart[at]:.1f}"
        if box.width() >= _ROOMY:
            words = f"{name}  {words}"
        painter.setPen(colour("quiet"))
        below = QRectF(box.left(), patch.bottom(), box.width(), _WORDS)
        painter.drawText(below, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, words)


SPEC = Named(
    "named",
    "Named colours",
    "Greys, skin, pure colours, land and sky as the View shows them: without the Look on the left of each "
    "patch, with it on the right, and how far apart they are in ΔE. Zoom in to read their names.",
    order=65,
    counts_pixels=False,
    marks=False,
)
