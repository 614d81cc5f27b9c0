"""Instruments: they paint the pictures, counts and lines they are given, and take marks from the hand."""

from __future__ import annotations

from typing import Any

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from sfumato.app.images import image_of
from sfumato.app.theme import RADIUS, focus_ring, quiet_font
from sfumato.app.theme import instrument_colour as colour
from sfumato.app.views.cube import Cube
from sfumato.core import luma as lumas
from sfumato.core.colour.encodings import Encoding, encoding
from sfumato.core.colour.ranges import LEGAL
from sfumato.core.measure.graticule import PERCENT, Mark, marks
from sfumato.core.measure.scopes import (
    ANY,
    CHANNELS,
    DRAWN,
    LUMA,
    OKLAB_EDGE,
    Band,
    CubePoints,
    chroma_place,
    oklab_place,
)

TITLES = {
    "parade": "Parade",
    "waveform": "Waveform (luma)",
    "vectorscope": "Vectorscope (Cb/Cr)",
    "oklab": "Vectorscope (Oklab)",
    "histogram": "Histogram",
    "neutral": "Neutral line",
    "cloud": "Cloud",
    "loss": "Loss in the cube",
}
HELP = {
    "parade": "Red, green and blue over the width of the picture.",
    "waveform": "Luma over the width of the picture.",
    "vectorscope": "Colour differences: hue as direction, saturation as distance.",
    "oklab": "Oklab: hue as direction, chroma as distance, evenly to the eye.",
    "histogram": "How much of the picture has which level.",
    "neutral": "What the Look does to greys.",
    "cloud": "Where the nodes of the LUT go in the colour cube; drag or arrow keys turn it.",
    "loss": "Where in the cube the LUT departs from the exact grade; drag or arrow keys turn it.",
}
PLANES = ("vectorscope", "oklab")
CUBES = ("cloud", "loss")
KEYS = (
    ("Wheel, +, −", "zoom"),
    ("Double click, 0", "show all of it"),
    ("Middle button and drag", "move what is shown"),
    ("Drag", "mark a band, or turn the cube"),
    ("Up, Down", "move the band, or turn the cube (Shift coarse)"),
    ("B", "mark a band by keyboard, or let it go"),
)
_HUES = {
    "R": (1, 0, 0),
    "Y": (1, 1, 0),
    "G": (0, 1, 0),
    "C": (0, 1, 1),
    "B": (0, 0, 1),
    "M": (1, 0, 1),
}
_MOST_ZOOM = 16.0
_GAP = 8  # between the three traces of the parade
_ALIGN = Qt.AlignmentFlag


