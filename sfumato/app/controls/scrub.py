"""A number that is scrubbed, wheeled, stepped by arrow keys, typed as an expression, or reset."""

from __future__ import annotations

import ast
import math
import operator
from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QEnterEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QWheelEvent,
)
from PySide6.QtWidgets import QLineEdit, QWidget

from sfumato.app.guard import guarded
from sfumato.app.labels import set_tip
from sfumato.app.theme import RADIUS, colour, focus_ring
from sfumato.core.controls import Number

KEYS = (
    ("Arrow keys", "one step (Shift coarse, Alt fine)"),
    ("Enter, F2, a digit", "type a number or an expression such as 1/3"),
    ("Delete, Backspace", "the default"),
    ("Esc", "leave what was typed"),
)
_SHOWN = ("%", "×", "°", "stops", "mired", "MB", "kB")  # short enough to stand beside every number
_NOTCH = 120  # eighths of a degree: one of a usual wheel
_OPERATORS: dict[type, Callable[..., float]] = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.Div: operator.truediv,
    ast.USub: operator.neg,
    ast.UAdd: operator.pos,
}


def evaluated(text: str, unit: str = "") -> float | None:
    """Return the value of a typed expression such as `1/3` or `+0.4 stops`, None when it is none."""
    text = text.replace(unit, "").replace("−", "-").replace(",", ".").strip() if unit else text
    text = text.replace("−", "-").replace(",", ".").strip().lstrip("+")

    def value(node: ast.AST) -> float:
        if isinstance(node, ast.Constant) and isinstance(node.value, int | float):
            return float(node.value)
        if isinstance(node, ast.BinOp) and type(node.op) in _OPERATORS:
            return float(_OPERATORS[type(node.op)](value(node.left), value(node.right)))
        if isinstance(node, ast.UnaryOp) and type(node.op) in _OPERATORS:
            return float(_OPERATORS[type(node.op)](value(node.operand)))
        raise ValueError

    try:
        found = value(ast.parse(text[:80], mode="eval").body)
    except (ValueError, SyntaxError, ZeroDivisionError, OverflowError, RecursionError):
        return None
    return found if math.isfinite(found) else None


