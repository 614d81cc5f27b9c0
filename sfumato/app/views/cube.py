"""A colour cube that turns: grey upright, points drawn from back to front."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from sfumato.app.images import image_of
from sfumato.core.measure.scopes import CubePoints

_CORNERS = np.array([[i >> 2 & 1, i >> 1 & 1, i & 1] for i in range(8)], np.float32)
_EDGES = [(a, b) for a in range(8) for b in range(a) if bin(a ^ b).count("1") == 1]
_UP = np.ones(3) / np.sqrt(3)
_RIGHT = np.array([1, 0, -1]) / np.sqrt(2)
_FRONT = np.cross(_RIGHT, _UP)


class Cube:
    """How the cube is turned and how large it is seen, and what it draws."""

    def __init__(self) -> None:
        self.turn, self.tilt = math.radians(38), math.radians(24)
        self.size = 1.0

    def turned(self, turn: float, tilt: float) -> None:
        self.turn += turn
        self.tilt = min(max(self.tilt + tilt, -1.5), 1.5)

    def project(self, points: np.ndarray, width: float, height: float) -> np.ndarray:
        """Return x, y on a widget of that size, and depth, (m, 3)."""
        centred = points.astype(np.float64) - 0.5
        x, y, z = centred @ _RIGHT, centred @ _UP, centred @ _FRONT
        x, z = (
            x * math.cos(self.turn) + z * math.sin(self.turn),
            z * math.cos(self.turn) - x * math.sin(self.turn),
        )
        y, z = (
            y * math.cos(self.tilt) - z * math.sin(self.tilt),
            z * math.cos(self.tilt) + y * math.sin(self.tilt),
        )
        scale = 0.5 * min(width, height) * self.size
        out = np.empty((len(points), 3))
        out[:, 0] = width / 2 + x * scale
        out[:, 1] = height / 2 - y * scale
        out[:, 2] = z
        return out

    def paint(
        self, painter: QPainter, area: QRectF, points: CubePoints | None, line: QColor, ink: QColor
    ) -> None:
        """Draw the points, then the edges of the cube over them."""
        if points is not None and area.width() >= 1 and area.height() >= 1:
            ratio = painter.device().devicePixelRatioF()
            painter.drawImage(area, image_of(self._picture(points, area, ratio)))
        corners = self.project(_CORNERS, area.width(), area.height())
        corners[:, 0] += area.left()
        corners[:, 1] += area.top()
        painter.setPen(QPen(line, 1))
        for a, b in _EDGES:
            painter.drawLine(QPointF(*corners[a, :2]), QPointF(*corners[b, :2]))
        painter.setPen(ink)
        for i, name in ((0, "black"), (7, "white")):
            at = corners[i]
            box = QRectF(at[0] + 6, at[1] - (10 if i == 0 else 4), 80, 14)
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, name)

    def _picture(self, points: CubePoints, area: QRectF, ratio: float) -> np.ndarray:
        """Return the points as uint8 (h, w, 3) over the well, the near ones last."""
        w, h = int(area.width() * ratio), int(area.height() * ratio)
        out = np.full((h, w, 3), 38, np.uint8)
        at = self.project(points.places, area.width(), area.height())
        at[:, :2] *= ratio
        near = (at[:, 2] - at[:, 2].min()) / max(np.ptp(at[:, 2]), 1e-6)
        radius = points.radius * ratio * (0.8 + 0.4 * near)
        colours = np.maximum(points.colours, 24)
        if points.edges is not None:
            lines, tones = _along(points.edges, at, colours)
            at, colours = np.concatenate([lines, at]), np.concatenate([tones, colours])
            radius = np.concatenate([np.zeros(len(lines)), radius])
        order = np.argsort(at[:, 2])
        x, y = np.rint(at[order, 0]).astype(int), np.rint(at[order, 1]).astype(int)
        colours, reached = colours[order], radius[order] ** 2 + 0.2
        reach = int(float(reached.max(initial=0)) ** 0.5)
        for dy in range(-reach, reach + 1):
            for dx in range(-reach, reach + 1):
                some = np.flatnonzero(reached >= dx * dx + dy * dy)
                across, down = x[some] + dx, y[some] + dy
                inside = (across >= 0) & (down >= 0) & (across < w) & (down < h)
                out[down[inside], across[inside]] = colours[some[inside]]
        return out


def _along(edges: np.ndarray, at: np.ndarray, colours: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Return the pixels of lines between points: x, y and depth (n, 3), and colours a little darker."""
    a, b = at[edges[:, 0]], at[edges[:, 1]]
    counts = np.ceil(np.abs(b - a)[:, :2].max(axis=1)).clip(1, 4096).astype(int)
    line = np.repeat(np.arange(len(edges)), counts)
    share = (np.arange(len(line)) - (np.cumsum(counts) - counts)[line]) / counts[line]
    share = share[:, None]
    one, two = (colours[edges[:, i]].astype(np.float32) * 0.75 for i in (0, 1))
    tones = (one[line] + share.astype(np.float32) * (two - one)[line]).astype(np.uint8)
    return a[line] + share * (b - a)[line], tones
