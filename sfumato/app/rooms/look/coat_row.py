"""A row of the Ledger: one glaze with its mark, name, smear and Strength."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QFocusEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
)
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QSizePolicy, QWidget

from sfumato.app.controls import smear
from sfumato.app.controls.scrub import ScrubNumber
from sfumato.app.controls.tick import Tick
from sfumato.app.guard import guarded
from sfumato.app.labels import Line, set_tip
from sfumato.app.rooms.look.thread import INDENT
from sfumato.app.theme import RADIUS, colour, focus_ring, strong_font
from sfumato.core.controls import Number
from sfumato.core.path.laying import NORMAL
from sfumato.core.study.coat import Coat, UnknownGlaze

KEYS = (
    ("Enter", "choose the glaze and unfold its controls"),
    ("Space", "switch it on or off"),
    ("Ctrl+click, Ctrl+Space", "mark it beside the chosen one"),
    ("Menu", "all that can be done with it"),
)
STRENGTH = Number(
    title="Strength",
    least=0.0,
    most=200.0,
    step=1.0,
    digits=0,
    unit="%",
    help="How much of it: 0 % nothing, 100 % as set, 200 % twice the change.",
)


_ROOMY = 320  # px of a row in which a whole smear leaves the name enough


class _NameField(QLineEdit):
    """A name typed in place: Enter or leaving keeps it (`ended`), Esc drops it; keys stay inside."""

    ended = Signal(str)

    def __init__(self, name: str, parent: QWidget) -> None:
        super().__init__(name, parent)
        self.setObjectName("rename")
        self.setMaxLength(60)
        self.selectAll()

    def _end(self, keep: bool) -> None:
        if not self.isHidden():
            self.hide()
            self.deleteLater()
            parent = self.parentWidget()
            if parent is not None:
                parent.setFocus()
            if keep:
                self.ended.emit(self.text().strip())

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape):
            event.accept()
            self._end(event.key() != Qt.Key.Key_Escape)
        else:
            super().keyPressEvent(event)

    @guarded
    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self._end(True)


class CoatRow(QWidget):
    """One glaze: on/off, name, smear, Strength."""

    chosen = Signal(str)
    toggled = Signal(str, bool)
    strength_edited = Signal(str, float)
    released = Signal()
    menu_wanted = Signal(str, object)
    dragged = Signal(str, float, bool)
    renamed = Signal(str, str)
    marked = Signal(str)

    def __init__(self, coat: Coat, pigment: str) -> None:
        super().__init__()
        self.coat = coat
        self.pigment = pigment
        self.is_chosen = False
        self.is_marked = False
        self._depth = 0
        self._says = ""
        self.alone = False
        self.sight: object = None  # with which View its words were said last
        self._press: QPointF | None = None
        self._moving = False
        self.setFixedHeight(32)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setObjectName(f"coat.{coat.id}")
        self._row = row = QHBoxLayout(self)
        row.setContentsMargins(INDENT - 4, 0, 6, 0)
        row.setSpacing(4)
        self.mark = Tick()
        self.mark.setObjectName("on")
        set_tip(self.mark, "Switches the glaze on or off.")
        self.mark.clicked.connect(lambda on: self.toggled.emit(self.coat.id, on))
        self.label = Line()
        self.label.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.smear = smear.Smear()
        self.strength = ScrubNumber(STRENGTH, 100.0)
        self.strength.setObjectName("strength")
        self.strength.edited.connect(lambda v: self.strength_edited.emit(self.coat.id, v / 100))
        self.strength.released.connect(self.released)
        row.addWidget(self.mark)
        row.addWidget(self.label, 1)
        row.addWidget(self.smear)
        row.addWidget(self.strength)
        self.show_coat(coat)

    def show_coat(self, coat: Coat, says: str = "") -> None:
        """Show a glaze; `says` is what it does with its values in this study, "" = nothing special."""
        fresh = not self.label.text()
        before, self.coat = (None if fresh else self.coat), coat
        self.strength.show_value(coat.strength * 100)
        if before is not None and (before.on, before.name, before.laying, self._says) == (
            coat.on,
            coat.name,
            coat.laying,
            says,
        ):
            return
        self._says = says
        self.mark.setChecked(coat.on)
        self.mark.setAccessibleName(f"{coat.title} on")
        self._name()
        self.label.setEnabled(coat.on)
        self.label.setStyleSheet("" if coat.on else f"color: {colour('quiet').name()}")
        self.smear.setEnabled(coat.on)
        self.smear.update()
        unknown = isinstance(coat.parameters, UnknownGlaze)
        set_tip(
            self,
            "This version does not know this glaze: it is kept in the study and skipped."
            if unknown
            else "Glazes laid together with one Strength, blend and Reach."
            if coat.is_group
            else says or (coat.spec.help if coat.spec else ""),
        )
        self.setAccessibleDescription(says)
        reach = ", limited by its Reach" if coat.laying.is_limited else ""
        self.setAccessibleName(f"Glaze {coat.title}, {'on' if coat.on else 'off'}{reach}")

    def show_depth(self, depth: int) -> None:
        """Stand further in as a member of a group."""
        if depth != self._depth:
            self._depth = depth
            self._row.setContentsMargins(INDENT - 4 + 16 * depth, 0, 6, 0)

    def show_marked(self, marked: bool) -> None:
        if marked != self.is_marked:
            self.is_marked = marked
            self.update()

    def show_solo(self, alone: bool, hidden: bool) -> None:
        """Show that the glaze is seen alone, or is not seen while another is."""
        self.alone = alone
        self.label.setEnabled(self.coat.on and not hidden)
        quiet = hidden or not self.coat.on
        self.label.setStyleSheet(f"color: {colour('quiet').name()}" if quiet else "")
        self._name()

    def _name(self) -> None:
        coat = self.coat
        signs = ["◐"] if coat.laying.is_limited else []
        signs += [coat.laying.blend] if coat.laying.blend != NORMAL else []
        signs += ["· alone"] if self.alone else []
        self.label.setText(" ".join([coat.title, *signs]))

    def show_chosen(self, chosen: bool) -> None:
        if chosen != self.is_chosen:
            self.is_chosen = chosen
            font = strong_font() if chosen else self.font()
            self.label.setFont(font)
            self.update()

    @guarded
    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.smear.setFixedWidth(smear.WIDTH if self.width() > _ROOMY else smear.NARROW)

    @guarded
    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._press = event.globalPosition()
            self._moving = False

    @guarded
    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._press is None:
            return
        if abs(event.globalPosition().y() - self._press.y()) > 6 or self._moving:
            self._moving = True
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
            self.dragged.emit(self.coat.id, event.globalPosition().y(), False)

    @guarded
    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._press is None:
            return
        self._press = None
        self.unsetCursor()
        if self._moving:
            self.dragged.emit(self.coat.id, event.globalPosition().y(), True)
        elif event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.marked.emit(self.coat.id)
        else:
            self.chosen.emit(self.coat.id)

    def rename(self) -> None:
        """Let the name be typed in its place; Esc leaves it, an empty name is the glaze's own."""
        field = _NameField(self.coat.title, self)
        field.setGeometry(self.label.geometry().adjusted(-4, -2, 90, 2))
        field.setAccessibleName(f"Name of {self.coat.title}")
        field.ended.connect(self._renamed)
        field.show()
        field.setFocus()

    def _renamed(self, name: str) -> None:
        own = "Group" if self.coat.is_group else self.coat.spec.title if self.coat.spec else ""
        self.renamed.emit(self.coat.id, "" if name == own else name)

    @guarded
    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self.label.geometry().contains(event.position().toPoint()):
            self.rename()

    @guarded
    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self.menu_wanted.emit(self.coat.id, event.globalPos())

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        with_control = event.modifiers() & Qt.KeyboardModifier.ControlModifier
        if event.key() == Qt.Key.Key_Space and with_control:
            self.marked.emit(self.coat.id)
        elif event.key() == Qt.Key.Key_Space:
            self.toggled.emit(self.coat.id, not self.coat.on)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.chosen.emit(self.coat.id)
        elif event.key() == Qt.Key.Key_Menu:
            self.menu_wanted.emit(self.coat.id, self.mapToGlobal(self.rect().center()))
        else:
            super().keyPressEvent(event)

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        inset = INDENT - 6 + 16 * self._depth
        box = QRectF(self.rect()).adjusted(inset, 1, -1, -1)
        if self.is_chosen or self.is_marked:
            painter.setPen(QPen(colour("yellow"), 1) if self.is_marked else Qt.PenStyle.NoPen)
            painter.setBrush(colour("raised"))
            painter.drawRoundedRect(box, RADIUS, RADIUS)
        if self._depth:  # the bracket that holds the members of a group together
            painter.setPen(QPen(colour("line"), 2))
            painter.drawLine(QPointF(INDENT + 3, 0), QPointF(INDENT + 3, self.height()))
        focus_ring(self, painter, 1.5)
