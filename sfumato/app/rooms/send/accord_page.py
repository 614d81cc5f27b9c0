"""Accord: how far the targets' pictures lie from the Look and from one another, and why."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.editor import quiet
from sfumato.app.controls.rows import as_panel
from sfumato.app.controls.table_row import SharingHeader, TableRow
from sfumato.app.guard import guarded
from sfumato.app.images import image_of
from sfumato.app.labels import Label, Line, set_tip
from sfumato.app.rooms.send.accord_map import AccordMap, pigment_of
from sfumato.app.rooms.send.send_model import SendModel
from sfumato.app.theme import RADIUS, colour, quiet_font
from sfumato.app.views.picture_pane import PicturePane
from sfumato.app.views.pictures import heat_of, heat_scale
from sfumato.core.arrays import Array, Rgb
from sfumato.core.colour.encodings import Encoding, convert, encoding
from sfumato.core.lut.difference import delta_e
from sfumato.media.parts.contract import as_float
from sfumato.work.outlets.accord import Accord, Apart, Reason, Spot
from sfumato.work.preview.asks import to_bytes

THE_LOOK = -1  # in the place of the other target: the exact Look
_ROLE = Qt.ItemDataRole.UserRole


class _Reasons(QWidget):
    """Bars: what comes between two pictures, the greatest first."""

    def __init__(self) -> None:
        super().__init__()
        self._rows: tuple[Reason, ...] = ()
        self.setMinimumHeight(96)
        self.setObjectName("send.reasons")

    def show_reasons(self, rows: tuple[Reason, ...]) -> None:
        self._rows = rows[:5]
        said = "; ".join(f"{r.words} {r.mean:.2f} ΔE" for r in self._rows)
        self.setAccessibleName(f"Reasons: {said}" if said else "No reasons are known")
        self.update()

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(quiet_font())
        top = max((r.mean for r in self._rows), default=1.0)
        words = 176.0
        room = max(self.width() - words - 46, 20)
        for i, row in enumerate(self._rows):
            y = 19 * i
            painter.setPen(colour("quiet"))
            shown = painter.fontMetrics().elidedText(
                row.words, Qt.TextElideMode.ElideRight, int(words) - 8
            )
            painter.drawText(QRectF(0, y, words, 19), Qt.AlignmentFlag.AlignVCenter, shown)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour("yellow" if i == 0 else "quiet"))
            length = max(room * row.mean / top, 2)
            painter.drawRoundedRect(QRectF(words, y + 5, length, 9), RADIUS, RADIUS)
            painter.setPen(colour("quiet"))
            box = QRectF(words + length + 6, y, 44, 19)
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, f"{row.mean:.2f}")


class AccordPage(QWidget):
    """`sheet_wanted()`, `json_wanted()`."""

    sheet_wanted = Signal()
    json_wanted = Signal()

    def __init__(self, model: SendModel) -> None:
        super().__init__()
        self._model = model
        self.pair = (0, THE_LOOK)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        upper = QWidget()
        as_panel(upper)
        row = QHBoxLayout(upper)
        row.setContentsMargins(16, 12, 16, 10)
        row.setSpacing(18)
        left = QVBoxLayout()
        title = Line("How far the targets lie from the Look, and from one another")
        title.setProperty("strong", True)
        left.addWidget(title)
        self.map = AccordMap()
        self.map.chosen.connect(self._take)
        left.addWidget(self.map, 1)
        row.addLayout(left, 6)
        row.addLayout(self._make_right(), 7)
        column.addWidget(upper, 3)
        column.addWidget(self._make_pictures(), 2)
        model.accord_changed.connect(self.refresh)
        model.page_changed.connect(self.refresh)
        model.services.desk.screen_changed.connect(self.refresh)
        self.refresh()

    def _make_right(self) -> QVBoxLayout:
        right = QVBoxLayout()
        self.table = QTableWidget(0, 5)
        self.table.setObjectName("send.accord")
        self.table.setAccessibleName("Targets: ΔE from the Look")
        self.table.setHorizontalHeaderLabels(("Target", "read by", "mean", "99 %", "worst"))
        self.table.setItemDelegate(TableRow(self.table))
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(24)
        self.table.setShowGrid(False)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self._head = SharingHeader(self.table, (1, 0))
        set_tip(self.table, "Choose two (Ctrl) to see how they differ from one another.")
        self.table.itemSelectionChanged.connect(self._on_selection)
        right.addWidget(self.table, 1)
        line = QHBoxLayout()
        self.between = Line()
        self.between.setProperty("strong", True)
        self.between.setObjectName("send.between")
        line.addWidget(self.between, 1)
        self.figures = Label()
        self.figures.setObjectName("send.figures")
        line.addWidget(self.figures)
        right.addLayout(line)
        self.reasons = _Reasons()
        right.addWidget(self.reasons)
        return right

    def _make_pictures(self) -> QWidget:
        lower = QWidget()
        as_panel(lower)
        column = QVBoxLayout(lower)
        column.setContentsMargins(16, 10, 16, 10)
        row = QHBoxLayout()
        row.setSpacing(10)
        self.panes = [PicturePane("A"), PicturePane("B"), PicturePane("Difference")]
        for pane in self.panes:
            row.addWidget(pane, 1)
        column.addLayout(row, 1)
        foot = QHBoxLayout()
        self.worst = _Swatches()
        foot.addWidget(self.worst, 1)
        for words, name, signal in (
            ("Sheet…", "send.sheet", self.sheet_wanted),
            ("JSON…", "send.json", self.json_wanted),
        ):
            button = QPushButton(words)
            button.setObjectName(name)
            button.setProperty("flat", True)
            button.clicked.connect(signal)
            foot.addWidget(button)
        column.addLayout(foot)
        self.state = quiet("")
        self.state.setWordWrap(True)
        self.state.setObjectName("send.accord.state")
        column.addWidget(self.state)
        return lower

    # --- what is chosen --------------------------------------------------------------------------
    def _take(self, place: int) -> None:
        """Choose a target on the map: with the one before it when that was one of a pair."""
        one, two = self.pair
        self.show_pair(place, one if two != THE_LOOK and place != one else THE_LOOK)

    def _on_selection(self) -> None:
        rows = sorted({i.row() for i in self.table.selectedIndexes()})
        if not rows:
            return
        current = self.table.currentRow()
        if current in rows and len(rows) > 1:
            other = next(r for r in reversed(rows) if r != current)
            self.show_pair(current, other)
        else:
            self.show_pair(rows[0], THE_LOOK)

    def show_pair(self, one: int, two: int) -> None:
        """Show a target beside the exact Look (`THE_LOOK`), or beside another."""
        if (one, two) == self.pair and self.table.selectedIndexes():
            return
        self.pair = (one, two)
        self._show()

    # --- what is shown ---------------------------------------------------------------------------
    def refresh(self) -> None:
        found = self._model.accord
        targets = found.targets if found is not None else ()
        if not 0 <= self.pair[0] < len(targets) or self.pair[1] >= len(targets):
            self.pair = (0, THE_LOOK)
        self.table.blockSignals(True)
        self.table.setRowCount(len(targets))
        for i, target in enumerate(targets):
            d = target.from_look
            unit = " ITP" if d.in_itp else ""
            cells = (
                (target.outlet.title, "text"),
                (target.engine.partition(" · ")[0], "quiet"),
                (f"{d.mean:.2f}{unit}", pigment_of(d.mean)),
                (f"{d.p99:.2f}", "text"),
                (f"{d.worst:.2f}", "text"),
            )
            for c, (words, pigment) in enumerate(cells):
                item = QTableWidgetItem(words)
                item.setForeground(colour(pigment))
                item.setData(_ROLE, i)
                if c >= 2:
                    item.setTextAlignment(
                        Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
                    )
                set_tip(item, target.engine)
                self.table.setItem(i, c, item)
        self._head.share()
        self.table.blockSignals(False)
        self._show()

    def _show(self) -> None:
        found = self._model.accord
        self.map.show_accord(found, self.pair)
        self._say(found)
        if found is None or not found.targets:
            for pane, words in zip(self.panes, ("A", "B", "Difference"), strict=True):
                pane.show_picture(words, None, None)
            self.between.setText("")
            self.figures.setText("")
            self.reasons.show_reasons(())
            self.worst.show_spot(Spot(), ())
            return
        self._select()
        one, two = self.pair
        first = found.targets[one]
        if two == THE_LOOK:
            name, apart, spot, reasons = found.look, first.from_look, first.worst, first.reasons
            other, display = found.exact, first.display
        else:
            second = found.targets[two]
            name, apart = second.outlet.title, found.pair(one, two)
            spot, reasons = found.spot(one, two), found.reasons(one, two)
            other, display = second.seen, second.display
        self.between.setText(
            f"{first.outlet.title} against {'the Look' if two == THE_LOOK else name}"
        )
        self.figures.setText(_figures(apart))
        self.reasons.show_reasons(reasons)
        names = (first.outlet.title, "the Look, exactly" if two == THE_LOOK else name)
        self._paint(found, (first.seen, other), (first.display, display), names, spot)
        self.worst.show_spot(spot, names if two != THE_LOOK else (names[1], names[0]))

    def _select(self) -> None:
        wanted = {p for p in self.pair if p != THE_LOOK}
        if {i.row() for i in self.table.selectedIndexes()} == wanted:
            return
        self.table.blockSignals(True)
        self.table.clearSelection()
        mode = self.table.selectionMode()
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.MultiSelection)
        for place in wanted:
            self.table.selectRow(place)
        self.table.setSelectionMode(mode)
        self.table.blockSignals(False)

    def _paint(
        self,
        found: Accord,
        seen: tuple[Rgb, Rgb],
        displays: tuple[str, str],
        names: tuple[str, str],
        spot: Spot,
    ) -> None:
        """Show the shot in which the two lie farthest apart, and the difference."""
        if not found.shots:
            return
        place = found.shots.index(spot.shot) if spot.shot in found.shots else 0
        both = [found.pictures(s)[place] for s in seen]
        codes = [in_codes(p, d) for p, d in zip(both, displays, strict=True)]
        height, width = both[0].shape[:2]
        ring = int(spot.x * width), int(spot.y * height)
        for pane, letter, name, (pixels, display) in zip(
            self.panes, "AB", names, codes, strict=False
        ):
            image = image_of(self._model.services.seen(pixels, display))
            pane.show_picture(f"{letter}  {name}", image, ring)
        away = apart(*codes)
        top = heat_scale(float(away.max()))
        self.panes[2].show_picture(
            f"Difference on {spot.shot}", image_of(heat_of(away, top)), ring, top
        )

    def _say(self, found: Accord | None) -> None:
        if self._model.is_comparing:
            words = "Reading the files as each target reads them …"
        elif not self._model.study.outlets:
            words = "Add outlets: Accord compares the pictures that they make of the Look."
        elif found is None:
            words = "Tick two outlets or more."
        else:
            real = sum(t.is_real for t in found.targets)
            words = f"{len(found.targets)} targets on {len(found.shots)} shots"
            words += f" · {real} read by an engine that is not ours"
            if len(found.targets) > real:
                words += f" · {len(found.targets) - real} simulated"
            bright = [t for t in found.targets if t.beyond > 0.001]
            if bright:
                share, title = 100 * bright[0].beyond, bright[0].outlet.title
                words += f" · {share:.0f} % of {title} is brighter than white elsewhere"
            if found.failed:
                failed = found.failed[0]
                words += f" · {failed.outlet.title}: {failed.fault}"
        self.state.setText(words)


class _Swatches(QWidget):
    """The worst colour: its name and place, and a patch of each picture."""

    def __init__(self) -> None:
        super().__init__()
        self._spot, self._names = Spot(), tuple[str, ...]()
        self.setFixedHeight(24)
        self.setObjectName("send.worst")

    def show_spot(self, spot: Spot, names: tuple[str, ...]) -> None:
        self._spot, self._names = spot, names
        self.setAccessibleName(self.words)
        self.update()

    @property
    def words(self) -> str:
        spot = self._spot
        if not spot.name:
            return ""
        return f"Farthest apart: {spot.name}" + (f" in {spot.shot}" if spot.shot else "")

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(colour("text"))
        painter.drawText(QRectF(self.rect()), Qt.AlignmentFlag.AlignVCenter, self.words)
        x = painter.fontMetrics().horizontalAdvance(self.words) + 20.0
        painter.setFont(quiet_font())
        for rgb, name in zip(self._spot.colours, self._names, strict=False):
            painter.fillRect(QRectF(x, 4, 16, 16), _colour(rgb))
            painter.setPen(colour("quiet"))
            painter.drawText(QRectF(x + 22, 0, 170, 24), Qt.AlignmentFlag.AlignVCenter, name)
            x += painter.fontMetrics().horizontalAdvance(name) + 44


def _colour(rgb: tuple[float, ...]) -> QColor:
    return QColor.fromRgbF(*(min(max(v, 0.0), 1.0) for v in rgb))


def _figures(apart: Apart) -> str:
    unit = "ΔE ITP" if apart.in_itp else "ΔE"
    return f"{apart.mean:.2f}    {apart.p99:.2f}    {apart.worst:.2f} {unit}"


Codes = tuple[Array, Encoding]  # uint8 (h, w, 3), and what they are of


def in_codes(picture: Rgb, display: str) -> Codes:
    """Return display codes in 8 bit and what they are of; those of wide displays below white, in sRGB."""
    if encoding(display).is_wide:
        picture, display = np.asarray(convert(picture, display, "sRGB"), np.float32), "sRGB"
    return to_bytes(picture), encoding(display)


def apart(one: Codes, two: Codes) -> Array:
    """Return how far two pictures lie apart, CIEDE2000 (h, w); of two displays, as if both were for sRGB."""
    display = one[1] if one[1] == two[1] else encoding("sRGB")
    return delta_e(as_float(one[0]), as_float(two[0]), display)
