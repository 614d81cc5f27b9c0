"""What an instrument is, and the shapes that several share."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
from attrs import field, frozen
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QImage, QPainter, QPen

from sfumato.app.theme import instrument_colour as colour
from sfumato.app.views.graph import ALIGN
from sfumato.core.measure.scopes import LUMA, Band, CubePoints
from sfumato.work.preview.scene import Scene

if TYPE_CHECKING:
    from sfumato.app.views.scope import ScopeView

CHANNELS = ("red", "green", "blue")
HUES = {
    "R": (1, 0, 0),
    "Y": (1, 1, 0),
    "G": (0, 1, 0),
    "C": (0, 1, 1),
    "B": (0, 0, 1),
    "M": (1, 0, 1),
}


@frozen(eq=False)
class Instrument:
    """One instrument: a file in `app/views/instruments/` with such a record, or one of a shape, as SPEC.

    `measure(scene, grey)` runs in a worker and gives the data, None = nothing now; `grey` asks for
    what lies under another. What is painted and marked goes through the view that shows it.
    """

    key: str
    title: str
    help: str
    order: int = field(kw_only=True)
    counts_pixels: bool = field(default=True, kw_only=True)  # and so can lie under another shot's
    is_picture: bool = field(default=False, kw_only=True)  # the data is uint8 (h, w, 3)
    turns: bool = field(default=False, kw_only=True)
    zooms: tuple[bool, bool] = field(default=(True, True), kw_only=True)  # across, upwards
    marks: bool = field(default=True, kw_only=True)  # whether a band can be marked on it
    is_of_working: bool = field(default=False, kw_only=True)  # its levels are working values

    def measure(self, scene: Scene, grey: bool = False) -> Any:
        raise NotImplementedError

    def area(self, rect: QRectF) -> QRectF:
        """Return where in a widget the data is drawn."""
        return rect.adjusted(42, 10, -12, -10)

    def first_band(self) -> Band:
        return Band(LUMA, (0.45,), (0.55,))

    def band_between(self, view: ScopeView, a: QPointF, b: QPointF) -> Band:
        """Return the band that a drag marks."""
        levels = sorted((view.share_at(a).y(), view.share_at(b).y()))
        return Band(self.channel_at(view, a), (max(levels[0], 0.0),), (min(levels[1], 1.0),))

    def channel_at(self, _view: ScopeView, _at: QPointF) -> str:
        return LUMA

    def paint(self, view: ScopeView, painter: QPainter) -> None:
        raise NotImplementedError


@frozen(eq=False)
class Trace(Instrument):
    """Levels upwards, over the width of the picture; one trace, or several side by side."""

    is_picture: bool = field(default=True, kw_only=True)
    zooms: tuple[bool, bool] = field(default=(False, True), kw_only=True)

    def columns(self, view: ScopeView) -> list[tuple[float, float]]:
        """Return left edge and width of each trace."""
        r = view.area()
        return [(r.left(), r.width())]

    def channels(self) -> tuple[str, ...]:
        """Return the channel of each trace, as bands name them."""
        return (LUMA,)

    def levels(self, view: ScopeView, shown: np.ndarray) -> list[float]:
        """Return the level of a colour on each trace."""
        raise NotImplementedError

    def channel_at(self, view: ScopeView, at: QPointF) -> str:
        middles = [x + w / 2 for x, w in self.columns(view)]
        return self.channels()[min(range(len(middles)), key=lambda i: abs(middles[i] - at.x()))]

    def first_band(self) -> Band:
        return Band(self.channels()[0], (0.45,), (0.55,))

    def paint_scale(self, view: ScopeView, painter: QPainter) -> None:
        """Draw the graticule of the levels."""
        view.paint_levels(painter)

    def _parts(self, view: ScopeView, image: QImage) -> list[tuple[QRectF, QRectF]]:
        """Return where each trace is drawn and from which part of its picture."""
        r, seen = view.area(), view.seen_part()
        top, height = (1 - seen.top() - seen.height()) * 256, seen.height() * 256
        columns = self.columns(view)
        w = image.width() / len(columns)
        return [
            (QRectF(x, r.top(), each, r.height()), QRectF(c * w, top, w, height))
            for c, (x, each) in enumerate(columns)
        ]

    def paint(self, view: ScopeView, painter: QPainter) -> None:
        modes = QPainter.CompositionMode
        if view.image is not None:
            for target, part in self._parts(view, view.image):
                painter.drawImage(target, view.image, part)
        if view.reference_image is not None:
            painter.setOpacity(0.75)
            painter.setCompositionMode(modes.CompositionMode_Lighten)
            for target, part in self._parts(view, view.reference_image):
                painter.drawImage(target, view.reference_image, part)
            painter.setOpacity(1.0)
            painter.setCompositionMode(modes.CompositionMode_SourceOver)
        painter.setCompositionMode(modes.CompositionMode_Lighten)
        self.paint_scale(view, painter)
        painter.setCompositionMode(modes.CompositionMode_SourceOver)
        band, r = view.band, view.area()
        if band is not None and not band.plane and band.channel in self.channels():
            x, w = self.columns(view)[self.channels().index(band.channel)]
            top, foot = view.place(0, band.high[0]).y(), view.place(0, band.low[0]).y()
            view.paint_box(painter, QRectF(x, top, w, foot - top).intersected(r))
        if view.pick is not None:
            painter.setPen(QPen(colour("text"), 1.5))
            levels = self.levels(view, view.pick.shown)
            for (x, w), level in zip(self.columns(view), levels, strict=True):
                at = QPointF(x + view.pick.across * w, view.place(0, level).y())
                view.paint_cross(painter, at)


@frozen(eq=False)
class Plane(Instrument):
    """Hue as direction and chroma as distance, in a square."""

    is_picture: bool = field(default=True, kw_only=True)
    axes: tuple[str, str] = field(kw_only=True)

    def area(self, rect: QRectF) -> QRectF:
        side = min(rect.width(), rect.height()) - 12
        return QRectF((rect.width() - side) / 2, (rect.height() - side) / 2, side, side)

    def place_of(self, rgb: tuple[float, float, float], display: str) -> tuple[float, float]:
        """Return where a display colour lies, -1..1 to the right and up."""
        raise NotImplementedError

    def hues(self) -> list[tuple[str, tuple[float, float]]]:
        """Return the names and places of the boxes."""
        raise NotImplementedError

    def paint_rings(self, view: ScopeView, painter: QPainter, centre: QPointF, half: float) -> None:
        """Draw how far from grey colours lie."""
        raise NotImplementedError

    def first_band(self) -> Band:
        return Band("", (-0.1, -0.1), (0.1, 0.1), self.key)

    def band_between(self, view: ScopeView, a: QPointF, b: QPointF) -> Band:
        one, two = view.share_at(a), view.share_at(b)
        xs, ys = sorted((one.x(), two.x())), sorted((one.y(), two.y()))
        low, high = (2 * xs[0] - 1, 2 * ys[0] - 1), (2 * xs[1] - 1, 2 * ys[1] - 1)
        return Band("", low, high, self.key)

    def paint(self, view: ScopeView, painter: QPainter) -> None:
        r, seen = view.area(), view.seen_part()
        painter.save()
        painter.setClipRect(r)
        part = QRectF(
            seen.left() * 256,
            (1 - seen.top() - seen.height()) * 256,
            seen.width() * 256,
            seen.height() * 256,
        )
        modes = QPainter.CompositionMode
        if view.image is not None:
            painter.drawImage(r, view.image, part)
        if view.reference_image is not None:
            painter.setOpacity(0.75)
            painter.setCompositionMode(modes.CompositionMode_Lighten)
            painter.drawImage(r, view.reference_image, part)
        painter.setOpacity(1.0)
        painter.setCompositionMode(modes.CompositionMode_SourceOver)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        centre = view.place(0.5, 0.5)
        painter.setPen(QPen(colour("line"), 1))
        painter.drawLine(QPointF(r.left(), centre.y()), QPointF(r.right(), centre.y()))
        painter.drawLine(QPointF(centre.x(), r.top()), QPointF(centre.x(), r.bottom()))
        self.paint_rings(view, painter, centre, r.width() / 2 * view.zoom)
        painter.setPen(colour("quiet"))
        for name, (x, y) in self.hues():
            at = view.place((x + 1) / 2, (y + 1) / 2)
            painter.drawRect(QRectF(at.x() - 3, at.y() - 3, 6, 6))
            painter.drawText(at + QPointF(6, 4), name)
        band = view.band
        if band is not None and band.plane == self.key:
            a = view.place((band.low[0] + 1) / 2, (band.high[1] + 1) / 2)
            b = view.place((band.high[0] + 1) / 2, (band.low[1] + 1) / 2)
            view.paint_box(painter, QRectF(a, b))
        if view.pick is not None:
            red, green, blue = (float(v) for v in np.clip(view.pick.shown, 0, 1))
            x, y = self.place_of((red, green, blue), view.space.name)
            painter.setPen(QPen(colour("text"), 1.5))
            view.paint_cross(painter, view.place((x + 1) / 2, (y + 1) / 2))
        painter.restore()
        painter.setPen(colour("quiet"))
        beside = r.right() + 6
        room = view.width() - painter.fontMetrics().horizontalAdvance(self.axes[0]) - 3
        rise = 0 if beside <= room else 10  # where it does not go beside the line, above it
        box = QRectF(min(beside, room), r.center().y() - 8 - rise, 60, 16)
        painter.drawText(box, ALIGN.AlignVCenter, self.axes[0])
        box = QRectF(r.center().x() - 20, r.top() - 2, 60, 16)
        painter.drawText(box, ALIGN.AlignVCenter, self.axes[1])


@frozen(eq=False)
class InCube(Instrument):
    """Points in the colour cube, which the hand turns."""

    counts_pixels: bool = field(default=False, kw_only=True)
    turns: bool = field(default=True, kw_only=True)
    marks: bool = field(default=False, kw_only=True)

    def area(self, rect: QRectF) -> QRectF:
        return rect.adjusted(1, 1, -1, -1)

    def paint(self, view: ScopeView, painter: QPainter) -> None:
        points = view.data if isinstance(view.data, CubePoints) else None
        area = view.area()
        painter.save()
        painter.setClipRect(area)
        view.cube.paint(painter, area, points, colour("line"), colour("quiet"))
        if view.pick is not None and view.pick.entering is not None:
            inside = np.clip(view.pick.entering, 0, 1)[None]
            at = view.cube.project(inside, area.width(), area.height())
            painter.setPen(QPen(colour("text"), 1.5))
            view.paint_cross(painter, QPointF(at[0, 0] + area.left(), at[0, 1] + area.top()))
        painter.restore()
        if points is not None and points.words:
            painter.setPen(colour("quiet"))
            box = area.adjusted(8, 6, -8, -6)
            painter.drawText(box, ALIGN.AlignLeft | ALIGN.AlignBottom, points.words)