class ScrubNumber(QWidget):
    """One number of a Number kind. `edited(value)` while it moves, `released()` when the hand lets go."""

    edited = Signal(float)
    released = Signal()

    def __init__(self, kind: Number, default: float, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.kind, self.default = kind, default
        self._value = default
        self._words = ""
        self._press: QPointF | None = None
        self._start = 0.0
        self._turned = 0  # of the wheel, towards the next step of a whole number
        self._moved = False
        self._field: QLineEdit | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.SizeHorCursor)
        self.setFixedHeight(22)
        self.left = False
        self.setAccessibleName(kind.title)
        self._describe()

    @guarded
    def sizeHint(self) -> QSize:
        return QSize(58, 22)

    @guarded
    def minimumSizeHint(self) -> QSize:
        return QSize(48, 22)

    # --- value -----------------------------------------------------------------------------------
    def value(self) -> float:
        return self._value

    def show_value(self, value: float) -> None:
        """Show a value without saying that it was edited."""
        if value != self._value or self._words:
            self._value, self._words = value, ""
            self._describe()
            self.update()

    def show_words(self, words: str) -> None:
        """Show words in the number's place until it is edited or shown: it is not known yet."""
        self._words = words
        self._describe()
        self.update()

    def text(self) -> str:
        if self._words:
            return self._words
        text = (
            f"{self._value:+.{self.kind.digits}f}"
            if self.kind.signed
            else f"{self._value:.{self.kind.digits}f}"
        )
        text = text.replace("-", "−")
        if float(text.replace("−", "-")) == 0:
            text = f"{0:.{self.kind.digits}f}"
        return f"{text} {self.kind.unit}" if self.kind.unit in _SHOWN else text

    def _describe(self) -> None:
        self.setAccessibleDescription(f"{self.text()} {self.kind.unit}".strip())
        limits = f"{self.kind.least:g} to {self.kind.most:g} {self.kind.unit}".strip()
        set_tip(
            self,
            f"{self.kind.title}: {self.kind.help}\n{limits}. Drag, wheel or arrow keys; "
            "Shift coarse, Alt fine; Enter to type; double click for the default.",
        )

    def _set(self, value: float) -> None:
        value = min(max(value, self.kind.least), self.kind.most)
        value = round(value, 0 if self.kind.whole else self.kind.digits + 2)
        if value != self._value:
            self._value, self._words = value, ""
            self._describe()
            self.update()
            self.edited.emit(value)

    def _factor(self, modifiers: Qt.KeyboardModifier) -> float:
        if modifiers & Qt.KeyboardModifier.ShiftModifier:
            return 10.0
        return 0.1 if modifiers & Qt.KeyboardModifier.AltModifier else 1.0

    def _step(self, modifiers: Qt.KeyboardModifier) -> float:
        """Return one step of the wheel or an arrow key: of a whole number a fine one is whole too."""
        step = self.kind.step * self._factor(modifiers)
        return max(step, 1.0) if self.kind.whole else step

    # --- mouse and keys --------------------------------------------------------------------------
    @guarded
    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._press = event.position()
            self._start = self._value
            self._moved = False

    @guarded
    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._press is None:
            return
        dx = event.position().x() - self._press.x()
        if abs(dx) > 2 or self._moved:
            self._moved = True
            self._set(self._start + dx * self.kind.step / 2 * self._factor(event.modifiers()))

    @guarded
    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._press is not None:
            self._press = None
            if self._moved:
                self.released.emit()

    @guarded
    def mouseDoubleClickEvent(self, _event: QMouseEvent) -> None:
        self._press = None
        self._set(self.default)
        self.released.emit()

    @guarded
    def wheelEvent(self, event: QWheelEvent) -> None:
        if not self.hasFocus():
            event.ignore()
            return
        turned = event.angleDelta().y() or event.angleDelta().x()
        if self.kind.whole:  # small turns of one way add up
            turned += self._turned if self._turned * turned > 0 else 0
            self._turned = int(math.fmod(turned, _NOTCH))
            turned -= self._turned
        self._set(self._value + turned / _NOTCH * self._step(event.modifiers()))
        self.released.emit()

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        up = key in (Qt.Key.Key_Up, Qt.Key.Key_Right)
        if up or key in (Qt.Key.Key_Down, Qt.Key.Key_Left):
            step = self._step(event.modifiers())
            self._set(self._value + (step if up else -step))
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_F2):
            self._type("")
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self._set(self.default)
            self.released.emit()
        elif event.text() and event.text() in "0123456789+-.,(":
            self._type(event.text())
        else:
            super().keyPressEvent(event)

    @guarded
    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if not event.isAutoRepeat():
            self.released.emit()
        super().keyReleaseEvent(event)

    def _type(self, first: str) -> None:
        field = QLineEdit(first or f"{self._value:.{self.kind.digits}f}", self)
        field.setObjectName("typed")
        field.setAccessibleName(f"{self.kind.title}, typed")
        field.setAlignment(Qt.AlignmentFlag.AlignRight)
        field.setGeometry(self.rect())
        field.setStyleSheet("padding: 0 3px;")
        if not first:
            field.selectAll()
        field.editingFinished.connect(lambda: self._typed(True))
        field.installEventFilter(self)
        self._field = field
        field.show()
        field.setFocus()

    @guarded
    def eventFilter(self, _watched: QObject, event: QEvent) -> bool:
        if not isinstance(event, QKeyEvent) or event.type() != QEvent.Type.KeyPress:
            return False
        # Taken here: the field would pass Enter on to its parent, which opens it again.
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape):
            self._typed(event.key() != Qt.Key.Key_Escape)
            return True
        return False

    def _typed(self, take: bool) -> None:
        field, self._field = self._field, None
        if field is None:
            return
        value = evaluated(field.text(), self.kind.unit) if take else None
        field.hide()
        field.deleteLater()
        self.setFocus()
        if value is not None:
            self._set(value)
            self.released.emit()

    # --- look ------------------------------------------------------------------------------------
    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.underMouse() and self.isEnabled():
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour("raised"))
            painter.drawRoundedRect(QRectF(self.rect()), RADIUS, RADIUS)
        role = "quiet" if self._value == self.default or not self.isEnabled() else "text"
        painter.setPen(colour(role))
        inner = self.rect().adjusted(4, 0, -4, 0)
        side = Qt.AlignmentFlag.AlignLeft if self.left else Qt.AlignmentFlag.AlignRight
        painter.drawText(inner, side | Qt.AlignmentFlag.AlignVCenter, self.text())
        focus_ring(self, painter)

    @guarded
    def enterEvent(self, _event: QEnterEvent) -> None:
        self.update()

    @guarded
    def leaveEvent(self, _event: QEvent) -> None:
        self.update()


class SlimBar(QWidget):
    """A thin bar under a number: shows where it stands between soft ends, and drags it."""

    def __init__(
        self, number: ScrubNumber, pigment: str = "text", parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._number = number
        self._pigment = pigment
        self._press: tuple[float, float] | None = None
        self._soft = number.kind.soft or (number.kind.least, number.kind.most)
        self.setFixedHeight(14)
        self.setMinimumWidth(40)
        self.setCursor(Qt.CursorShape.SizeHorCursor)
        number.edited.connect(lambda _v: self.update())

    def _share(self, value: float) -> float:
        low, high = self._soft
        return min(max((value - low) / (high - low), 0.0), 1.0)

    @guarded
    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._press = (event.position().x(), self._number.value())
            self._number.setFocus(Qt.FocusReason.MouseFocusReason)

    @guarded
    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._press is None:
            return
        x, start = self._press
        low, high = self._soft
        fine = 0.1 if event.modifiers() & Qt.KeyboardModifier.AltModifier else 1.0
        self._number._set(
            start + (event.position().x() - x) / max(self.width(), 1) * (high - low) * fine
        )

    @guarded
    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        if self._press is not None:
            self._press = None
            self._number.released.emit()

    @guarded
    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self._number.mouseDoubleClickEvent(event)

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        y, w = self.height() / 2, self.width() - 8
        painter.setPen(QPen(colour("line"), 2))
        painter.drawLine(QPointF(4, y), QPointF(4 + w, y))
        home, here = (4 + w * self._share(v) for v in (self._number.default, self._number.value()))
        painter.setPen(QPen(colour(self._pigment), 2))
        painter.drawLine(QPointF(home, y), QPointF(here, y))
        painter.setPen(QPen(colour("line"), 1))
        painter.drawLine(QPointF(home, y - 4), QPointF(home, y + 4))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("text"))
        painter.drawRoundedRect(QRectF(here - 2, y - 5, 4, 10), 1, 1)
