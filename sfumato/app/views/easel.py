"""The Easel, picture on its mount. Not divided: painting, zoom and the hand share one geometry."""

from __future__ import annotations

from typing import Any

import numpy as np
from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFocusEvent,
    QImage,
    QKeyEvent,
    QLinearGradient,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from sfumato.app.guard import guarded
from sfumato.app.images import image_of
from sfumato.app.labels import set_help
from sfumato.app.theme import MOUNTS, RADIUS, colour, focus_ring, instrument_colour, quiet_font
from sfumato.app.views.divider import paint_divider
from sfumato.app.views.pictures import HEAT, Layer, heat_of, heat_scale, striped
from sfumato.core.arrays import Array
from sfumato.core.lut.difference import clipped
from sfumato.core.measure.scopes import Band, in_band
from sfumato.work.frames import WHOLE, Region

KEYS = (
    ("Wheel, +, −", "zoom"),
    ("Double click", "one pixel to one, or fit"),
    ("Middle button, Space and drag", "move the picture"),
    ("Arrow keys", "move the split line (Shift coarse)"),
    ("Esc", "end a pick"),
)
_MARGIN = 8
_ZOOMS = (1 / 8, 1 / 4, 1 / 2, 1, 2, 4, 8, 16)


class Easel(QWidget):
    """Paints the answer it is given and says where the hand is."""

    geometry_changed = Signal()
    hovered = Signal(int, int)
    left = Signal()
    picked = Signal(int, int)
    split_moved = Signal(float)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.picture = (0, 0)
        self.mode = "one"
        self._is_coarse = False
        self.split = 0.5
        self.across = False
        self.mount = "mid"
        self.picking = False
        self.zoom: float | None = None
        self._centre = (0.5, 0.5)
        self._region: Region = WHOLE
        self._a: QImage | None = None
        self._of_a: Array | None = None  # what it was made of
        self._b: QImage | None = None
        self._heat: QImage | None = None
        self.clipping = False
        self.clipped_shares = (0.0, 0.0)
        self.outside_share: float | None = None
        self.band_share = 0.0
        self._limits = (0.0, 1.0)
        self._band: tuple[Band, str] | None = None
        self._outside: Any = None
        self._over: Any = None
        self.over_share: float | None = None
        self._bytes_b: Any = None
        self._marks: QImage | None = None
        self._heat_top = 1.0
        self._drag: str = ""
        self._drag_at = QPointF()
        self._space = False
        self._by_key = False
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(320, 160)
        self.setAccessibleName("Easel")
        set_help(
            self,
            "The picture. The wheel zooms, the middle button moves it, F5 to F8 choose how its sides A and B lie.",
        )

    # --- geometry --------------------------------------------------------------------------------
    def panes(self) -> list[tuple[QRectF, str]]:
        """Return the areas in which a picture is shown, and the side each shows."""
        r = QRectF(self.rect())
        if self.mode == "side":
            half = r.width() / 2
            return [
                (QRectF(0, 0, half - 1, r.height()), "a"),
                (QRectF(half + 1, 0, half - 1, r.height()), "b"),
            ]
        return [(r, "b")]

    def scale(self) -> float:
        """Return device pixels per pixel of the picture."""
        w, h = self.picture
        if not w:
            return 1.0
        if self.zoom is not None:
            return self.zoom
        pane = self.panes()[0][0].adjusted(_MARGIN, _MARGIN, -_MARGIN, -_MARGIN)
        return min(pane.width() / w, pane.height() / h) * self.devicePixelRatioF()

    def picture_rect(self, pane: QRectF) -> QRectF:
        """Return where the whole picture lies when shown in a pane (it may reach beyond it)."""
        w, h = self.picture
        s = self.scale() / self.devicePixelRatioF()
        if self.zoom is None:
            size = (max(1, round(w * s)), max(1, round(h * s)))
            return QRectF(
                pane.left() + (pane.width() - size[0]) // 2,
                pane.top() + (pane.height() - size[1]) // 2,
                *size,
            )
        cx, cy = self._centre
        return QRectF(
            round(pane.center().x() - cx * w * s),
            round(pane.center().y() - cy * h * s),
            max(w * s, 1e-3),
            max(h * s, 1e-3),
        )

    def wanted(self) -> tuple[int, int, Region]:
        """Return the size in device pixels and the region of the picture that is to be rendered."""
        pane = self.panes()[0][0]
        whole = self.picture_rect(pane)
        ratio = self.devicePixelRatioF()
        if self.zoom is None:
            return (
                max(1, round(whole.width() * ratio)),
                max(1, round(whole.height() * ratio)),
                WHOLE,
            )
        w, h = self.picture
        seen = whole.intersected(pane)
        if seen.isEmpty():
            return 1, 1, WHOLE
        s = whole.width() / w
        x0, y0 = int((seen.left() - whole.left()) / s), int((seen.top() - whole.top()) / s)
        x1 = min(w, int((seen.right() - whole.left()) / s) + 1)
        y1 = min(h, int((seen.bottom() - whole.top()) / s) + 1)
        size = (max(1, round((x1 - x0) * self.zoom)), max(1, round((y1 - y0) * self.zoom)))
        return (*size, (x0 / w, y0 / h, x1 / w, y1 / h))

    def pixel_at(self, at: QPointF) -> tuple[int, int] | None:
        """Return the pixel of the picture under a point of the widget, None beside the picture."""
        w, h = self.picture
        if not w:
            return None
        for pane, _ in self.panes():
            if pane.contains(at):
                r = self.picture_rect(pane)
                x, y = (at.x() - r.left()) / r.width() * w, (at.y() - r.top()) / r.height() * h
                if 0 <= x < w and 0 <= y < h:
                    return int(x), int(y)
        return None

    def widget_at(self, x: int, y: int) -> QPointF:
        """Return where a pixel of the picture is on the widget (in the last pane)."""
        r = self.picture_rect(self.panes()[-1][0])
        w, h = self.picture
        return QPointF(r.left() + (x + 0.5) / w * r.width(), r.top() + (y + 0.5) / h * r.height())

    # --- what to show ----------------------------------------------------------------------------
    def show_picture(self, size: tuple[int, int]) -> None:
        """A shot of this size is to be shown."""
        if size != self.picture:
            self.picture = size
            self._of_a = self._a = self._b = self._heat = None
            self.set_zoom(None)
            self.geometry_changed.emit()

    def show_answer(self, shown: Any) -> None:
        a, b = shown.on_screen
        self._bytes_b, self._outside, self._over = shown.b, shown.outside, shown.over
        self._is_coarse = b.shape[1] < 0.9 * self.wanted()[0]  # it moves, in fewer pixels
        self._show(a, b, shown.delta, shown.ask.region)

    def show_sides(self, a: Array | None, b: Array, delta: Array | None = None) -> None:
        """Show two whole pictures, uint8 (h, w, 3), and their differences, ΔE (h, w)."""
        self.show_picture((b.shape[1], b.shape[0]))
        self._bytes_b, self._outside, self._over = b, None, None
        self._is_coarse = False
        self._show(a, b, delta, WHOLE)

    def _show(self, a: Array | None, b: Array, delta: Array | None, region: Region) -> None:
        self._region = region
        if a is not self._of_a:  # the side that does not move is kept while a control is dragged
            self._of_a, self._a = a, None if a is None else image_of(a)
        self._b = image_of(b)
        self._heat = None
        if delta is not None:
            self._heat_top = heat_scale(float(np.percentile(delta[::2, ::2], 99.5)))
            self._heat = image_of(heat_of(delta, self._heat_top))
        self._mark()
        self.update()

    def show_clipping(self, on: bool, limits: tuple[float, float] = (0.0, 1.0)) -> None:
        """Mark on side B what is clipped, crushed or outside the display's gamut; of a printed side what ink
        does not give, and where it exceeds its limit.

        Each in stripes of its own way; with `limits`, what lies beyond those levels.
        """
        if (on, limits) != (self.clipping, self._limits):
            self.clipping, self._limits = on, limits
            self._mark()
            self.update()

    def show_band(self, band: Band | None, display: str) -> None:
        """Mark on side B what lies in a band that was marked on an instrument."""
        wanted = None if band is None else (band, display)
        if wanted != self._band:
            self._band = wanted
            self._mark()
            self.update()

    def _mark(self) -> None:
        """Make the marks of side B, and the shares of the picture that they take."""
        self._marks = None
        self.clipped_shares, self.outside_share, self.band_share = (0.0, 0.0), None, 0.0
        self.over_share = None
        picture = self._bytes_b
        if picture is None or not (self.clipping or self._band):
            return
        shape = picture.shape[:2]
        layers: list[Layer] = []
        if self._band is not None:
            inside = in_band(picture, *self._band)
            self.band_share = float(inside.mean())
            layers.append((inside, instrument_colour("yellow"), (1, 2)))
        if self.clipping and self._over is not None and self._over.shape == shape:  # printed
            self.over_share = float(self._over.mean())
            layers.append((self._over, instrument_colour("cinnabar"), (0, 1)))
        elif self.clipping:
            high, low = clipped(picture, *self._limits)
            self.clipped_shares = (float(high.mean()), float(low.mean()))
            layers += [
                (high, instrument_colour("cinnabar"), (1, 1)),
                (low, instrument_colour("azurite"), (1, -1)),
            ]
        if self.clipping and self._outside is not None and self._outside.shape == shape:
            self.outside_share = float(self._outside.mean())
            layers.append((self._outside, instrument_colour("text"), (1, 0)))
        h, w = shape
        marks = striped(layers, (h, w))
        self._marks = QImage(marks.data, w, h, 4 * w, QImage.Format.Format_RGBA8888).copy()

    def show_nothing(self) -> None:
        self.picture = (0, 0)
        self._of_a = self._a = self._b = self._heat = None
        self.update()

    def set_mode(self, mode: str) -> None:
        self.mode = mode
        self.geometry_changed.emit()
        self.update()

    def set_zoom(self, zoom: float | None, about: QPointF | None = None) -> None:
        """Show at `zoom` device pixels per pixel (None = all of it), keeping the point `about`."""
        if zoom is not None and self.picture[0]:
            pane = self.panes()[0][0]
            at = about or pane.center()
            for each, _ in self.panes():
                if each.contains(at):
                    pane = each
            r = self.picture_rect(pane)
            share = ((at.x() - r.left()) / r.width(), (at.y() - r.top()) / r.height())
            s = zoom / self.devicePixelRatioF()
            off = (
                (at.x() - pane.center().x()) / (self.picture[0] * s),
                (at.y() - pane.center().y()) / (self.picture[1] * s),
            )
            x, y = (min(max(v - d, 0.0), 1.0) for v, d in zip(share, off, strict=True))
            self._centre = (x, y)
        self.zoom = zoom
        self.geometry_changed.emit()
        self.update()

    def step_zoom(self, up: bool, about: QPointF | None = None) -> None:
        now = self.scale()
        if up:
            target = next((z for z in _ZOOMS if z > now * 1.01), _ZOOMS[-1])
        else:
            target = next((z for z in reversed(_ZOOMS) if z < now * 0.99), _ZOOMS[0])
        self.set_zoom(target, about)

    def pan(self, dx: float, dy: float) -> None:
        if self.zoom is None:
            return
        s = self.scale() / self.devicePixelRatioF()
        w, h = self.picture
        self._centre = (
            min(max(self._centre[0] - dx / (w * s), 0.0), 1.0),
            min(max(self._centre[1] - dy / (h * s), 0.0), 1.0),
        )
        self.geometry_changed.emit()
        self.update()

    # --- hand ------------------------------------------------------------------------------------
    def split_line(self) -> float:
        """Return where the split line is: x, or y when it runs across."""
        r = self.picture_rect(self.panes()[0][0]).intersected(QRectF(self.rect()))
        if self.across:
            return r.top() + self.split * r.height()
        return r.left() + self.split * r.width()

    def _near_line(self, at: QPointF) -> bool:
        if self.mode != "split" or not self.picture[0]:
            return False
        return abs((at.y() if self.across else at.x()) - self.split_line()) < 7

    @guarded
    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        self._drag_at = at
        pan = event.button() == Qt.MouseButton.MiddleButton or self._space
        if pan:
            self._drag = "pan"
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
        elif event.button() == Qt.MouseButton.LeftButton:
            pixel = self.pixel_at(at)
            if self.picking and pixel:
                self.picked.emit(*pixel)
            elif self._near_line(at):
                self._drag = "split"

    @guarded
    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if self._drag == "pan":
            moved = at - self._drag_at
            self._drag_at = at
            self.pan(moved.x(), moved.y())
            return
        if self._drag == "split":
            self._move_split(at)
            return
        self._point(at)
        pixel = self.pixel_at(at)
        if pixel:
            self.hovered.emit(*pixel)
        else:
            self.left.emit()

    def _move_split(self, at: QPointF) -> None:
        r = self.picture_rect(self.panes()[0][0]).intersected(QRectF(self.rect()))
        share = (at.y() - r.top()) / r.height() if self.across else (at.x() - r.left()) / r.width()
        self.set_split(share)

    def set_split(self, share: float) -> None:
        share = min(max(share, 0.0), 1.0)
        if share != self.split:
            self.split = share
            self.split_moved.emit(share)
            self.update()

    def _point(self, at: QPointF) -> None:
        if self.picking:
            self.setCursor(Qt.CursorShape.CrossCursor)
        elif self._space:
            self.setCursor(Qt.CursorShape.OpenHandCursor)
        elif self._near_line(at):
            across = Qt.CursorShape.SplitVCursor if self.across else Qt.CursorShape.SplitHCursor
            self.setCursor(across)
        else:
            self.unsetCursor()

    @guarded
    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        self._drag = ""
        self._point(self._drag_at)

    @guarded
    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if not self.picking:
            self.set_zoom(1.0 if self.zoom is None else None, event.position())

    @guarded
    def wheelEvent(self, event: QWheelEvent) -> None:
        if event.angleDelta().y():
            self.step_zoom(event.angleDelta().y() > 0, event.position())

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        step = 0.05 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 0.01
        if key == Qt.Key.Key_Space and not event.isAutoRepeat():
            self._space = True
            self._point(self._drag_at)
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.step_zoom(True)
        elif key == Qt.Key.Key_Minus:
            self.step_zoom(False)
        elif self.mode == "split" and key in (Qt.Key.Key_Left, Qt.Key.Key_Up):
            self.set_split(self.split - step)
        elif self.mode == "split" and key in (Qt.Key.Key_Right, Qt.Key.Key_Down):
            self.set_split(self.split + step)
        else:
            super().keyPressEvent(event)

    @guarded
    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Space and not event.isAutoRepeat():
            self._space = False
            self._point(self._drag_at)

    @guarded
    def focusInEvent(self, event: QFocusEvent) -> None:
        tabs = (Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason)
        self._by_key = event.reason() in tabs
        super().focusInEvent(event)

    @guarded
    def leaveEvent(self, _event: QEvent) -> None:
        self.left.emit()

    @guarded
    def resizeEvent(self, _event: QResizeEvent) -> None:
        self.geometry_changed.emit()

    # --- look ------------------------------------------------------------------------------------
    def _target(self, pane: QRectF) -> QRectF:
        """Return where the rendered region lies in a pane."""
        r = self.picture_rect(pane)
        x0, y0, x1, y1 = self._region
        return QRectF(
            r.left() + x0 * r.width(),
            r.top() + y0 * r.height(),
            (x1 - x0) * r.width(),
            (y1 - y0) * r.height(),
        )

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), MOUNTS[self.mount])
        if self.picture[0]:
            for pane, side in self.panes():
                self._paint_pane(painter, pane, side)
        if self._by_key:  # a ring of colour around the picture only for those who need it
            focus_ring(self, painter)

    def _paint_pane(self, painter: QPainter, pane: QRectF, side: str) -> None:
        painter.save()
        painter.setClipRect(pane)
        target = self._target(pane)
        smooth = self.scale() < 1 or self._is_coarse
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, smooth)
        if self.mode == "difference":
            if self._heat is not None:
                painter.drawImage(target, self._heat)
                self._paint_scale(painter, self.picture_rect(pane).intersected(pane))
        else:
            image = self._a if side == "a" else self._b
            if image is not None:
                painter.drawImage(target, image)
            if self._marks is not None and side != "a":
                painter.drawImage(target, self._marks)
            if self.mode == "split" and self._a is not None:
                self._paint_split(painter, pane, target)
        if self.mode == "side":
            self._tag(painter, pane.topLeft() + QPointF(14, 14), side.upper())
        painter.restore()

    def _paint_split(self, painter: QPainter, pane: QRectF, target: QRectF) -> None:
        r = self.picture_rect(pane).intersected(pane)
        line = self.split_line()
        first = QRectF(r)
        if self.across:
            first.setBottom(line)
        else:
            first.setRight(line)
        if self._a is not None:
            painter.save()
            painter.setClipRect(first, Qt.ClipOperation.IntersectClip)
            painter.drawImage(target, self._a)
            painter.restore()
        if self.across:
            paint_divider(painter, QPointF(r.left(), line), QPointF(r.right(), line))
            self._tag(painter, QPointF(r.left() + 14, line - 16), "A")
            self._tag(painter, QPointF(r.left() + 14, line + 16), "B")
        else:
            paint_divider(painter, QPointF(line, r.top()), QPointF(line, r.bottom()))
            self._tag(painter, QPointF(line - 16, r.top() + 16), "A")
            self._tag(painter, QPointF(line + 16, r.top() + 16), "B")

    def _tag(self, painter: QPainter, at: QPointF, text: str) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(at.x() - 8, at.y() - 8, 16, 16)
        ground = colour("rail")
        ground.setAlphaF(0.7)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ground)
        painter.drawRoundedRect(box, RADIUS, RADIUS)
        painter.setFont(quiet_font())
        painter.setPen(colour("text"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _paint_scale(self, painter: QPainter, r: QRectF) -> None:
        """Draw the scale of the heat picture in its lower left corner."""
        box = QRectF(r.left() + 10, r.bottom() - 44, 210, 34)
        ground = colour("rail")
        ground.setAlphaF(0.85)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ground)
        painter.drawRoundedRect(box, RADIUS, RADIUS)
        bar = QRectF(box.left() + 8, box.top() + 6, box.width() - 16, 8)
        shade = QLinearGradient(bar.topLeft(), bar.topRight())
        for i in range(0, 256, 15):
            shade.setColorAt(i / 255, _rgb(i))
        painter.fillRect(bar, shade)
        painter.setFont(quiet_font())
        painter.setPen(colour("text"))
        words = QRectF(bar.left(), bar.bottom() + 1, bar.width(), 16)
        top = f"{self._heat_top:g} ΔE and more"
        painter.drawText(words, Qt.AlignmentFlag.AlignLeft, "0")
        painter.drawText(words, Qt.AlignmentFlag.AlignHCenter, f"{self._heat_top / 2:g}")
        painter.drawText(words, Qt.AlignmentFlag.AlignRight, top)


def _rgb(index: int) -> QColor:
    return QColor(*(int(v) for v in HEAT[index]))
