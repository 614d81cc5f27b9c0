"""The left side of the Convert room: the files, and what is done to them first."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import attrs
from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QPainter
from PySide6.QtWidgets import (
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.chooser import Chooser
from sfumato.app.controls.guide_button import GuideButton
from sfumato.app.controls.rows import as_panel
from sfumato.app.controls.scrub import ScrubNumber
from sfumato.app.controls.tick import Tick
from sfumato.app.guard import guarded
from sfumato.app.labels import Label, set_help, set_tip
from sfumato.app.rooms.convert.convert_model import Bench, ConvertModel
from sfumato.app.theme import RADIUS, colour, quiet_font
from sfumato.core.controls import Number
from sfumato.work.luts.batch import ALONE, BLEND, CHAIN, RANGES

_PARTS = {
    "": "everything",
    "tone": "tone only (1D)",
    "colour": "colour only (3D)",
    "tone and colour": "tone and colour, two files",
    "curves": "what greys do (1D)",
}
_RANGES = {"": "as it is", **{k: words for k, (words, _run) in RANGES.items()}}
_TOGETHER = {ALONE: "each by itself", CHAIN: "chain, in this order", BLEND: "blend the two"}
_STRENGTH = Number(
    title="Strength",
    help="How much of the LUT: 0 % does nothing, 200 % twice as much.",
    least=0,
    most=200,
    step=1,
    digits=0,
    unit="%",
)
_SHARE = attrs.evolve(
    _STRENGTH, title="Share of the second", help="How much of the second LUT in a blend.", most=100
)


Index = QModelIndex | QPersistentModelIndex


class _Row(QStyledItemDelegate):
    """Paints a file: name, facts, and the verdict at the right."""

    def __init__(self, model: ConvertModel, parent: QWidget) -> None:
        super().__init__(parent)
        self._model = model

    @guarded
    def sizeHint(self, _option: QStyleOptionViewItem, _index: Index) -> QSize:
        return QSize(120, 48)

    @guarded
    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        entry = index.data(Qt.ItemDataRole.UserRole)
        seen = self._model.of(entry)
        r = QRectF(option.rect).adjusted(2, 1, -2, -1)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        if chosen:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour("chosen"))
            painter.drawRoundedRect(r, RADIUS, RADIUS)
            painter.fillRect(QRectF(r.left(), r.top(), 3, r.height()), colour("yellow"))
        refused = seen.error is not None
        painter.setPen(colour("quiet" if refused else "text"))
        left = r.left() + 12
        metrics = option.fontMetrics
        name = metrics.elidedText(
            entry.path.name, Qt.TextElideMode.ElideMiddle, int(r.width() - 24)
        )
        painter.drawText(
            QRectF(left, r.top() + 5, r.width() - 20, 18), Qt.AlignmentFlag.AlignVCenter, name
        )
        painter.setFont(quiet_font())
        word, pigment = seen.state
        small = painter.fontMetrics()
        width = small.horizontalAdvance(word) + 4
        painter.setPen(colour(pigment))
        right = QRectF(r.right() - width - 8, r.top() + 24, width, 16)
        painter.drawText(right, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, word)
        painter.setPen(colour("quiet"))
        room = right.left() - left - 8
        facts = small.elidedText(seen.facts, Qt.TextElideMode.ElideRight, int(room))
        painter.drawText(QRectF(left, r.top() + 24, room, 16), Qt.AlignmentFlag.AlignVCenter, facts)
        painter.restore()


class _Files(QListWidget):
    """The list; Delete takes the chosen file out, Alt with arrows moves it."""

    remove_wanted = Signal()
    move_wanted = Signal(int)

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        alt = event.modifiers() & Qt.KeyboardModifier.AltModifier
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.remove_wanted.emit()
        elif alt and event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.move_wanted.emit(-1 if event.key() == Qt.Key.Key_Up else 1)
        else:
            super().keyPressEvent(event)


class LutList(QWidget):
    """`add_wanted()` asks for files."""

    add_wanted = Signal()
    folder_wanted = Signal()
    demo_wanted = Signal()

    def __init__(self, model: ConvertModel) -> None:
        super().__init__()
        self._model = model
        self._filling = False
        self._lines: dict[str, QWidget] = {}  # what stands beside a title, by the recipe's field
        as_panel(self)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 12, 10, 12)
        column.setSpacing(6)
        head = QHBoxLayout()
        title = Label("Files in")
        title.setProperty("strong", True)
        head.addWidget(title)
        self._count = Label()
        self._count.setProperty("quiet", True)
        head.addWidget(self._count)
        head.addStretch(1)
        for text, name, then, tip in (
            ("Add…", "luts.add", self.add_wanted.emit, "LUT files to convert or examine."),
            ("Folder…", "luts.folder", self.folder_wanted.emit, "All LUT files of a folder."),
            ("Clear", "luts.clear", self._clear, "Empties the list; no file is touched."),
        ):
            button = QPushButton(text)
            button.setObjectName(name)
            set_tip(button, tip)
            button.setProperty("flat", True)
            button.clicked.connect(then)
            head.addWidget(button)
        column.addLayout(head)
        self.files = _Files()
        self.files.setObjectName("luts")
        self.files.setAccessibleName("Files in")
        set_help(
            self.files,
            "The files to convert, with what was found in them; the chosen one is examined.",
        )
        self.files.setItemDelegate(_Row(model, self.files))
        self.files.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.files.currentItemChanged.connect(self._on_current)
        self.files.remove_wanted.connect(self._remove)
        self.files.move_wanted.connect(self._move)
        column.addWidget(self.files, 1)
        self._empty = QWidget()
        hint = QVBoxLayout(self._empty)
        hint.setContentsMargins(0, 0, 0, 0)
        words = Label(
            "Drop LUT files or folders here: cube, 3dl, HALD and strip pictures, csp, spi, CLF, CDL, "
            "ICC, KTX2, npy; presets and studies, too. Each is examined, and can be repaired and converted."
        )
        words.setWordWrap(True)
        words.setProperty("quiet", True)
        hint.addWidget(words)
        demo = QPushButton("Try the demo's LUT files")
        demo.setObjectName("luts.demo")
        set_tip(demo, "Takes in files of the demo, some of them with faults.")
        demo.setProperty("dashed", True)
        demo.clicked.connect(self.demo_wanted)
        hint.addWidget(demo)
        hint.addWidget(GuideButton("Formats and their traps"))
        column.addWidget(self._empty)
        self._space = QWidget()
        column.addWidget(self._space, 1)
        self._works = QWidget()
        outer, column = column, QVBoxLayout(self._works)
        column.setContentsMargins(0, 8, 0, 0)
        column.setSpacing(4)
        outer.addWidget(self._works)
        works = Label("Work on them first")
        works.setProperty("strong", True)
        column.addWidget(works)
        self.together = self._chooser(column, "Files", "together", _TOGETHER)
        self.share = self._number(column, "Second", _SHARE, 50, "share")
        self.strength = self._number(column, "Strength", _STRENGTH, 100, "strength")
        self.range = self._chooser(column, "Range", "range", _RANGES)
        self.part = self._chooser(column, "Keep", "part", _PARTS)
        set_tip(self.together, "Each file for itself, or all as one: a chain, or a mixture of two.")
        set_tip(self.range, "Makes a LUT take or give full range, or legal range.")
        set_tip(self.part, "All of a LUT, its tone or its colour alone, or its curves.")
        marks = QHBoxLayout()
        self.invert = Tick("Invert")
        self.limit = Tick("Limit to 0..1")
        for mark, name in ((self.invert, "invert"), (self.limit, "limit")):
            mark.setObjectName(f"work.{name}")
            mark.clicked.connect(lambda on, n=name: self._recipe(n, on))
            marks.addWidget(mark)
        set_tip(self.invert, "Write the LUT that undoes each: the map says where none can.")
        set_tip(self.limit, "Clip results below 0 and above 1.")
        marks.addStretch(1)
        column.addLayout(marks)
        model.changed.connect(lambda _b, _a: self.refresh())
        model.chosen_changed.connect(self._show_chosen)
        model.examined.connect(lambda _p: self.files.viewport().update())
        self.refresh()

    def _line(self, column: QVBoxLayout, title: str, widget: QWidget) -> QWidget:
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(0, 0, 0, 0)
        label = Label(title)
        label.setFixedWidth(62)
        label.setBuddy(widget)
        row.addWidget(label)
        row.addWidget(widget)
        row.addStretch(1)
        column.addWidget(holder)
        return holder

    def _chooser(
        self, column: QVBoxLayout, title: str, name: str, choices: dict[str, str]
    ) -> Chooser:
        box = Chooser()
        box.setObjectName(f"work.{name}")
        box.setAccessibleName(title)
        for key, words in choices.items():
            box.addItem(words, key)
        box.activated.connect(lambda _i: self._recipe(name, box.currentData()))
        self._line(column, title, box)
        return box

    def _number(
        self, column: QVBoxLayout, title: str, kind: Number, usual: float, name: str
    ) -> ScrubNumber:
        number = ScrubNumber(kind, usual)
        number.setObjectName(f"work.{name}")
        number.left = True
        number.released.connect(lambda: self._recipe(name, number.value() / 100))
        self._lines[name] = self._line(column, title, number)
        return number

    def _recipe(self, field: str, value: Any) -> None:
        bench = self._model.bench
        recipe = attrs.evolve(bench.recipe, **{field: value})
        self._model.commit(field.capitalize(), attrs.evolve(bench, recipe=recipe))

    # --- the list --------------------------------------------------------------------------------
    def refresh(self) -> None:
        bench: Bench = self._model.bench
        shown = [
            self.files.item(i).data(Qt.ItemDataRole.UserRole) for i in range(self.files.count())
        ]
        if shown != list(bench.entries):
            self._filling = True
            self.files.clear()
            for entry in bench.entries:
                item = QListWidgetItem()
                item.setData(Qt.ItemDataRole.UserRole, entry)
                item.setData(Qt.ItemDataRole.AccessibleTextRole, entry.path.name)
                set_tip(item, str(entry.path))
                self.files.addItem(item)
            self._filling = False
            self._show_chosen()
        count = len(bench.entries)
        self._count.setText(str(count) if count else "")
        self._empty.setVisible(not count)
        self._space.setVisible(not count)
        self._works.setVisible(bool(count))
        self.files.setVisible(bool(count))
        recipe = bench.recipe
        for box, value in (
            (self.together, recipe.together),
            (self.range, recipe.range),
            (self.part, recipe.part),
        ):
            box.setCurrentIndex(box.findData(value))
        self.strength.show_value(recipe.strength * 100)
        self.share.show_value(recipe.share * 100)
        self._lines["share"].setVisible(recipe.together == BLEND)
        self.invert.setChecked(recipe.invert)
        self.limit.setChecked(recipe.limit)

    def _show_chosen(self) -> None:
        self._filling = True
        for i in range(self.files.count()):
            if self.files.item(i).data(Qt.ItemDataRole.UserRole).path == self._model.chosen:
                self.files.setCurrentRow(i)
        self._filling = False

    def _on_current(self, item: QListWidgetItem | None, _before: Any) -> None:
        if item is not None and not self._filling:
            self._model.choose(item.data(Qt.ItemDataRole.UserRole).path)

    def _edited(self, title: str, change: Callable[[list[Any]], None]) -> None:
        bench = self._model.bench
        entries = list(bench.entries)
        change(entries)
        self._model.commit(title, attrs.evolve(bench, entries=tuple(entries)))

    def _clear(self) -> None:
        self._edited("Clear the list", lambda entries: entries.clear())

    def _remove(self) -> None:
        path: Path | None = self._model.chosen
        paths = [e.path for e in self._model.bench.entries]
        if path in paths:
            place = paths.index(path)
            rest = paths[:place] + paths[place + 1 :]
            self._model.chosen = rest[min(place, len(rest) - 1)] if rest else None
            self._edited(f"Take out {path.name}", lambda entries: entries.pop(place))
            self._model.chosen_changed.emit()

    def _move(self, step: int) -> None:
        paths = [e.path for e in self._model.bench.entries]
        if self._model.chosen not in paths:
            return
        place = paths.index(self._model.chosen)
        other = place + step
        if 0 <= other < len(paths):

            def swap(entries: list[Any]) -> None:
                entries[place], entries[other] = entries[other], entries[place]

            self._edited("Move a file", swap)
