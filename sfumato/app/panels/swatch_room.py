"""The Swatchbook: folders and filters on the left, the wall, and the chosen look on the right."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QImage
from PySide6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPlainTextEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.editor import Chooser, painted, quiet
from sfumato.app.controls.mark import Mark
from sfumato.app.controls.scrub import ScrubNumber, SlimBar
from sfumato.app.images import image_of
from sfumato.app.model.swatch_model import ALL, KEPT_ONES, NAME, SHOTS, SwatchModel
from sfumato.app.theme import strong_font
from sfumato.app.views.easel import Easel
from sfumato.app.views.wall import Tile, WallView
from sfumato.core.controls import Number
from sfumato.core.encodings import encodings
from sfumato.core.swatch import ORDERS
from sfumato.work.frames import WHOLE
from sfumato.work.swatches import KEPT, PASSED, Swatch

_ROLE = Qt.ItemDataRole.UserRole
_AS_IT_LOOKS = "as it says or looks"
STRENGTH = Number(
    title="Strength", least=0, most=200, step=1, digits=0, unit="%", help="How much of the look."
)
MIX = Number(
    title="Mix",
    least=0,
    most=100,
    step=1,
    digits=0,
    unit="%",
    help="How much of the look on side A is in the mix.",
)
FILTERS = {
    "log": ("made for log", "Looks that expect log footage."),
    "display": ("made for display", "Looks that expect pictures for a display."),
    "kept_only": ("kept only", "Only those that you keep."),
    "noted_only": ("with notes", "Only those that you have noted something on."),
    "hide_passed": ("without those passed", "Not those that you pass."),
}


class _Sight:
    """What the room's Easel is given: two pictures of one size."""

    class _Ask:
        region = WHOLE

    ask = _Ask()
    delta = outside = None

    def __init__(self, a: Any, b: Any) -> None:
        self.a, self.b = a, b
        self.on_screen = (a, b)


def _by(value: float, more: str, less: str, same: str) -> str:
    """Say by how much a look is more or less of something."""
    number = f"{abs(value):.1f}"
    return same if number == "0.0" else f"{more if value > 0 else less} by {number}"


