"""The floor of a scene from above: its zones, the way through it, and where the eye stands."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen

from sfumato.app.controls.hand import Field
from sfumato.app.guard import guarded
from sfumato.app.theme import colour, focus_ring, quiet_font
from sfumato.work.bench.engines import Walk

_PIGMENTS = ("yellow", "azurite")
_MARGIN = 14
_APART = 8  # px between a zone and its words
_LINES = 2  # of words beside a zone: three, where they part badly


class FloorPlan(Field):
    """Shows zones with their soft borders, each with its words beside it."""

    def __init__(self) -> None:
        super().__init__(
            "Floor of the scene", "Zones, each with a look and a soft border, and the way through."
        )
        self.setObjectName("bench.floor")
        self.setMinimumHeight(110)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._walk: Walk | None = None
        self._number = 0
        self._words: tuple[str, ...] = ()

    def show_walk(self, walk: Walk | None, number: int, words: tuple[str, ...]) -> None:
        """Show a walk at a frame; words stand beside the zones."""
        self._walk, self._number, self._words = walk, number, words
        self.setAccessibleDescription("; ".join(words))
        self.update()

    def _box(self) -> tuple[float, float, float, QPointF]:
        """Return scale, least x and z, and where that lies."""
        assert self._walk is not None
        points = list(self._walk.eyes)
        reach = [(z.centre, z.radius + z.soft) for z in self._walk.zones]
        xs = [p[0] for p in points] + [c[0] + s * r for c, r in reach for s in (-1, 1)]
        zs = [p[1] for p in points] + [c[1] + s * r for c, r in reach for s in (-1, 1)]
        wide, deep = max(xs) - min(xs), max(zs) - min(zs)
        scale = min(
            (self.width() - 2 * _MARGIN) / max(wide, 1e-3),
            (self.height() - 2 * _MARGIN) / max(deep, 1e-3),
        )
        left = (self.width() - wide * scale) / 2
        top = (self.height() - deep * scale) / 2
        return scale, min(xs), min(zs), QPointF(left, top)

    @guarded
    def mousePressEvent(self, event: QMouseEvent) -> None:
        event.ignore()

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._walk is None:
            return
        scale, x0, z0, corner = self._box()

        def at(x: float, z: float) -> QPointF:
            return corner + QPointF((x - x0) * scale, (z - z0) * scale)

        painter.setFont(quiet_font())
        for i, zone in enumerate(self._walk.zones):
            centre, pigment = at(*zone.centre), colour(_PIGMENTS[i % 2])
            for radius, alpha in ((zone.radius + zone.soft, 0.12), (zone.radius, 0.28)):
                tone = colour(_PIGMENTS[i % 2])
                tone.setAlphaF(alpha)
                painter.setPen(
                    QPen(pigment, 1, Qt.PenStyle.DotLine if alpha < 0.2 else Qt.PenStyle.SolidLine)
                )
                painter.setBrush(tone)
                painter.drawEllipse(centre, radius * scale, radius * scale)
            if i < len(self._words):
                self._paint_words(painter, i, centre, (zone.radius + zone.soft) * scale)
        painter.setPen(QPen(colour("quiet"), 1.5))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline([at(*e) for e in self._walk.eyes])
        eye = self._walk.eyes[self._number % len(self._walk.eyes)]
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("text"))
        painter.drawEllipse(at(*eye), 5, 5)
        focus_ring(self, painter)

    def _paint_words(self, painter: QPainter, i: int, centre: QPointF, radius: float) -> None:
        """Write what a zone has beside it, on the side that has more room."""
        left, right = centre.x() - radius - _APART, centre.x() + radius + _APART
        is_left = centre.x() < self.width() / 2
        span = (0.0, left) if is_left else (right, self.width() - right)
        room = QRectF(span[0], centre.y() - 24, max(span[1], 1), 48)
        side = Qt.AlignmentFlag.AlignRight if is_left else Qt.AlignmentFlag.AlignLeft
        painter.setPen(colour("text"))
        words = painter.fontMetrics().elidedText(
            self._words[i].replace(" %", "\N{NO-BREAK SPACE}%"),
            Qt.TextElideMode.ElideMiddle,
            round(_LINES * room.width()),
        )
        flags = side | Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextWordWrap
        painter.drawText(room, flags, words)
