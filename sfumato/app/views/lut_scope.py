"""Instruments of a LUT: neutral line, curves, a cloud that turns, slices."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from sfumato.app.images import image_of
from sfumato.app.theme import RADIUS, focus_ring, quiet_font
from sfumato.app.theme import instrument_colour as colour
from sfumato.app.views.scope import ScopeView
from sfumato.core.lut_view import SLICES, LutView

LUT_TITLES = {
    "neutral": "Neutral line",
    "curves": "Curves",
    "cloud": "Cloud",
    "slices": "Slices",
}
_HELP = {
    "neutral": "What greys become, red, green and blue apart.",
    "curves": "What each channel alone does to itself, the other two held in the middle.",
    "cloud": "The lattice of the LUT in a colour cube; drag or use the arrow keys to turn it.",
    "slices": "Results for eight levels of blue (B): red to the right, green upwards. "
    "Of an inverse, striped: no colour leads there.",
}
_CORNERS = np.array([[i >> 2 & 1, i >> 1 & 1, i & 1] for i in range(8)], np.float32)
_EDGES = [(a, b) for a in range(8) for b in range(a) if bin(a ^ b).count("1") == 1]


class LutScope(ScopeView):
    """Draws a LutView; a second one, when given, as dashed lines for comparison."""

    def __init__(self, kind: str) -> None:
        super().__init__(kind)
        self._view: LutView | None = None
        self._other: LutView | None = None
        self.turn, self.tilt = math.radians(38), math.radians(24)
        self._press: QPointF | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.show_kind(kind)

    def show_kind(self, kind: str) -> None:
        self.kind = kind
        self.setAccessibleName(LUT_TITLES[kind])
        self.setToolTip(_HELP[kind])
        turns = kind == "cloud"
        self.setCursor(Qt.CursorShape.OpenHandCursor if turns else Qt.CursorShape.ArrowCursor)
        self.update()

    def show_view(self, view: LutView | None, other: LutView | None = None) -> None:
        self._view, self._other = view, other
        self.update()

    def paintEvent(self, _event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("well"))
        painter.drawRoundedRect(QRectF(self.rect()), RADIUS, RADIUS)
        painter.setFont(quiet_font())
        if self.kind == "cloud":
            self._paint_cloud(painter)
        elif self.kind == "slices":
            self._paint_slices(painter)
        else:
            inner = QRectF(self.rect()).adjusted(42, 10, -10, -22)
            self._paint_responses(painter, inner)
        focus_ring(self, painter)

    def _paint_responses(self, painter: QPainter, r: QRectF) -> None:
        self._levels(painter, r)
        low, high = self._view.domain if self._view else (0.0, 1.0)
        what = "grey in" if self.kind == "neutral" else "channel in"
        self._codes(painter, r, (f"{low:g}", what, f"{high:g}"))
        painter.setPen(QPen(colour("line"), 1, Qt.PenStyle.DashLine))
        painter.drawLine(r.bottomLeft(), r.topRight())
        painter.setClipRect(r.adjusted(0, -6, 0, 6))
        for view, style in (
            (self._other, Qt.PenStyle.DotLine),
            (self._view, Qt.PenStyle.SolidLine),
        ):
            if view is None:
                continue
            lines = view.neutral if self.kind == "neutral" else view.curves
            xs = r.left() + np.linspace(0, 1, len(lines)) * r.width()
            for c, role in enumerate(("red", "green", "blue")):
                ys = r.bottom() - np.clip(lines[:, c], -0.1, 1.1) * r.height()
                painter.setPen(QPen(colour(role), 1.6, style))
                points = [QPointF(x, y) for x, y in zip(xs, ys, strict=True)]
                painter.drawPolyline(QPolygonF(points))

    def _paint_slices(self, painter: QPainter) -> None:
        if self._view is None:
            return
        shares = np.clip(self._view.slices, 0, 1)
        if self._view.veil is not None:
            # Stripes where no colour leads: the inverse is only continued there.
            rows, columns = np.indices(shares.shape[1:3])
            stripes = ((rows + columns) // 3 % 2 == 0)[None, ..., None]
            veil = self._view.veil[..., None]
            shares = np.where(veil & stripes, 0.13, np.where(veil, shares * 0.45, shares))
        pixels = (shares * 255 + 0.5).astype(np.uint8)
        across = 4 if self.width() > 1.2 * self.height() else 3
        down = -(-SLICES // across)
        side = min((self.width() - 12) / across - 6, (self.height() - 10) / down - 18)
        left = (self.width() - across * (side + 6)) / 2
        top = max((self.height() - down * (side + 18)) / 2, 4)
        for i, picture in enumerate(pixels):
            box = QRectF(
                left + (i % across) * (side + 6) + 3, top + i // across * (side + 18), side, side
            )
            painter.drawImage(box, image_of(picture))
            painter.setPen(colour("quiet"))
            where = QRectF(box.left(), box.bottom() + 1, side, 14)
            share = round(100 * i / (SLICES - 1))
            painter.drawText(where, Qt.AlignmentFlag.AlignLeft, f"B {share} %")

    # --- the cloud -------------------------------------------------------------------------------
    def _project(self, points: np.ndarray) -> np.ndarray:
        """Return x, y on the widget and depth (m, 3) of points of the colour cube, grey upright."""
        centred = points.astype(np.float64) - 0.5
        # Axes in which grey runs upwards.
        up = np.ones(3) / np.sqrt(3)
        right = np.array([1, 0, -1]) / np.sqrt(2)
        front = np.cross(right, up)
        x, y, z = centred @ right, centred @ up, centred @ front
        x, z = (
            x * math.cos(self.turn) + z * math.sin(self.turn),
            z * math.cos(self.turn) - x * math.sin(self.turn),
        )
        y, z = (
            y * math.cos(self.tilt) - z * math.sin(self.tilt),
            z * math.cos(self.tilt) + y * math.sin(self.tilt),
        )
        scale = 0.5 * min(self.width(), self.height())
        out = np.empty((len(points), 3))
        out[:, 0] = self.width() / 2 + x * scale
        out[:, 1] = self.height() / 2 - y * scale
        out[:, 2] = z
        return out

    def _paint_cloud(self, painter: QPainter) -> None:
        corners = self._project(_CORNERS)
        painter.setPen(QPen(colour("line"), 1))
        for a, b in _EDGES:
            painter.drawLine(QPointF(*corners[a, :2]), QPointF(*corners[b, :2]))
        painter.setPen(colour("quiet"))
        for i, name in ((0, "black"), (7, "white")):
            at = corners[i]
            painter.drawText(
                QRectF(at[0] - 40, at[1] + (3 if i == 0 else -17), 80, 14),
                Qt.AlignmentFlag.AlignCenter,
                name,
            )
        if self._view is None:
            return
        results = np.clip(self._view.cloud[1], -0.3, 1.3)
        places = self._project(results)
        shades = (np.clip(results, 0, 1) * 255 + 0.5).astype(int)
        order = np.argsort(places[:, 2])
        near = (places[:, 2] - places[:, 2].min()) / max(np.ptp(places[:, 2]), 1e-6)
        painter.setPen(Qt.PenStyle.NoPen)
        for i in order:
            size = 1.1 + 1.1 * near[i]
            painter.setBrush(QColor(*(int(v) for v in np.maximum(shades[i], 24))))
            painter.drawEllipse(QPointF(places[i, 0], places[i, 1]), size, size)

    def mousePressEvent(self, event) -> None:
        if self.kind == "cloud" and event.button() == Qt.MouseButton.LeftButton:
            self._press = event.position()
            self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseMoveEvent(self, event) -> None:
        if self._press is not None:
            step = event.position() - self._press
            self._press = event.position()
            self._turned(step.x() / 120, step.y() / 120)

    def mouseReleaseEvent(self, _event) -> None:
        if self._press is not None:
            self._press = None
            self.setCursor(Qt.CursorShape.OpenHandCursor)

    def _turned(self, turn: float, tilt: float) -> None:
        self.turn += turn
        self.tilt = min(max(self.tilt + tilt, -1.5), 1.5)
        self.update()

    def keyPressEvent(self, event) -> None:
        steps = {
            Qt.Key.Key_Left: (-0.1, 0),
            Qt.Key.Key_Right: (0.1, 0),
            Qt.Key.Key_Up: (0, -0.1),
            Qt.Key.Key_Down: (0, 0.1),
        }
        step = steps.get(event.key())
        if self.kind == "cloud" and step:
            self._turned(*step)
        else:
            super().keyPressEvent(event)