class ScopeView(QWidget):
    """Shows one instrument; `kind` says which. `band_marked(Band)` or None when it is let go."""

    band_marked = Signal(object)

    def __init__(self, kind: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.kind = kind
        self._data: Any = None
        self._image: QImage | None = None
        self._reference: Any = None
        self.unit = PERCENT
        self.space: Encoding = encoding("BT.1886")
        self.limits = False
        self.band: Band | None = None
        self._pick: tuple[np.ndarray, np.ndarray, float] | None = None
        self.zoom = 1.0
        self._middle = QPointF(0.5, 0.5)
        self.cube = Cube()
        self._drag = ""
        self._from = QPointF()
        self.setMinimumSize(120, 80)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Instrument")

    # --- what to show ------------------------------------------------------------------------------
    def show_data(self, kind: str, data: Any, reference: Any = None) -> None:
        """Show an instrument's data, and that of a pinned shot in grey."""
        if kind != self.kind:
            self.reset()
        self.kind, self._data = kind, data
        self._image = image_of(data) if data is not None and kind in DRAWN else None
        self._reference = reference
        if reference is not None and kind in DRAWN:
            self._reference = image_of(reference)
        self.setAccessibleDescription(TITLES.get(kind, kind))
        self.setToolTip(HELP.get(kind, ""))
        self.update()

    def show_scale(self, unit: str, space: Encoding, limits: bool) -> None:
        """Say in what the graticule counts, of which encoding the levels are, and if limits are shown."""
        if (unit, space, limits) != (self.unit, self.space, self.limits):
            self.unit, self.space, self.limits = unit, space, limits
            self.update()

    def show_band(self, band: Band | None) -> None:
        if band != self.band:
            self.band = band
            self.update()

    def show_pick(self, shown: Any, entering: Any = None, across: float = 0.0) -> None:
        """Mark a colour: what the display shows, what enters the Look, and how far across it lies."""
        if shown is None:
            self._pick = None
        else:
            self._pick = (np.asarray(shown), np.asarray(entering), across)
        self.update()

    # --- geometry ----------------------------------------------------------------------------------
    @property
    def is_plane(self) -> bool:
        return self.kind in PLANES

    @property
    def is_cube(self) -> bool:
        return self.kind in CUBES

    def area(self) -> QRectF:
        """Return where the data is drawn."""
        if self.is_plane:
            side = min(self.width(), self.height()) - 12
            return QRectF((self.width() - side) / 2, (self.height() - side) / 2, side, side)
        if self.is_cube:
            return QRectF(self.rect()).adjusted(1, 1, -1, -1)
        low = 22 if self.kind in ("histogram", "neutral") else 10
        return QRectF(self.rect()).adjusted(42, 10, -12, -low)

    def seen_part(self) -> QRectF:
        """Return which part of the data is seen, in shares: x to the right, y upwards."""
        size = 1 / self.zoom
        levels_only = self.kind in ("parade", "waveform")
        across = 1.0 if levels_only else size
        up = 1.0 if self.kind == "histogram" else size
        x = 0.0 if levels_only else min(max(self._middle.x() - across / 2, 0), 1 - across)
        y = 0.0 if self.kind == "histogram" else min(max(self._middle.y() - up / 2, 0), 1 - up)
        return QRectF(x, y, across, up)

    def place(self, x: float, y: float) -> QPointF:
        """Return where a share of the data lies on the widget."""
        r, seen = self.area(), self.seen_part()
        return QPointF(
            r.left() + (x - seen.left()) / seen.width() * r.width(),
            r.bottom() - (y - seen.top()) / seen.height() * r.height(),
        )

    def share_at(self, at: QPointF) -> QPointF:
        """Return which share of the data lies at a point of the widget."""
        r, seen = self.area(), self.seen_part()
        return QPointF(
            seen.left() + (at.x() - r.left()) / r.width() * seen.width(),
            seen.top() + (r.bottom() - at.y()) / r.height() * seen.height(),
        )

    def _column(self, c: int) -> tuple[float, float]:
        """Return left edge and width of a trace of the parade."""
        r = self.area()
        each = (r.width() - 2 * _GAP) / 3
        return r.left() + c * (each + _GAP), each

    # --- hand --------------------------------------------------------------------------------------
    def reset(self) -> None:
        """Show all of it."""
        self.zoom, self._middle, self.cube.size = 1.0, QPointF(0.5, 0.5), 1.0
        self.update()

    def zoom_by(self, factor: float, about: QPointF | None = None) -> None:
        """Zoom, keeping what lies under a point of the widget."""
        if self.is_cube:
            self.cube.size = min(max(self.cube.size * factor, 0.5), 8.0)
            self.update()
            return
        at = about or self.area().center()
        before = self.share_at(at)
        self.zoom = min(max(self.zoom * factor, 1.0), _MOST_ZOOM)
        after = self.share_at(at)
        self._middle += before - after
        seen = self.seen_part()
        self._middle = QPointF(seen.center().x(), seen.top() + seen.height() / 2)
        self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        if event.angleDelta().y():
            self.zoom_by(1.25 if event.angleDelta().y() > 0 else 0.8, event.position())

    def mouseDoubleClickEvent(self, _event: QMouseEvent) -> None:
        self.reset()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._from = event.position()
        if event.button() == Qt.MouseButton.MiddleButton:
            self._drag = "pan"
        elif event.button() == Qt.MouseButton.LeftButton:
            self._drag = "turn" if self.is_cube else "" if self.kind == "neutral" else "band"

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if self._drag == "turn":
            self.cube.turned((at.x() - self._from.x()) / 120, (at.y() - self._from.y()) / 120)
            self._from = at
            self.update()
        elif self._drag == "pan":
            self._middle += self.share_at(self._from) - self.share_at(at)
            self._from = at
            self.update()
        elif self._drag == "band" and (at - self._from).manhattanLength() > 3:
            self.band_marked.emit(self._band_between(self._from, at))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._drag == "band" and (event.position() - self._from).manhattanLength() <= 3:
            self.band_marked.emit(None)
        self._drag = ""

    def _band_between(self, a: QPointF, b: QPointF) -> Band:
        one, two = self.share_at(a), self.share_at(b)
        if self.is_plane:
            xs, ys = sorted((one.x(), two.x())), sorted((one.y(), two.y()))
            low, high = (2 * xs[0] - 1, 2 * ys[0] - 1), (2 * xs[1] - 1, 2 * ys[1] - 1)
            return Band("", low, high, self.kind)
        if self.kind == "histogram":
            levels = sorted((one.x(), two.x()))
            return Band(ANY, (max(levels[0], 0.0),), (min(levels[1], 1.0),))
        channel = LUMA
        if self.kind == "parade":
            c = min(
                range(3), key=lambda i: abs(self._column(i)[0] + self._column(i)[1] / 2 - a.x())
            )
            channel = CHANNELS[c]
        levels = sorted((one.y(), two.y()))
        return Band(channel, (max(levels[0], 0.0),), (min(levels[1], 1.0),))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        coarse = 5 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
        ways: dict[int, tuple[int, int]] = {
            Qt.Key.Key_Left: (-1, 0),
            Qt.Key.Key_Right: (1, 0),
            Qt.Key.Key_Up: (0, 1),
            Qt.Key.Key_Down: (0, -1),
        }
        if key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.zoom_by(1.25)
        elif key == Qt.Key.Key_Minus:
            self.zoom_by(0.8)
        elif key == Qt.Key.Key_0:
            self.reset()
        elif self.is_cube and key in ways:
            self.cube.turned(0.1 * ways[key][0], -0.1 * ways[key][1])
            self.update()
        elif key == Qt.Key.Key_B and not self.is_cube and self.kind != "neutral":
            self.band_marked.emit(None if self.band is not None else self._first_band())
        elif self.band is not None and key in ways:
            self.band_marked.emit(self._moved(self.band, *(0.01 * coarse * w for w in ways[key])))
        else:
            super().keyPressEvent(event)

    def _first_band(self) -> Band:
        if self.is_plane:
            return Band("", (-0.1, -0.1), (0.1, 0.1), self.kind)
        channel = {"histogram": ANY, "parade": CHANNELS[0]}.get(self.kind, LUMA)
        return Band(channel, (0.45,), (0.55,))

    @staticmethod
    def _moved(band: Band, x: float, y: float) -> Band:
        steps = (2 * x, 2 * y) if band.plane else (x + y,)
        low = tuple(v + s for v, s in zip(band.low, steps, strict=True))
        high = tuple(v + s for v, s in zip(band.high, steps, strict=True))
        least = -1.0 if band.plane else 0.0
        if min(low) < least or max(high) > 1:
            return band
        return Band(band.channel, low, high, band.plane)

    # --- look --------------------------------------------------------------------------------------
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("well"))
        painter.drawRoundedRect(QRectF(self.rect()), RADIUS, RADIUS)
        painter.setFont(quiet_font())
        paint = {
            "vectorscope": self._paint_plane,
            "oklab": self._paint_plane,
            "neutral": self._paint_lines,
            "histogram": self._paint_histogram,
            "cloud": self._paint_cube,
            "loss": self._paint_cube,
        }.get(self.kind, self._paint_trace)
        paint(painter)
        focus_ring(self, painter)

    def _scale(self) -> list[Mark]:
        seen = self.seen_part()
        levels = (
            (seen.left(), seen.right())
            if self.kind == "histogram"
            else (seen.top(), seen.top() + seen.height())
        )
        return marks(self.unit, self.space, *levels)

    def _levels(self, painter: QPainter, scale: list[Mark] | None = None) -> None:
        """Draw the graticule of a level axis that runs upwards."""
        r = self.area()
        for mark in self._scale() if scale is None else scale:
            y = self.place(0, mark.at).y()
            painter.setPen(QPen(colour("line" if mark.strong else "panel"), 1))
            painter.drawLine(QPointF(r.left(), y), QPointF(r.right(), y))
            painter.setPen(colour("quiet"))
            box = QRectF(0, y - 8, r.left() - 5, 16)
            painter.drawText(box, _ALIGN.AlignRight | _ALIGN.AlignVCenter, mark.words)
        if self.limits and scale is None:
            for level in LEGAL:
                y = self.place(0, level).y()
                if r.top() - 1 <= y <= r.bottom() + 1:
                    painter.setPen(QPen(colour("yellow"), 1, Qt.PenStyle.DashLine))
                    painter.drawLine(QPointF(r.left(), y), QPointF(r.right(), y))

    def _traces(self, image: QImage) -> list[tuple[QRectF, QRectF]]:
        """Return where each trace is drawn and from which part of its picture."""
        r, seen = self.area(), self.seen_part()
        top, height = (1 - seen.top() - seen.height()) * 256, seen.height() * 256
        if self.kind == "parade":
            w = image.width() / 3
            spots = [self._column(c) for c in range(3)]
            return [
                (QRectF(x, r.top(), each, r.height()), QRectF(c * w, top, w, height))
                for c, (x, each) in enumerate(spots)
            ]
        return [(r, QRectF(0, top, image.width(), height))]

    def _paint_trace(self, painter: QPainter) -> None:
        self._paint_image_parts(painter)
        painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_Lighten)
        self._levels(painter)
        painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_SourceOver)
        band = self.band
        if band is not None and not band.plane and band.channel != ANY:
            parade = self.kind == "parade"
            if parade == (band.channel in CHANNELS):
                r = self.area()
                x, w = r.left(), r.width()
                if parade:
                    x, w = self._column(CHANNELS.index(band.channel))
                top, foot = self.place(0, band.high[0]).y(), self.place(0, band.low[0]).y()
                self._paint_band(painter, QRectF(x, top, w, foot - top).intersected(r))
        if self._pick is not None:
            shown, _entering, across = self._pick
            painter.setPen(QPen(colour("text"), 1.5))
            if self.kind == "parade":
                for c in range(3):
                    x, w = self._column(c)
                    self._cross(painter, QPointF(x + across * w, self.place(0, shown[c]).y()))
            else:
                r = self.area()
                luma = float(lumas.luma(shown))
                at = QPointF(r.left() + across * r.width(), self.place(0, luma).y())
                self._cross(painter, at)

    def _paint_image_parts(self, painter: QPainter) -> None:
        if self._image is not None:
            for target, part in self._traces(self._image):
                painter.drawImage(target, self._image, part)
        if isinstance(self._reference, QImage):
            painter.setOpacity(0.75)
            painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_Lighten)
            for target, part in self._traces(self._reference):
                painter.drawImage(target, self._reference, part)
            painter.setOpacity(1.0)
            painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_SourceOver)

    def _cross(self, painter: QPainter, at: QPointF) -> None:
        r = self.area()
        if not r.adjusted(-1, -1, 1, 1).contains(at):
            return
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(at, 4, 4)
        painter.drawLine(at + QPointF(-7, 0), at + QPointF(-4, 0))
        painter.drawLine(at + QPointF(4, 0), at + QPointF(7, 0))

    def _paint_band(self, painter: QPainter, box: QRectF) -> None:
        painter.setPen(QPen(colour("yellow"), 1))
        fill = colour("yellow")
        fill.setAlphaF(0.13)
        painter.setBrush(fill)
        painter.drawRect(box)
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def _codes(self, painter: QPainter, r: QRectF, titles: tuple[str, ...]) -> None:
        painter.setPen(colour("quiet"))
        for i, title in enumerate(titles):
            x = r.left() + r.width() * i / (len(titles) - 1)
            last = i == len(titles) - 1
            flag = (
                _ALIGN.AlignLeft if i == 0 else _ALIGN.AlignRight if last else _ALIGN.AlignHCenter
            )
            box = QRectF(x - (0 if i == 0 else 120 if last else 60), r.bottom() + 2, 120, 14)
            painter.drawText(box, flag | _ALIGN.AlignTop, title)

    def _paint_histogram(self, painter: QPainter) -> None:
        r = self.area()
        last = -100.0
        for mark in self._scale():
            x = self.place(mark.at, 0).x()
            painter.setPen(QPen(colour("line" if mark.strong else "panel"), 1))
            painter.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom()))
            painter.setPen(colour("quiet"))
            if x - last < 36:
                continue
            last = x
            left = min(max(x - 30, 0), self.width() - 60)
            painter.drawText(QRectF(left, r.bottom() + 2, 60, 14), _ALIGN.AlignCenter, mark.words)
        if self.limits:
            painter.setPen(QPen(colour("yellow"), 1, Qt.PenStyle.DashLine))
            for level in LEGAL:
                x = self.place(level, 0).x()
                if r.left() <= x <= r.right():
                    painter.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom()))
        if self._data is None:
            return
        painter.save()
        painter.setClipRect(r)
        peak = max(float(np.percentile(self._data[:, 1:255], 99.5)), 1.0)
        for data, style in ((self._data, Qt.PenStyle.SolidLine), (self._reference, None)):
            if data is None:
                continue
            top = peak if style else max(float(np.percentile(data[:, 1:255], 99.5)), 1.0)
            heights = np.sqrt(np.clip(data / top, 0, 1))
            for c, role in enumerate(("red", "green", "blue")):
                self._paint_outline(painter, heights[c], role, style is not None)
        painter.restore()
        band = self.band
        if band is not None and not band.plane and band.channel == ANY:
            left, right = self.place(band.low[0], 0).x(), self.place(band.high[0], 0).x()
            self._paint_band(
                painter, QRectF(left, r.top(), right - left, r.height()).intersected(r)
            )
        if self._pick is not None:
            for c, role in enumerate(("red", "green", "blue")):
                x = self.place(float(self._pick[0][c]), 0).x()
                if r.left() <= x <= r.right():
                    painter.setPen(QPen(colour(role), 1.5))
                    painter.drawLine(QPointF(x, r.top()), QPointF(x, r.top() + 14))

    def _paint_outline(
        self, painter: QPainter, heights: np.ndarray, role: str, filled: bool
    ) -> None:
        r = self.area()
        tone = colour(role)
        ys = r.bottom() - heights * r.height()
        points = [QPointF(self.place((i + 0.5) / 256, 0).x(), float(y)) for i, y in enumerate(ys)]
        if filled:
            ends = [QPointF(points[0].x(), r.bottom()), QPointF(points[-1].x(), r.bottom())]
            painter.setPen(QPen(tone, 1.2))
            tone.setAlphaF(0.18)
            painter.setBrush(tone)
            painter.drawPolygon(QPolygonF([ends[0], *points, ends[1]]))
        else:
            painter.setPen(QPen(tone, 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolyline(QPolygonF(points))

    def _paint_plane(self, painter: QPainter) -> None:
        r, seen = self.area(), self.seen_part()
        painter.save()
        painter.setClipRect(r)
        part = QRectF(
            seen.left() * 256,
            (1 - seen.top() - seen.height()) * 256,
            seen.width() * 256,
            seen.height() * 256,
        )
        for image in (self._image, self._reference):
            if isinstance(image, QImage):
                if image is self._reference:
                    painter.setOpacity(0.75)
                    painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_Lighten)
                painter.drawImage(r, image, part)
        painter.setOpacity(1.0)
        painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_SourceOver)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        centre = self.place(0.5, 0.5)
        half = r.width() / 2 * self.zoom
        painter.setPen(QPen(colour("line"), 1))
        painter.drawLine(QPointF(r.left(), centre.y()), QPointF(r.right(), centre.y()))
        painter.drawLine(QPointF(centre.x(), r.top()), QPointF(centre.x(), r.bottom()))
        oklab = self.kind == "oklab"
        if oklab:
            for ring in (0.02, 0.05, 0.1, 0.2, 0.3):
                size = ring / OKLAB_EDGE * half
                if size < 24:
                    continue
                painter.setPen(QPen(colour("line"), 1))
                painter.drawEllipse(centre, size, size)
                painter.setPen(colour("quiet"))
                painter.drawText(centre + QPointF(3, -size - 2), f"{ring:g}")
        else:
            for share in (0.25, 0.5, 0.75):
                size = share * half
                painter.setPen(QPen(colour("line"), 1))
                painter.drawRect(QRectF(centre.x() - size, centre.y() - size, 2 * size, 2 * size))
                painter.setPen(colour("quiet"))
                words = f"{share * 100:.0f}" + (" %" if share == 0.75 else "")
                painter.drawText(centre + QPointF(3, -size - 2), words)
        painter.setPen(colour("quiet"))
        for name, rgb in _HUES.items():
            # The Cb/Cr boxes stand at 75 % bars.
            x, y = oklab_place(rgb) if oklab else (0.75 * v for v in chroma_place(rgb))
            at = self.place((x + 1) / 2, (y + 1) / 2)
            painter.drawRect(QRectF(at.x() - 3, at.y() - 3, 6, 6))
            painter.drawText(at + QPointF(6, 4), name)
        band = self.band
        if band is not None and band.plane == self.kind:
            a = self.place((band.low[0] + 1) / 2, (band.high[1] + 1) / 2)
            b = self.place((band.high[0] + 1) / 2, (band.low[1] + 1) / 2)
            self._paint_band(painter, QRectF(a, b))
        if self._pick is not None:
            red, green, blue = (float(v) for v in np.clip(self._pick[0], 0, 1))
            picked = (red, green, blue)
            x, y = oklab_place(picked, self.space.name) if oklab else chroma_place(picked)
            painter.setPen(QPen(colour("text"), 1.5))
            self._cross(painter, self.place((x + 1) / 2, (y + 1) / 2))
        painter.restore()
        painter.setPen(colour("quiet"))
        across, up = ("a", "b") if oklab else ("Cb", "Cr")
        painter.drawText(
            QRectF(r.right() + 6, r.center().y() - 8, 60, 16), _ALIGN.AlignVCenter, across
        )
        painter.drawText(QRectF(r.center().x() - 20, r.top() - 2, 60, 16), _ALIGN.AlignVCenter, up)

    def _paint_lines(self, painter: QPainter) -> None:
        r, seen = self.area(), self.seen_part()
        self._levels(painter)
        ends = [seen.left(), seen.right()]
        most = 100 if self.unit == PERCENT else 1023
        words = [f"{v * most:.0f}" for v in ends]
        what = "grey in, % code" if self.unit == PERCENT else "grey in, 10-bit code"
        self._codes(painter, r, (words[0], what, words[1]))
        painter.save()
        painter.setClipRect(r.adjusted(0, -4, 0, 4))
        painter.setPen(QPen(colour("line"), 1, Qt.PenStyle.DashLine))
        painter.drawLine(self.place(0, 0), self.place(1, 1))
        if self._data is not None:
            xs = np.linspace(0, 1, len(self._data))
            for c, role in enumerate(("red", "green", "blue")):
                ys = np.clip(self._data[:, c], -0.1, 1.1)
                painter.setPen(QPen(colour(role), 1.6))
                points = [self.place(x, float(y)) for x, y in zip(xs, ys, strict=True)]
                painter.drawPolyline(QPolygonF(points))
        if self._pick is not None and self._pick[1].shape == (3,):
            grey = float(self._pick[1].mean())
            x = self.place(grey, 0).x()
            painter.setPen(QPen(colour("text"), 1, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom()))
        painter.restore()

    def _paint_cube(self, painter: QPainter) -> None:
        points = self._data if isinstance(self._data, CubePoints) else None
        area = self.area()
        painter.save()
        painter.setClipRect(area)
        self.cube.paint(painter, area, points, colour("line"), colour("quiet"))
        if self._pick is not None and self._pick[1].shape == (3,):
            at = self.cube.project(np.clip(self._pick[1], 0, 1)[None], area.width(), area.height())
            painter.setPen(QPen(colour("text"), 1.5))
            self._cross(painter, QPointF(at[0, 0] + area.left(), at[0, 1] + area.top()))
        painter.restore()
        if points is not None and points.words:
            painter.setPen(colour("quiet"))
            box = area.adjusted(8, 6, -8, -6)
            painter.drawText(box, _ALIGN.AlignLeft | _ALIGN.AlignBottom, points.words)
