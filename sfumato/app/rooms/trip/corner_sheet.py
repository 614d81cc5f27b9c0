"""Setting the four corners of a block of nodes by hand, where it was not found."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QDialog, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from sfumato.app.controls.editor import quiet
from sfumato.app.guard import guarded
from sfumato.app.images import image_of
from sfumato.app.labels import Label
from sfumato.app.theme import colour, focus_ring, quiet_font, strong_font
from sfumato.core.arrays import Array
from sfumato.core.carrier.corners import Corners, checked, in_words
from sfumato.core.errors import ValueRefused

NAMES = ("top left", "top right", "bottom right", "bottom left")
_NEAR = 18  # pixels of the screen within which a corner is taken
_LOUPE, _TIMES = 132, 8  # its side on the screen, and how many times it enlarges


class CornerField(QWidget):
    """A picture with four corners that are dragged, or moved by the arrow keys; `moved()`."""

    moved = Signal()

    def __init__(self, pixels: Array, corners: Corners = ()) -> None:
        super().__init__()
        self._image = image_of(pixels)
        width, height = self._image.width(), self._image.height()
        x, y = width * 0.1, height * 0.1
        usual = ((x, y), (width - x, y), (width - x, height - y), (x, height - y))
        self.corners: list[tuple[float, float]] = [*(corners or usual)]
        self.chosen = 0
        self._dragged = False
        self.setObjectName("corners.field")
        self.setMinimumSize(520, 320)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._say()

    def _say(self) -> None:
        x, y = self.corners[self.chosen]
        self.setAccessibleName(f"Corners of the nodes; {NAMES[self.chosen]} at {x:.1f}, {y:.1f}")

    # --- geometry --------------------------------------------------------------------------------
    def _place(self) -> QRectF:
        room = QRectF(self.rect()).adjusted(10, 10, -_LOUPE - 22, -10)
        size = self._image.size().scaled(
            int(room.width()), int(room.height()), Qt.AspectRatioMode.KeepAspectRatio
        )
        box = QRectF(0, 0, max(size.width(), 1), max(size.height(), 1))
        box.moveCenter(room.center())
        return box

    def on_screen(self, corner: tuple[float, float]) -> QPointF:
        """Return where a place of the picture, in its pixels, is on the widget."""
        box = self._place()
        share = box.width() / self._image.width()
        return QPointF(box.left() + corner[0] * share, box.top() + corner[1] * share)

    def _in_picture(self, at: QPointF) -> tuple[float, float]:
        box = self._place()
        share = self._image.width() / box.width()
        return (at.x() - box.left()) * share, (at.y() - box.top()) * share

    def _move(self, x: float, y: float) -> None:
        width, height = self._image.width(), self._image.height()
        self.corners[self.chosen] = (min(max(x, -4), width + 4), min(max(y, -4), height + 4))
        self._say()
        self.moved.emit()
        self.update()

    # --- hand ------------------------------------------------------------------------------------
    @guarded
    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        far = [(self.on_screen(c) - at).manhattanLength() for c in self.corners]
        nearest = int(np.argmin(far))
        if event.button() == Qt.MouseButton.LeftButton and far[nearest] <= _NEAR:
            self.chosen, self._dragged = nearest, True
            self._say()
            self.update()

    @guarded
    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._dragged:
            self._move(*self._in_picture(event.position()))

    @guarded
    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        self._dragged = False

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        ways = {
            Qt.Key.Key_Left: (-1, 0),
            Qt.Key.Key_Right: (1, 0),
            Qt.Key.Key_Up: (0, -1),
            Qt.Key.Key_Down: (0, 1),
        }
        key = Qt.Key(event.key())
        if key in ways:
            step = 10.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 0.5
            x, y = self.corners[self.chosen]
            self._move(x + step * ways[key][0], y + step * ways[key][1])
        elif Qt.Key.Key_1 <= key <= Qt.Key.Key_4:
            self.chosen = key - Qt.Key.Key_1
            self._say()
            self.update()
        else:
            super().keyPressEvent(event)

    # --- look ------------------------------------------------------------------------------------
    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), colour("window"))
        painter.drawImage(self._place(), self._image)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        points = [self.on_screen(c) for c in self.corners]
        for width, role in ((3.0, "rail"), (1.2, "yellow")):
            painter.setPen(QPen(colour(role), width))
            painter.drawPolygon(QPolygonF(points))
        for i, point in enumerate(points):
            painter.setPen(QPen(colour("rail"), 3 if i == self.chosen else 2))
            painter.setBrush(colour("yellow" if i == self.chosen else "text"))
            painter.drawEllipse(point, 5, 5)
        self._paint_loupe(painter)
        focus_ring(self, painter)

    def _paint_loupe(self, painter: QPainter) -> None:
        """Draw what lies round the chosen corner, enlarged, beside the picture and level with the corner."""
        x, y = self.corners[self.chosen]
        level = self.on_screen((x, y)).y() - _LOUPE / 2
        lowest = self.height() - _LOUPE - 28
        box = QRectF(self.width() - _LOUPE - 11, min(max(level, 10), lowest), _LOUPE, _LOUPE)
        reach = _LOUPE / _TIMES / 2
        painter.save()
        painter.setClipRect(box)
        painter.fillRect(box, colour("rail"))
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
        painter.drawImage(box, self._image, QRectF(x - reach, y - reach, 2 * reach, 2 * reach))
        painter.setPen(QPen(colour("yellow"), 1))
        painter.drawLine(
            QPointF(box.left(), box.center().y()), QPointF(box.right(), box.center().y())
        )
        painter.drawLine(
            QPointF(box.center().x(), box.top()), QPointF(box.center().x(), box.bottom())
        )
        painter.restore()
        painter.setPen(QPen(colour("line"), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)
        painter.setFont(quiet_font())
        painter.setPen(colour("text"))
        words = f"{NAMES[self.chosen]}  {x:.1f}, {y:.1f}"
        below = QRectF(box.left(), box.bottom() + 2, _LOUPE, 16)
        painter.drawText(below, Qt.AlignmentFlag.AlignHCenter, words)


class CornerSheet(QDialog):
    """`taken(corners)`, as text, when they are to be read."""

    taken = Signal(str)

    def __init__(self, parent: QWidget, name: str, pixels: Array, corners: Corners = ()) -> None:
        super().__init__(parent)
        self.setWindowTitle("Sfumato")
        self.resize(900, 640)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 14, 16, 14)
        title = Label(f"Where the nodes lie in {name}")
        title.setFont(strong_font(15))
        column.addWidget(title)
        column.addWidget(
            quiet(
                "Drag each corner to the outer corner of the block of colours, without bars and margin. "
                "1 to 4 choose a corner, arrow keys move it (Shift: ten pixels). "
                "The last pixels are found when it is read."
            )
        )
        self.field = CornerField(pixels, corners)
        column.addWidget(self.field, 1)
        row = QHBoxLayout()
        self._words = Label()
        self._words.setObjectName("corners.words")
        row.addWidget(self._words, 1)
        back = QPushButton("Cancel")
        back.clicked.connect(self.reject)
        row.addWidget(back)
        self.read = QPushButton("Read the nodes")
        self.read.setObjectName("corners.read")
        self.read.setProperty("main", True)
        self.read.setDefault(True)
        self.read.clicked.connect(self._take)
        row.addWidget(self.read)
        column.addLayout(row)
        self._size = (pixels.shape[1], pixels.shape[0])
        self.field.moved.connect(self._check)
        self.field.setFocus()
        self._check()

    def _check(self) -> None:
        try:
            checked(tuple(self.field.corners), self._size)
        except ValueRefused as error:
            self._words.setText(f"{error.sentence()}.")
            self.read.setEnabled(False)
        else:
            self._words.setText("")
            self.read.setEnabled(True)

    def _take(self) -> None:
        self.taken.emit(in_words(tuple(self.field.corners)))
        self.accept()
