"""The outlet that is looked at: everything it remembers, to be set."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QFormLayout,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.chooser import Chooser
from sfumato.app.controls.editor import quiet_line
from sfumato.app.controls.record_panel import RecordPanel
from sfumato.app.controls.target_form import TargetForm
from sfumato.app.labels import Label, Line
from sfumato.app.rooms.send.send_model import SendModel
from sfumato.app.theme import strong_font
from sfumato.core.study.outlet import ACES, CONFIG, FORMS, LUT, SHADER, Outlet
from sfumato.formats.parts.registry import formats

_OF_FORMAT = ("format", "grid", "depth", "layout", "suffix", "shaper")
_PARTS = (
    ("What it is", ("title", "target", "form")),
    ("What is written", ("fit", "grid", "span", "display", "peak", "shaper", "comments")),
    ("What the target does with it", ("interp", "nodes", "codes", "reach", "bench")),
    ("Where, and how it is called", ("folder", "base", "names", "heading", "there")),
    ("What the target takes", ("longest", "letters", "places", "most_kb")),
)
_TABLES = (LUT, SHADER, CONFIG, ACES)
_OF_FORMS = {  # what only some forms ask for
    "base": (CONFIG,),
    "grid": (CONFIG, ACES),  # of the others it stands with the format
    **dict.fromkeys(("fit", "span", "shaper"), (LUT, SHADER)),
    **dict.fromkeys(("display", "peak"), (LUT, SHADER, CONFIG)),
    **dict.fromkeys(("interp", "nodes", "codes", "reach"), _TABLES),
    "bench": (LUT,),
}


class OutletPage(QWidget):
    """`edited(field, value)`, `folder_wanted()`, `make_wanted()`, `forget_wanted()`."""

    edited = Signal(str, object)
    released = Signal()
    folder_wanted = Signal()
    make_wanted = Signal()
    forget_wanted = Signal()

    def __init__(self, model: SendModel) -> None:
        super().__init__()
        self._model = model
        self._form_of: tuple[Any, ...] = ()
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 14, 20, 12)
        self.title = Line()
        self.title.setFont(strong_font(18))
        column.addWidget(self.title)
        self.facts = quiet_line("")
        self.facts.setObjectName("send.outlet.facts")
        column.addWidget(self.facts)
        area = QScrollArea()
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.setWidgetResizable(True)
        area.setFrameShape(QScrollArea.Shape.NoFrame)
        inside = QWidget()
        both = QHBoxLayout(inside)
        both.setContentsMargins(0, 8, 12, 0)
        both.setSpacing(40)
        self._columns = [QVBoxLayout(), QVBoxLayout()]
        for each in self._columns:
            each.setSpacing(6)
            both.addLayout(each, 1)
        area.setWidget(inside)
        column.addWidget(area, 1)
        self.panels: list[RecordPanel] = []
        names = {f for _t, fields in _PARTS for f in fields}
        for i, (words, fields) in enumerate(_PARTS):
            into = self._columns[0 if i < 2 else 1]
            head = Label(words)
            head.setProperty("strong", True)
            into.addWidget(head)
            skip = tuple(n for n in names if n not in fields) + tuple(
                n for n in _OF_FORMAT if n not in fields
            )
            panel = RecordPanel(Outlet(), skip)
            panel.edited.connect(self.edited)
            panel.released.connect(self.released)
            panel.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
            self.panels.append(panel)
            into.addWidget(panel)
            if "fit" in fields:
                into.insertWidget(into.count() - 1, self._make_format())
            if "folder" in fields:
                into.addLayout(self._make_folder())
            into.addSpacing(14)
        for each in self._columns:
            each.addStretch(1)
        row = QHBoxLayout()
        forget = QPushButton("Forget this outlet")
        forget.setObjectName("send.outlet.forget")
        forget.setProperty("flat", True)
        forget.clicked.connect(self.forget_wanted)
        row.addWidget(forget)
        row.addStretch(1)
        column.addLayout(row)
        model.chosen_changed.connect(self.refresh)
        model.known.connect(self.refresh)
        model.services.model.changed.connect(
            lambda b, a: self.refresh() if b.outlets != a.outlets else None
        )
        self.refresh()

    def _make_format(self) -> QWidget:
        self._format_box = QWidget()
        self._format_box.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
        form = QVBoxLayout(self._format_box)
        form.setContentsMargins(0, 0, 0, 0)
        form.setSpacing(2)
        row = QHBoxLayout()
        label = Label("Format")
        label.setFixedWidth(112)
        row.addWidget(label)
        self.format = Chooser()
        self.format.setObjectName("send.outlet.format")
        self.format.setAccessibleName("Format")
        for spec in sorted(formats().values(), key=lambda s: s.title):
            if spec.write is not None:
                self.format.addItem(spec.title, spec.key)
        self.format.activated.connect(self._take_format)
        row.addWidget(self.format, 1)
        form.addLayout(row)
        self._choices = QVBoxLayout()
        self._choices.setContentsMargins(0, 0, 0, 0)
        form.addLayout(self._choices)
        self._target: TargetForm | None = None
        return self._format_box

    def _make_folder(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.choose = QPushButton("Choose the folder…")
        self.choose.setObjectName("send.outlet.choose")
        self.choose.clicked.connect(self.folder_wanted)
        self.make = QPushButton("Make the folder")
        self.make.setObjectName("send.outlet.make")
        self.make.clicked.connect(self.make_wanted)
        row.addStretch(1)
        row.addWidget(self.make)
        row.addWidget(self.choose)
        return row

    def _take_format(self, _index: int) -> None:
        key = self.format.currentData()
        outlet = self._model.outlet
        if outlet is not None and key != outlet.format:
            self.edited.emit("format", key)
            self.released.emit()

    # --- what is shown ---------------------------------------------------------------------------
    def refresh(self) -> None:
        outlet = self._model.outlet
        self.setEnabled(outlet is not None)
        if outlet is None:
            self.title.setText("No outlet is chosen")
            self.facts.setText("Add one with New…, or choose one of the list.")
            return
        self.title.setText(outlet.title)
        used = [v for v in self._model.study.versions if v.file_of(outlet.key)]
        sent = (
            f"{len(used)} version{'s' if len(used) != 1 else ''} sent" if used else "nothing sent"
        )
        self.facts.setText(" · ".join(w for w in (outlet.target, outlet.says, sent) if w))
        for panel, (_words, fields) in zip(self.panels, _PARTS, strict=True):
            panel.show_record(outlet)
            panel.show_only({f for f in fields if outlet.form in _OF_FORMS.get(f, FORMS)})
        where = self._model.where.get(outlet.key)
        self.make.setVisible(bool(outlet.folder) and where is not None and not where.is_there)
        has_format = outlet.form in (LUT, SHADER)
        self._format_box.setVisible(has_format)
        if has_format:
            self._show_format(outlet)

    def _show_format(self, outlet: Outlet) -> None:
        key = "ktx2" if outlet.form == SHADER else outlet.format
        spec = formats().get(key)
        self.format.setVisible(outlet.form == LUT)
        self.format.setCurrentIndex(self.format.findData(key))
        if spec is None:
            return
        if self._form_of != (outlet.form, key):
            self._form_of = (outlet.form, key)
            if self._target is not None:
                self._choices.removeWidget(self._target)
                self._target.hide()
                self._target.deleteLater()
            self._target = TargetForm(spec, "send.outlet.{}", _label)
            self._target.form.setFieldGrowthPolicy(
                QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow
            )
            self._target.edited.connect(self._take_choice)
            self._choices.addWidget(self._target)
        assert self._target is not None
        self._target.show_choices(
            outlet.grid, depth=outlet.depth, layout=outlet.layout, suffix=outlet.suffix
        )

    def _take_choice(self, field: str, value: Any) -> None:
        spec = formats().get(self._form_of[1])
        if field == "grid" and value is None and spec is not None:
            value = spec.default_grid
        self.edited.emit(field, value)
        self.released.emit()


def _label(words: str) -> Label:
    label = Label(words)
    label.setFixedWidth(112)
    return label