class SwatchRoom(QWidget):
    """`put_wanted()`, `folder_wanted()`, and what else needs a question or a file."""

    put_wanted = Signal()
    folder_wanted = Signal()
    shipped_wanted = Signal()
    folder_dropped = Signal(str)
    save_wanted = Signal()
    sheet_wanted = Signal()
    convert_wanted = Signal()
    rename_wanted = Signal()
    move_wanted = Signal()
    trash_wanted = Signal()
    reveal_wanted = Signal()
    menu_wanted = Signal(object)

    def __init__(self, model: SwatchModel) -> None:
        super().__init__()
        self._model = model
        self._images: dict[str, QImage] = {}
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        row.addWidget(self._make_left())
        row.addWidget(self._make_middle(), 1)
        row.addWidget(self._make_right())
        model.changed.connect(self._on_changed)
        model.tiles_changed.connect(self._on_tiles)
        model.chosen_changed.connect(self._show_chosen)
        model.seen.connect(self._on_seen)
        self._on_changed()
        self._show_chosen()

    def _panel(self, width: int) -> tuple[QWidget, QVBoxLayout]:
        panel = QWidget()
        panel.setObjectName("panel")
        panel.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        panel.setFixedWidth(width)
        column = QVBoxLayout(panel)
        column.setContentsMargins(14, 14, 14, 12)
        column.setSpacing(6)
        return panel, column

    @staticmethod
    def _heading(words: str) -> QLabel:
        label = QLabel(words)
        label.setProperty("strong", True)
        return label

    # --- left --------------------------------------------------------------------------------------
    def _make_left(self) -> QWidget:
        panel, column = self._panel(226)
        column.addWidget(self._heading("Folders"))
        self.folders = QListWidget()
        self.folders.setObjectName("swatch.folders")
        self.folders.setAccessibleName("Folders")
        self.folders.setMaximumHeight(150)
        self.folders.currentItemChanged.connect(self._on_folder)
        column.addWidget(self.folders)
        line = QHBoxLayout()
        for text, name, run in (
            ("Add a folder…", "add_folder", self.folder_wanted.emit),
            (
                "Take it out",
                "drop_folder",
                lambda: self.folder_dropped.emit(self._model.wall.folder),
            ),
        ):
            button = QPushButton(text)
            button.setObjectName(f"swatch.{name}")
            button.setProperty("flat", True)
            button.clicked.connect(run)
            line.addWidget(button)
        column.addLayout(line)
        column.addSpacing(6)
        column.addWidget(self._heading("Show"))
        self.filters: dict[str, Mark] = {}
        for name, (words, tip) in FILTERS.items():
            mark = Mark(words)
            mark.setObjectName(f"swatch.{name}")
            mark.setToolTip(tip)
            mark.clicked.connect(lambda on, n=name: self._model.show(**{n: on}))
            self.filters[name] = mark
            column.addWidget(mark)
        column.addSpacing(6)
        column.addWidget(self._heading("Order"))
        self.order = Chooser()
        self.order.setObjectName("swatch.order")
        self.order.setAccessibleName("Order")
        self.order.addItem("by name", NAME)
        for key, (words, _rank) in ORDERS.items():
            self.order.addItem(f"{key}: {words}", key)
        self.order.activated.connect(lambda _i: self._model.show(order=self.order.currentData()))
        column.addWidget(self.order)
        self.convert = Mark("as converted")
        self.convert.setObjectName("swatch.convert")
        self.convert.setToolTip(
            "Show looks that expect something else as they would be once converted to this study."
        )
        self.convert.clicked.connect(lambda on: self._model.show(convert=on))
        column.addSpacing(6)
        column.addWidget(self.convert)
        self.search = QLineEdit()
        self.search.setObjectName("swatch.search")
        self.search.setPlaceholderText("Search")
        self.search.setAccessibleName("Search looks")
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(lambda t: self._model.show(search=t))
        column.addSpacing(6)
        column.addWidget(self.search)
        column.addStretch(1)
        self.state = quiet("")
        self.state.setObjectName("swatch.state")
        column.addWidget(self.state)
        return panel

    def _on_folder(self, item: QListWidgetItem | None, _before: Any) -> None:
        if item is not None:
            self._model.show(folder=item.data(_ROLE))

    # --- middle ------------------------------------------------------------------------------------
    def _make_middle(self) -> QWidget:
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        head = QWidget()
        head.setObjectName("panel")
        head.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        head.setFixedHeight(40)
        row = QHBoxLayout(head)
        row.setContentsMargins(14, 0, 10, 0)
        self.title = self._heading("")
        row.addWidget(self.title, 1)
        self.on_tiles = Chooser()
        self.on_tiles.setObjectName("swatch.shots")
        self.on_tiles.setAccessibleName("Shots on the tiles")
        self.on_tiles.setToolTip("Which shots the tiles show; marks are set on the shots strip")
        self.on_tiles.addItems(SHOTS)
        self.on_tiles.textActivated.connect(lambda which: self._model.show(shots=which))
        row.addWidget(self.on_tiles)
        sheet = QPushButton("Contact sheet…")
        sheet.setObjectName("swatch.sheet")
        sheet.setProperty("flat", True)
        sheet.clicked.connect(self.sheet_wanted)
        row.addWidget(sheet)
        column.addWidget(head)
        self.wall = WallView()
        self.wall.setObjectName("swatch.wall")
        self.wall.chosen.connect(self._choose)
        self.wall.activated.connect(lambda _k: self.put_wanted.emit())
        self.wall.strength_moved.connect(self._move_strength)
        self.wall.key_pressed.connect(self._on_key)
        self.wall.menu_wanted.connect(lambda _k, at: self.menu_wanted.emit(at))
        self.wall.near_changed.connect(self._on_near)
        column.addWidget(self.wall, 1)
        self.empty = QWidget()
        line = QHBoxLayout(self.empty)
        line.setContentsMargins(14, 0, 14, 24)
        line.addStretch(1)
        add = QPushButton("Add a folder…")
        add.setObjectName("swatch.first_folder")
        add.setProperty("main", True)
        add.clicked.connect(self.folder_wanted)
        shipped = QPushButton("Show the looks that come with Sfumato")
        shipped.setObjectName("swatch.shipped")
        shipped.clicked.connect(self.shipped_wanted)
        line.addWidget(add)
        line.addWidget(shipped)
        line.addStretch(1)
        column.addWidget(self.empty)
        return middle

    def _swatch(self, key: str) -> Swatch | None:
        return next((s for s in self._model.visible if s.key == key), None)

    def _choose(self, key: str) -> None:
        self._model.choose(self._swatch(key))

    def _move_strength(self, key: str, strength: float) -> None:
        swatch = self._swatch(key)
        if swatch is not None:
            self._model.set_strength(swatch, strength)

    def _on_key(self, what: str) -> None:
        run = {
            "keep": lambda: self._model.toggle_mark(KEPT),
            "pass": lambda: self._model.toggle_mark(PASSED),
            "hold": self._model.hold,
            "rename": self.rename_wanted.emit,
            "trash": self.trash_wanted.emit,
        }[what]
        run()

    def _on_near(self, keys: list[str]) -> None:
        by_key = {s.key: s for s in self._model.visible}
        self._model.show_near([by_key[k] for k in keys if k in by_key])

    # --- right -------------------------------------------------------------------------------------
    def _make_right(self) -> QWidget:
        panel, whole = self._panel(316)
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 4, 0)
        column.setSpacing(6)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setFrameShape(QScrollArea.Shape.NoFrame)
        area.setWidget(inner)
        whole.addWidget(area, 1)
        self.name = QLabel()
        self.name.setFont(strong_font(15))
        self.name.setObjectName("swatch.name")
        self.name.setWordWrap(True)
        column.addWidget(self.name)
        self.easel = Easel()
        self.easel.setObjectName("swatch.easel")
        self.easel.setMinimumSize(270, 160)
        self.easel.setFixedHeight(176)
        self.easel.mode = "split"
        self.easel.mount = "dark"
        column.addWidget(self.easel)
        line = QHBoxLayout()
        self.side_a = quiet("A the shot")
        self.side_a.setObjectName("swatch.side_a")
        self.side_b = quiet("")
        self.side_b.setAlignment(Qt.AlignmentFlag.AlignRight)
        line.addWidget(self.side_a, 1)
        line.addWidget(self.side_b, 1)
        column.addLayout(line)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        self.strength = ScrubNumber(STRENGTH, 100)
        self.strength.setObjectName("swatch.strength")
        self.strength.edited.connect(self._edit_strength)
        self.mix = ScrubNumber(MIX, 0)
        self.mix.setObjectName("swatch.mix")
        self.mix.edited.connect(lambda v: self._model.set_share(v / 100))
        self._mix_label = QLabel("Mix with A")
        for i, (label, number) in enumerate(
            ((QLabel("Strength"), self.strength), (self._mix_label, self.mix))
        ):
            label.setFixedWidth(76)
            number.setFixedWidth(62)
            grid.addWidget(label, i, 0)
            grid.addWidget(SlimBar(number), i, 1)
            grid.addWidget(number, i, 2)
        column.addLayout(grid)
        line = QHBoxLayout()
        self.hold = QPushButton("Hold on A")
        self.hold.setObjectName("swatch.hold")
        self.hold.setToolTip("Keep this look on side A, to compare others with it or to mix them.")
        self.hold.clicked.connect(self._model.hold)
        self.save = QPushButton("Save as a LUT…")
        self.save.setObjectName("swatch.save")
        self.save.setToolTip("Write what side B shows, a mix or a stack, as a LUT of its own.")
        self.save.clicked.connect(self.save_wanted)
        line.addWidget(self.hold)
        line.addWidget(self.save)
        column.addLayout(line)
        self.stack = QListWidget()
        self.stack.setObjectName("swatch.stack")
        self.stack.setAccessibleName("Stack")
        self.stack.setMaximumHeight(74)
        self.stack.setToolTip("Several looks one after the other; side B shows them all.")
        column.addWidget(self.stack)
        line = QHBoxLayout()
        for text, name, run, tip in (
            ("Stack it", "stack_add", self._model.add_to_stack, "Put this look on the stack."),
            ("▲", "stack_up", lambda: self._shift(-1), "One place earlier"),
            ("▼", "stack_down", lambda: self._shift(1), "One place later"),
            ("Take off", "stack_drop", self._drop_layer, "Take it off the stack."),
        ):
            button = QPushButton(text)
            button.setObjectName(f"swatch.{name}")
            button.setProperty("flat", True)
            button.setToolTip(tip)
            button.setAccessibleName(tip)
            button.clicked.connect(run)
            line.addWidget(button)
        column.addLayout(line)
        self.facts = quiet("")
        self.facts.setObjectName("swatch.facts")
        self.facts.setWordWrap(True)
        column.addWidget(self.facts)
        ends = QGridLayout()
        ends.setHorizontalSpacing(8)
        self.expects, self.gives = self._end_chooser("expects"), self._end_chooser("gives")
        for i, box in enumerate((self.expects, self.gives)):
            ends.addWidget(quiet(box.accessibleName()), i, 0)
            ends.addWidget(box, i, 1)
        ends.setColumnStretch(1, 1)
        column.addLayout(ends)
        self.note = QPlainTextEdit()
        self.note.setObjectName("swatch.note")
        self.note.setPlaceholderText("Notes")
        self.note.setAccessibleName("Notes")
        self.note.setFixedHeight(48)
        self.note.setTabChangesFocus(True)
        self.note.installEventFilter(self)
        column.addWidget(self.note)
        column.addStretch(1)
        column = whole  # what is always at hand
        line = QHBoxLayout()
        self.keep, self.passing = QPushButton("Keep"), QPushButton("Pass")
        for button, mark in ((self.keep, KEPT), (self.passing, PASSED)):
            button.setObjectName(f"swatch.{mark}")
            button.clicked.connect(lambda _on, m=mark: self._model.toggle_mark(m))
            line.addWidget(button)
        column.addLayout(line)
        self.put = QPushButton("Put into the Look")
        self.put.setObjectName("swatch.put")
        self.put.setProperty("main", True)
        self.put.clicked.connect(self.put_wanted)
        column.addWidget(self.put)
        line = QHBoxLayout()
        for text, name, signal in (
            ("Convert…", "convert_file", self.convert_wanted),
            ("Rename…", "rename", self.rename_wanted),
            ("Move…", "move", self.move_wanted),
            ("Reveal", "reveal", self.reveal_wanted),
        ):
            button = QPushButton(text)
            button.setObjectName(f"swatch.{name}")
            button.setProperty("flat", True)
            button.clicked.connect(signal)
            line.addWidget(button)
        column.addLayout(line)
        return panel

    def _end_chooser(self, which: str) -> Chooser:
        box = Chooser()
        box.setObjectName(f"swatch.{which}")
        box.setAccessibleName(which.capitalize())
        box.setSizeAdjustPolicy(Chooser.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        box.activated.connect(lambda _i: self._edit_ends())
        return box

    def _edit_ends(self) -> None:
        swatch = self._model.chosen
        if swatch is None:
            return
        texts = [b.currentText() for b in (self.expects, self.gives)]
        if _AS_IT_LOOKS in texts:
            other = next((t for t in texts if t != _AS_IT_LOOKS), None)
            before = self._model.remark(swatch).ends
            self._model.set_remark(
                swatch, ends=(other, other) if other and before is None else None
            )
        else:
            self._model.set_remark(swatch, ends=tuple(texts))

    def _edit_strength(self, value: float) -> None:
        if self._model.chosen is not None:
            self._model.set_strength(self._model.chosen, value / 100)

    def eventFilter(self, _note, event) -> bool:
        """Take the note when the hand leaves it."""
        if event.type() == event.Type.FocusOut and self._model.chosen is not None:
            self._model.set_remark(self._model.chosen, note=self.note.toPlainText().strip())
        return False

    def _shift(self, by: int) -> None:
        at = self.stack.currentRow()
        layers = list(self._model.stack)
        if 0 <= at < len(layers) and 0 <= at + by < len(layers):
            layers[at], layers[at + by] = layers[at + by], layers[at]
            self._model.set_stack(layers)
            self.stack.setCurrentRow(at + by)

    def _drop_layer(self) -> None:
        at = self.stack.currentRow()
        layers = list(self._model.stack)
        if layers:
            layers.pop(at if 0 <= at < len(layers) else -1)
            self._model.set_stack(layers)

    # --- showing -----------------------------------------------------------------------------------
    def _tile(self, swatch: Swatch) -> Tile:
        model = self._model
        facts, remark = model.facts.get(swatch.key), model.remark(swatch)
        image = self._images.get(swatch.key)
        if image is None and swatch.key in model.tiles and model.tiles[swatch.key].size:
            image = self._images[swatch.key] = image_of(model.tiles[swatch.key])
        unfit = model.misfit(swatch)
        if facts is not None and facts.fault:
            warning = "cannot be read"
        else:
            warning = unfit if not model.wall.convert or unfit.startswith("made for") else ""
        mark = remark.mark or ("converted" if unfit and not warning else "")
        tip = (
            f"{swatch.file}\n{facts.fault or facts.kind}" if facts is not None else str(swatch.file)
        )
        if unfit:
            tip += f"\n{unfit}"
        if remark.note:
            tip += f"\n{remark.note}"
        strength = model.strength(swatch)
        name, file = model.name(swatch), str(swatch.file)
        return Tile(swatch.key, name, file, image, mark, warning, strength, tip)

    def _on_changed(self) -> None:
        model = self._model
        wall = model.wall
        if not model.tiles:
            self._images.clear()
        rows = [
            (ALL, "All"),
            *((f, Path(f).name or f) for f in model.folders),
            (KEPT_ONES, "Kept"),
        ]
        self.folders.blockSignals(True)
        self.folders.clear()
        for key, words in rows:
            item = QListWidgetItem(f"{words}  ·  {model.count(key)}")
            item.setData(_ROLE, key)
            item.setToolTip(key or "All folders")
            self.folders.addItem(item)
            if key == wall.folder:
                self.folders.setCurrentItem(item)
        self.folders.blockSignals(False)
        for name, mark in self.filters.items():
            mark.setChecked(getattr(wall, name))
        self.convert.setChecked(wall.convert)
        self.order.setCurrentIndex(self.order.findData(wall.order))
        self.findChild(QPushButton, "swatch.drop_folder").setEnabled(
            wall.folder not in (ALL, KEPT_ONES)
        )
        shown = model.visible
        names = ", ".join(s.name for s in model.shots) or "no shot"
        self.title.setText(f"{names} through {len(shown)} look{'s' * (len(shown) != 1)}")
        self.on_tiles.setCurrentText(wall.shots)
        self.wall.words = (
            "Nothing here is called that."
            if model.swatches
            else "Add a folder of LUT files or looks, or drop one here."
        )
        chosen = model.chosen.key if model.chosen is not None else ""
        self.empty.setVisible(not model.swatches)
        self.wall.show_tiles([self._tile(s) for s in shown], chosen)
        self._show_state()

    def _show_state(self) -> None:
        model = self._model
        left = sum(s.key not in model.facts for s in model.swatches)
        words = f"{len(model.swatches)} files"
        self.state.setText(f"{words} · examining {left} more" if left else f"{words} · watching")

    def _on_tiles(self, keys: list[str]) -> None:
        if not self._model.tiles:
            self._images.clear()
        by_key = {t.key for t in self.wall.tiles}
        swatches = {s.key: s for s in self._model.swatches}
        for key in keys:
            self._images.pop(key, None)
            if key in by_key and key in swatches:
                self.wall.change_tile(self._tile(swatches[key]))
        if not keys:
            self._on_changed()
        self._show_state()

    def _show_chosen(self) -> None:
        model = self._model
        swatch = model.chosen
        self.wall.show_current(swatch.key if swatch is not None else "")
        for name in (
            "hold",
            "save",
            "put",
            "keep",
            "passing",
            "note",
            "strength",
            "expects",
            "gives",
        ):
            getattr(self, name).setEnabled(swatch is not None)
        self.stack.clear()
        for layer in model.stack:
            self.stack.addItem(f"{model.name(layer.swatch)} · {layer.strength * 100:.0f} %")
        self.stack.setVisible(bool(model.stack))
        for name in ("stack_up", "stack_down", "stack_drop"):
            self.findChild(QPushButton, f"swatch.{name}").setVisible(bool(model.stack))
        held = model.held
        self.side_a.setText(f"A {model.name(held)}" if held is not None else "A the shot")
        can_mix = held is not None and held != swatch and not model.stack
        self.mix.setEnabled(can_mix)
        self._mix_label.setText("Mix with A" if can_mix else "Mix")
        self.mix.show_value(model.share * 100)
        self.hold.setText("Let A go" if held is not None and held == swatch else "Hold on A")
        if swatch is None:
            self.name.setText("No look chosen")
            self.facts.setText("")
            self.side_b.setText("")
            return
        facts, remark = model.facts.get(swatch.key), model.remark(swatch)
        self.name.setText(model.name(swatch))
        self.side_b.setText(
            "B the stack" if model.stack else "B a mix" if model.share else "B this look"
        )
        self.strength.show_value(model.strength(swatch) * 100)
        for box, end in ((self.expects, 0), (self.gives, 1)):
            box.offer((_AS_IT_LOOKS, *(n for n, e in encodings().items() if not e.is_view)))
            box.setCurrentText(remark.ends[end] if remark.ends else _AS_IT_LOOKS)
        self.keep.setText("Kept" if remark.mark == KEPT else "Keep")
        self.passing.setText("Passed" if remark.mark == PASSED else "Pass")
        if self.note.toPlainText().strip() != remark.note:
            self.note.setPlainText(remark.note)
        unfit = model.misfit(swatch)
        self.findChild(QPushButton, "swatch.convert_file").setEnabled(
            bool(unfit) and facts is not None and facts.kind not in ("look", "glaze")
        )
        self._show_facts(facts, unfit)

    def _show_facts(self, facts: Any, unfit: str) -> None:
        painted(self.facts, "")
        if facts is None:
            self.facts.setText("being examined …")
            return
        if facts.fault:
            self.facts.setText(facts.fault)
            painted(self.facts, "cinnabar")
            return
        c = facts.character
        words = [facts.kind]
        if facts.expects:
            words.append(f"says it expects {facts.expects}, gives {facts.gives or facts.expects}")
        elif facts.made_for:
            words.append(f"made for {facts.made_for}")
        elif facts.log is not None:
            words.append(f"seems to expect {'log' if facts.log else 'display'}")
        if unfit:
            words.append(f"here: {unfit}")
        if c is not None:
            words.append(
                f"{_by(c.warmth, 'warmer', 'colder', 'as warm')}, contrast × {c.contrast:.2f}, "
                f"colour × {c.colourfulness:.2f}, {_by(c.darkness, 'darker', 'lighter', 'as dark')}"
            )
        self.facts.setText("\n".join(words))

    def _on_seen(self, answer: Any) -> None:
        a, b = answer
        self.easel.show_picture((b.shape[1], b.shape[0]))
        self.easel.show_answer(_Sight(a, b))

    def take_focus(self) -> None:
        """Give the keyboard to the wall, or to the first thing to do when there is none."""
        first = self.findChild(QPushButton, "swatch.add_folder")
        (self.wall if self._model.swatches else first).setFocus()

    def resizeEvent(self, _event) -> None:
        ratio = self.devicePixelRatioF()
        self._model.set_size(round(280 * ratio), round(168 * ratio))
