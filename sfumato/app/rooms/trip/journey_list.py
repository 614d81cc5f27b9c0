"""The journeys as one list: a little picture of the carrier, where it went, and how it came back."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QPainter, QPen
from PySide6.QtWidgets import (
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QWidget,
)

from sfumato.app.guard import guarded
from sfumato.app.images import image_of
from sfumato.app.labels import set_tip
from sfumato.app.rooms.trip.trip_model import THUMB, TripModel
from sfumato.app.theme import RADIUS, colour, quiet_font
from sfumato.core.study.journey import Journey
from sfumato.core.study.study import Study

Index = QModelIndex | QPersistentModelIndex
_OUT, _BACK, _CLOSED = 100, 290, 360  # degrees of the ring


def moment(when: str) -> str:
    """Say a time of the study: the hour when it is of today, else the day.

    >>> moment("2020-02-03T10:42"), moment("no time")
    ('3 Feb 2020', 'no time')
    """
    try:
        at = datetime.fromisoformat(when)
    except ValueError:
        return when
    if at.date() == datetime.now().astimezone().date():
        return f"{at:%H:%M}"
    return f"{at.day} {at:%b %Y}"


def state_of(journey: Journey) -> tuple[str, str]:
    """Return how a journey stands, in words, and the pigment of that."""
    returns = journey.returns
    if not returns:
        return f"out since {moment(journey.sent)}", "quiet"
    if len(returns) == 1:
        back = returns[0]
        pigment = "cinnabar" if back.fault else "yellow" if back.things else "malachite"
        return f"back: {back.says}", pigment
    failed = sum(bool(r.fault) for r in returns)
    marred = sum(bool(r.things) for r in returns)
    if failed:
        return f"back: {len(returns)}, {failed} without a look", "cinnabar"
    if marred:
        return f"back: {len(returns)}, {marred} with things to know", "yellow"
    return f"back: {len(returns)}, clean", "malachite"


class _Row(QStyledItemDelegate):
    """Paints a journey; the ring at its right closes when something of it is adopted."""

    def __init__(self, model: TripModel, parent: QWidget) -> None:
        super().__init__(parent)
        self._model = model

    @guarded
    def sizeHint(self, _option: QStyleOptionViewItem, _index: Index) -> QSize:
        return QSize(120, 64)

    @guarded
    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        journey: Journey = index.data(Qt.ItemDataRole.UserRole)
        r = QRectF(option.rect).adjusted(2, 1, -2, -1)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour("chosen"))
            painter.drawRoundedRect(r, RADIUS, RADIUS)
            painter.fillRect(QRectF(r.left(), r.top(), 3, r.height()), colour("yellow"))
        self._paint_picture(painter, journey, QRectF(r.left() + 10, r.top() + 9, *THUMB))
        left, room = r.left() + THUMB[0] + 20, r.width() - THUMB[0] - 54
        state, pigment = state_of(journey)
        lines = ((journey.name, "text"), (journey.to, "quiet"), (state, pigment))
        for i, (words, role) in enumerate(lines):
            painter.setFont(option.font if i == 0 else quiet_font())
            painter.setPen(colour(role))
            shown = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(room))
            box = QRectF(left, r.top() + 5 + 18 * i, room, 18)
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, shown)
        self._paint_ring(painter, journey, QRectF(r.right() - 28, r.top() + 22, 16, 16))
        painter.restore()

    def _paint_picture(self, painter: QPainter, journey: Journey, box: QRectF) -> None:
        path = journey.path or next((b.path for b in journey.returns), "")
        pixels = self._model.thumbs.get(path)
        if pixels is None or pixels.shape[0] < 2:
            painter.fillRect(box, colour("window"))
            return
        image = image_of(pixels)
        size = image.size().scaled(*THUMB, Qt.AspectRatioMode.KeepAspectRatio)
        place = QRectF(0, 0, size.width(), size.height())
        place.moveCenter(box.center())
        painter.drawImage(place, image)

    def _paint_ring(self, painter: QPainter, journey: Journey, box: QRectF) -> None:
        role = "malachite" if journey.is_closed else "quiet"
        reach = _CLOSED if journey.is_closed else _BACK if journey.returns else _OUT
        painter.setPen(QPen(colour(role), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawArc(box, 90 * 16, reach * 16)


class JourneyList(QListWidget):
    """`forget_wanted()` on Delete."""

    forget_wanted = Signal()

    def __init__(self, model: TripModel) -> None:
        super().__init__()
        self._model = model
        self._filling = False
        self.setObjectName("trip.journeys")
        set_tip(self, "The carriers that were sent, and what came back of each.")
        self.setAccessibleName("Journeys")
        self.setItemDelegate(_Row(model, self))
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.currentItemChanged.connect(self._on_current)
        model.services.model.changed.connect(self._on_study)
        model.chosen_changed.connect(self._show_chosen)
        model.thumbs_changed.connect(self.viewport().update)
        self._on_study(None, model.study)

    def _on_study(self, before: Study | None, after: Study) -> None:
        if before is not None and before.journeys == after.journeys:
            return
        self._filling = True
        self.clear()
        for journey in after.journeys:
            item = QListWidgetItem()
            item.setData(Qt.ItemDataRole.UserRole, journey)
            said = f"{journey.name}, {journey.to}, {state_of(journey)[0]}"
            item.setData(Qt.ItemDataRole.AccessibleTextRole, said)
            facts = (journey.path, journey.says, f"sent {journey.sent.replace('T', ' ')}")
            set_tip(item, "\n".join(f for f in facts if f and journey.path))
            self.addItem(item)
        self._filling = False
        self._show_chosen()

    def _show_chosen(self) -> None:
        self._filling = True
        for i in range(self.count()):
            if self.item(i).data(Qt.ItemDataRole.UserRole).id == self._model.journey_id:
                self.setCurrentRow(i)
        self._filling = False

    def _on_current(self, item: QListWidgetItem | None, _before: Any) -> None:
        if item is not None and not self._filling:
            self._model.choose(item.data(Qt.ItemDataRole.UserRole).id)

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.forget_wanted.emit()
        else:
            super().keyPressEvent(event)
