"""What the shots become: the left column of the Apply room."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import attrs
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.chooser import Chooser
from sfumato.app.controls.editor import quiet
from sfumato.app.controls.rows import STRENGTH, Row, as_panel, chooser
from sfumato.app.controls.scrub import ScrubNumber, SlimBar
from sfumato.app.controls.tick import Tick
from sfumato.app.labels import Label, set_tip
from sfumato.app.services.study_model import StudyModel
from sfumato.core.colour.encodings import Family, encodings
from sfumato.core.controls import Choice, LutFile, Number, counted, kinds
from sfumato.core.errors import ValueRefused
from sfumato.core.lut.transform import Transform
from sfumato.core.study.printing import Printing
from sfumato.media.jpeg import SAMPLINGS
from sfumato.media.parts.contract import MediaSpec
from sfumato.media.parts.registry import media
from sfumato.work.results.apply import NAME_FIELDS, ApplyWish
from sfumato.work.results.codecs import CODECS, EFFORTS

_STILLS: dict[str, MediaSpec] = {
    m.title.removesuffix(" picture"): m for m in media().values() if m.write is not None
}
AS_VIEW, AS_LUT = "as the View", "as the LUT gives it"
AS_SOURCE = "as the source"
THE_LOOK, A_LUT = "Ground and Look", "a LUT file…"
_POINTS = {"the exact path": 0, "a lattice of 129 points": 129}
_JPEG_QUALITY = counted("Quality", 1, 100, "Of JPEG: more is better and larger.")
_CRF = Number(
    title="Rate factor",
    least=0,
    most=51,
    step=1,
    digits=0,
    help="Of H.264 and HEVC: less is better and larger; 16 is hard to tell from the source.",
)


def _transform_of(lut: LutFile | None) -> Transform | None:
    if lut is None:
        return None
    if lut.transform is None:
        raise ValueRefused(
            f"{Path(lut.path).name}, which shots are to go through, cannot be read",
            hint="choose another file, or Ground and Look",
        )
    found: Transform = attrs.evolve(lut.transform, source=lut.path)
    return found


class ApplySettings(QWidget):
    """`changed()`, `lut_wanted()`, `folder_wanted()`."""

    changed = Signal()
    lut_wanted = Signal()
    folder_wanted = Signal()

    def __init__(self, model: StudyModel) -> None:
        super().__init__()
        self._model = model
        self._is_showing = False
        self._lut = LutFile()  # the last that was chosen: it stays in the list
        as_panel(self, width=340)
        form = QWidget()
        column = QVBoxLayout(form)
        column.setContentsMargins(18, 16, 18, 0)
        column.setSpacing(7)
        words = Label("Every shot through its own Ground and the one Look, into new files.")
        words.setWordWrap(True)
        column.addWidget(words)
        column.addSpacing(4)
        self.through = chooser("apply.through", (THE_LOOK, A_LUT))
        set_tip(
            self.through, "What shots go through: their Ground and the Look, or a LUT file instead."
        )
        self.through.textActivated.connect(self._on_through)
        self.still = chooser("apply.still", tuple(_STILLS))
        set_tip(self.still, "The kind of file that stills become.")
        self.still.setCurrentText("TIFF")
        self.depth_box = chooser("apply.depth", ())
        set_tip(self.depth_box, "How many bits each number of a result has.")
        self.codec = chooser("apply.codec", tuple(c.title for c in CODECS.values()))
        set_tip(self.codec, "How clips are stored.")
        self.codec.setCurrentText(CODECS["prores"].title)
        self.display = chooser("apply.display", (AS_VIEW,))
        set_tip(
            self.display, "The encoding of the results; the View's where nothing else is asked for."
        )
        for box in (self.still, self.depth_box, self.codec):
            box.textActivated.connect(lambda _t: self._on_choice())
        self.display.textActivated.connect(self._on_display)
        self.sampling = chooser("apply.sampling", SAMPLINGS)
        self.sampling.textActivated.connect(lambda _t: self.changed.emit())
        self.jpeg = self._number("apply.jpeg", _JPEG_QUALITY, 95)
        self.crf = self._number("apply.crf", _CRF, 16)
        self.strength = self._number("apply.strength", STRENGTH, 100)
        self.strength.edited.connect(lambda v: self._edit("Strength", strength=v / 100))
        self.strength.released.connect(model.end_gesture)
        column.addWidget(Row("Through", self.through))
        column.addWidget(Row("Strength", SlimBar(self.strength), self.strength))
        column.addWidget(Row("Made for", self.display))
        column.addSpacing(6)
        column.addWidget(Row("Stills as", self.still))
        column.addWidget(Row("Depth", self.depth_box))
        self._jpeg_row = Row("Quality", self.jpeg, self.sampling, stretch=0)
        column.addWidget(self._jpeg_row)
        self.exactness = chooser("apply.points", tuple(_POINTS))
        set_tip(
            self.exactness,
            "A lattice is several times as fast; the proof of each clip says what it costs in ΔE",
        )
        self.exactness.textActivated.connect(lambda _t: self.changed.emit())
        column.addWidget(Row("Clips as", self.codec))
        self._points_row = Row("Clips by", self.exactness)
        column.addWidget(self._points_row)
        self.effort = chooser("apply.effort", tuple(EFFORTS))
        set_tip(
            self.effort,
            "quick makes about three times the frames a second; thorough makes smaller files",
        )
        self.effort.textActivated.connect(lambda _t: self.changed.emit())
        self.damaged = Tick("Clips that are short or damaged too")
        self.damaged.setObjectName("apply.damaged")
        set_tip(
            self.damaged,
            "Without this a clip that lost frames, or has damaged ones, gets no result.",
        )
        self.damaged.clicked.connect(lambda _on: self.changed.emit())
        self._crf_row = Row("Rate factor", self.crf, self.effort, stretch=0)
        column.addWidget(self._crf_row)
        column.addWidget(self.damaged)
        self._add_print(column)
        column.addSpacing(6)
        self.pattern = QLineEdit()
        self.pattern.setObjectName("apply.pattern")
        fields = ", ".join(f"{{{n}}}" for n in NAME_FIELDS)
        set_tip(self.pattern, f"May hold {fields}; two of one name get a number.")
        self.pattern.textChanged.connect(lambda text: self._edit("Names", names=text))
        self.pattern.editingFinished.connect(model.end_gesture)
        column.addWidget(Row("Names", self.pattern))
        self.folder = QLineEdit()
        self.folder.setObjectName("apply.folder")
        set_tip(self.folder, "Where the results go.")
        self.folder.setAccessibleName("Folder for the results")
        self.folder.setPlaceholderText("where the results go")
        self.folder.textChanged.connect(lambda text: self._edit("Folder", folder=text))
        self.folder.textChanged.connect(lambda text: set_tip(self.folder, text))
        self.folder.editingFinished.connect(model.end_gesture)
        choose = QPushButton("Choose…")
        choose.setObjectName("apply.choose")
        set_tip(choose, "Where the results go.")
        choose.clicked.connect(self.folder_wanted)
        column.addWidget(Row("Folder", choose))  # a path is long: it has a line of its own
        column.addWidget(self.folder)
        column.addStretch(1)
        final = quiet(
            "Baking is final: a result holds Ground and Look for good. Originals are never touched; "
            "each result is decoded again and compared with what was meant, and a small file "
            "beside it says what was done."
        )
        final.setWordWrap(True)
        column.addWidget(final)
        area = QScrollArea()  # a small window with notices is lower than the form
        area.setObjectName("apply.form")
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(form)
        self.foot = QHBoxLayout()
        self.foot.setContentsMargins(18, 0, 18, 14)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(7)
        whole.addWidget(area, 1)
        whole.addLayout(self.foot)
        model.changed.connect(lambda _b, _a: self.show_results())
        self.show_results()

    def _add_print(self, column: QVBoxLayout) -> None:
        """How pictures in Lab and CMYK, which stay in their own colours, go back into them."""
        controls = kinds(Printing)
        self.printing: dict[str, Chooser] = {}
        for field in ("intent", "black"):
            kind = controls[field]
            assert isinstance(kind, Choice)
            box = chooser(f"apply.{field}", kind.options)
            box.setAccessibleName(kind.title)
            set_tip(box, f"{kind.help} For pictures that are kept in Lab or CMYK.")
            box.textActivated.connect(
                lambda text, f=field, t=kind.title: self._edit_print(t, **{f: text})
            )
            self.printing[field] = box
        limit = controls["ink_limit"]
        assert isinstance(limit, Number)
        self.ink_limit = self._number("apply.ink_limit", limit, limit.most)
        self.ink_limit.edited.connect(lambda v: self._edit_print(limit.title, ink_limit=v))
        self.ink_limit.released.connect(self._model.end_gesture)
        column.addWidget(Row("Black ink", self.printing["black"]))
        column.addWidget(Row("Intent, limit", self.printing["intent"], self.ink_limit))

    def _edit_print(self, title: str, **values: Any) -> None:
        if self._is_showing:
            return
        study = self._model.study
        after = attrs.evolve(study, printing=attrs.evolve(study.printing, **values))
        self._model.commit(f"Print: {title}", after, ("print", *values))
        self.changed.emit()

    def _number(self, name: str, kind: Number, value: float) -> ScrubNumber:
        number = ScrubNumber(kind, value)
        number.setObjectName(name)
        number.setAccessibleName(kind.title)
        number.setFixedWidth(62)
        number.edited.connect(lambda _v: self.changed.emit())
        return number

    def _edit(self, title: str, **values: Any) -> None:
        """Set what belongs to the study; strokes of one hand are one step."""
        if self._is_showing:
            return
        study = self._model.study
        after = attrs.evolve(study, results=attrs.evolve(study.results, **values))
        self._model.commit(f"Results: {title}", after, ("results", *values))
        self.changed.emit()

    def _on_through(self, chosen: str) -> None:
        if chosen == A_LUT:
            self.show_results()  # stays as it was until a file is there
            self.lut_wanted.emit()
        else:
            self._model.end_gesture()
            self._edit("Through", lut=LutFile() if chosen == THE_LOOK else self._lut)

    def _on_display(self, chosen: str) -> None:
        self._model.end_gesture()
        self._edit("Made for", made_for="" if chosen in (AS_VIEW, AS_LUT) else chosen)

    def _on_choice(self) -> None:
        self.refresh()
        self.changed.emit()

    # --- what is wished ------------------------------------------------------------------------------
    @property
    def lut(self) -> LutFile | None:
        """The LUT that takes the place of Ground and Look, None when these are meant."""
        lut = self._model.study.results.lut
        return lut if lut.path else None

    def take_lut(self, lut: LutFile) -> None:
        """A LUT was chosen: it stands in the list, and is what shots go through."""
        self._model.end_gesture()
        self._edit("Through", lut=lut)

    def show_results(self) -> None:
        """Bring the fields in line with the study."""
        results = self._model.study.results
        self._is_showing = True
        if results.lut.path:
            self._lut = results.lut
        name = (Path(self._lut.path).name,) if self._lut.path else ()
        self.through.offer((THE_LOOK, *name, A_LUT))
        self.through.setCurrentIndex(1 if results.lut.path else 0)
        self.strength.show_value(results.strength * 100)
        printing = self._model.study.printing
        for field_name, box in self.printing.items():
            box.setCurrentText(getattr(printing, field_name))
        self.ink_limit.show_value(printing.ink_limit)
        for field, text in ((self.pattern, results.names), (self.folder, results.folder)):
            if field.text() != text:
                field.setText(text)
        self.refresh()
        self.display.setCurrentText(results.made_for or self.display.itemText(0))
        self._is_showing = False

    @property
    def kind(self) -> MediaSpec:
        """The kind of stills."""
        return _STILLS[self.still.currentText()]

    def suffixes(self) -> tuple[str, str]:
        """Return the suffixes of stills and clips."""
        return self.kind.suffixes[0], CODECS[self._codec()].suffixes[0]

    def _codec(self) -> str:
        title = self.codec.currentText()
        return next(c.key for c in CODECS.values() if c.title == title)

    def wish(self) -> ApplyWish:
        """Return what is wished.

        Raises:
            ValueRefused: the LUT that shots go through cannot be read.
        """
        depth, results = self.depth_box.currentText(), self._model.study.results
        lut = self.lut
        return ApplyWish(
            results.made_for,
            results.strength,
            0 if depth == AS_SOURCE else int(depth.split()[0]),
            self._codec(),
            round(self.crf.value()),
            self.effort.currentText(),
            round(self.jpeg.value()),
            self.sampling.currentText(),
            _POINTS[self.exactness.currentText()],
            _transform_of(lut),
            self.damaged.isChecked(),
        )

    def _kept(self) -> tuple[dict[str, Chooser], dict[str, ScrubNumber]]:
        boxes = (self.still, self.depth_box, self.codec, self.sampling, self.effort)
        numbers = (self.jpeg, self.crf)
        return (
            {b.objectName(): b for b in (*boxes, self.exactness)},
            {n.objectName(): n for n in numbers},
        )

    def state(self) -> str:
        """Return how files are written, as text for the settings; the rest belongs to the study."""
        boxes, numbers = self._kept()
        plain: dict[str, object] = {n: b.currentText() for n, b in boxes.items()}
        plain |= {n: x.value() for n, x in numbers.items()}
        return json.dumps(plain)

    def restore(self, text: str) -> None:
        """Take choices of before; what is no longer offered, or is damaged, is passed over."""
        try:
            plain = dict(json.loads(text))
        except (ValueError, TypeError):
            return
        boxes, numbers = self._kept()
        for name, box in boxes.items():  # in their order: the kind decides on the depths
            box.setCurrentText(str(plain.get(name, box.currentText())))
            self.refresh()
        for name, number in numbers.items():
            value = plain.get(name)
            if isinstance(value, int | float) and number.kind.least <= value <= number.kind.most:
                number.show_value(float(value))

    def refresh(self) -> None:
        """Offer what the choices leave."""
        own = AS_LUT if self.lut is not None else AS_VIEW
        names = [n for n, e in encodings().items() if not e.is_view]
        names.sort(key=lambda n: encodings()[n].family is not Family.DISPLAY)
        self.display.offer((own, *names))
        self.depth_box.offer((AS_SOURCE, *self.kind.depths))
        self._points_row.setVisible(self.lut is None)
        self._jpeg_row.setVisible(self.kind.key == "jpeg")
        self._crf_row.setVisible(self._codec() in ("h264", "hevc"))
