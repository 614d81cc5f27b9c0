"""What is sent: for which kind of other side, and by hand where that is wanted."""

from __future__ import annotations

import html
import json
import math
from typing import Any

import attrs
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from sfumato.app.controls.chooser import Chooser
from sfumato.app.controls.editor import painted, quiet
from sfumato.app.controls.rows import Row, chooser
from sfumato.app.labels import Label, set_tip
from sfumato.app.services.jobs import Lane
from sfumato.app.services.services import Services
from sfumato.core.carrier import arrange
from sfumato.core.carrier.frame import WRAPPED
from sfumato.core.errors import SfumatoError
from sfumato.core.study.shot import Shot
from sfumato.formats.parts.contract import DEPTH_WORDS
from sfumato.media.parts.registry import by_suffix
from sfumato.work.trip import kinds
from sfumato.work.trip.kinds import DISPLAYED, KINDS, SOURCE, Kind
from sfumato.work.trip.send import Order, encoding_of, in_bytes, measures

_MARKED = "marked tiles"
_NODES = {arrange.HALD: "HALD", WRAPPED: _MARKED} | {
    layout: f"strip, {layout}" if layout.startswith(arrange.ROW) else f"tiles, {layout}"
    for layout in arrange.LAYOUTS
}
_LEVELS = range(2, 17)
_POINTS = (8, 16, 17, 25, 32, 33, 48, 64)
_FILES = {".png": "PNG", ".tif": "TIFF", ".jpg": "JPEG", ".exr": "EXR"}
_ALONE, _BESIDE = "alone", "with the shot"
_CELLS = (2, 3, 4, 6, 8, 12, 16)
_PROFILE_INSIDE = "For programs that manage colour: they show it right, and keep its codes."
_PROFILE_NONE = "For programs that know no profiles, or would convert to one of their own."


class SendForm(QWidget):
    """`send_wanted()`; `order()` is what is asked for now."""

    send_wanted = Signal()

    def __init__(self, services: Services) -> None:
        super().__init__()
        self._services = services
        self._own = kinds.load(_plain(services.settings.get("trip_kinds", "[]")))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        head = QHBoxLayout()
        title = Label("Send a carrier")
        title.setProperty("strong", True)
        head.addWidget(title, 1)
        self.keep = QPushButton("Keep as a kind…")
        self.keep.setObjectName("trip.keep")
        self.keep.setProperty("flat", True)
        set_tip(self.keep, "Keep these choices as a kind of your own, chosen by its name.")
        self.keep.clicked.connect(self._keep_kind)
        head.addWidget(self.keep)
        column.addLayout(head)
        self.to = chooser("trip.to", ())
        set_tip(self.to, "What kind of program the carrier goes to; it decides on all below.")
        self.nodes = chooser("trip.nodes", tuple(_NODES.values()))
        set_tip(self.nodes, "How the nodes of the LUT lie in the picture.")
        self.points = chooser("trip.points", ())
        set_tip(self.points, "How many points a side the LUT has that comes back.")
        self.beside = chooser("trip.beside", (_ALONE, _BESIDE))
        set_tip(
            self.beside,
            "A picture beside the nodes, by which one grades, and by which faults are found.",
        )
        self.cell = chooser("trip.cell", tuple(f"{c} px" for c in _CELLS))
        set_tip(
            self.cell, "How many pixels each node is wide and high; more survive scaling better."
        )
        self.file = chooser("trip.file", tuple(_FILES.values()))
        set_tip(self.file, "The kind of file that the other program opens.")
        self.bits = chooser("trip.depth", ())
        set_tip(self.bits, "How many bits each number of the file has; more is truer.")
        self.codes = chooser("trip.codes", ())
        self.profile = chooser("trip.profile", ())
        set_tip(self.profile, "The colour profile that the file carries.")
        for box in (self.to, self.nodes, self.codes, self.profile):
            box.setSizeAdjustPolicy(Chooser.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(8)
        self.points.setFixedWidth(80)
        self.cell.setFixedWidth(80)
        self.bits.setFixedWidth(104)
        for heading, *boxes in (
            ("To", self.to),
            ("Nodes", self.nodes, self.points),
            ("Stand", self.beside, self.cell),
            ("File", self.file, self.bits),
            ("Codes", self.codes),
            ("Profile", self.profile),
        ):
            column.addWidget(Row(heading, *boxes, title_width=46))
        set_tip(
            self.codes,
            "What the numbers in the carrier are: a look that comes back expects and gives the same.",
        )
        self.why = quiet("")
        self.why.setObjectName("trip.why")
        self.why.setWordWrap(True)
        self.why.setFixedHeight(4 * self.why.fontMetrics().height())
        self.why.setAlignment(Qt.AlignmentFlag.AlignTop)
        column.addWidget(self.why)
        self.becomes = Label("")
        self.becomes.setObjectName("trip.size")
        self.becomes.setWordWrap(True)
        column.addWidget(self.becomes)
        self.go = QPushButton("Send it out, with a card")
        self.go.setObjectName("trip.send")
        self.go.setProperty("main", True)
        set_tip(self.go, "The card, a text file beside it, says what to switch off there.")
        self.go.clicked.connect(self.send_wanted)
        column.addWidget(self.go)
        self.to.activated.connect(lambda _i: self._take_kind())
        for box in (self.nodes, self.points, self.beside, self.cell, self.file, self.bits):
            box.activated.connect(lambda _i: self.refresh())
        self.codes.activated.connect(lambda _i: self.refresh())
        self.profile.activated.connect(lambda _i: self.refresh())
        self._lane = Lane("frame size", self)
        self._lane.answered.connect(lambda _size: self.refresh())
        self._lane.refused.connect(lambda error: self._say(f"{error.sentence()}.", False))
        self._lane.crashed.connect(services.notices.bug)
        self._offer_kinds()
        self._restore(str(services.settings.get("trip_form", "")))
        services.model.changed.connect(lambda _b, _a: self._refresh_seen())
        services.view.changed.connect(
            lambda b, a: self._refresh_seen() if b.shot != a.shot else None
        )

    # --- kinds -----------------------------------------------------------------------------------
    @property
    def _kinds(self) -> tuple[Kind, ...]:
        return (*KINDS, *self._own)

    def _offer_kinds(self) -> None:
        self.to.offer(tuple(k.title for k in self._kinds))
        for i, kind in enumerate(self._kinds):
            tip = f"{kind.title}. {kind.why}"
            self.to.setItemData(i, html.escape(tip), Qt.ItemDataRole.ToolTipRole)

    def _kind(self) -> Kind:
        """Return the kind whose name is chosen."""
        return self._kinds[max(self.to.currentIndex(), 0)]

    def _take_kind(self) -> None:
        self._show(self._kind())

    def _show(self, kind: Kind) -> None:
        self.nodes.setCurrentText(_NODES[kind.layout])
        self._offer_points(kind.layout)
        self.points.setCurrentText(_points_words(kind.layout, kind.points))
        has_shot = self._services.desk.shot is not None
        self.beside.setCurrentText(_BESIDE if kind.beside and has_shot else _ALONE)
        self.cell.setCurrentIndex(_CELLS.index(kind.cell) if kind.cell in _CELLS else 2)
        self.file.setCurrentText(_FILES[kind.suffix])
        self._offer_depths()
        self.bits.setCurrentText(DEPTH_WORDS.get(kind.depth, ""))
        self.codes.setCurrentIndex(int(kind.codes == SOURCE))
        self._offer_profiles()
        self.profile.setCurrentIndex(0 if kind.profile else 1)
        self.refresh()

    def _as_kind(self, title: str) -> Kind:
        layout = self._layout()
        return Kind(
            title,
            "A kind of your own.",
            self._count(),
            layout,
            self.beside.currentText() == _BESIDE,
            self._suffix(),
            self._depth(),
            SOURCE if self.codes.currentIndex() == 1 else DISPLAYED,
            self.profile.currentIndex() == 0,
            _CELLS[max(self.cell.currentIndex(), 0)],
        )

    def _keep_kind(self) -> None:
        """Ask for a name, and keep what is chosen under it; one of that name is replaced."""
        name = self._services.ports.ask_name(
            self._services.window, "Keep as a kind of your own", self.to.currentText()
        )
        if not name:
            return
        if any(k.title == name for k in KINDS):
            self._services.notices.note(f"{name} is a kind that ships", "choose another name")
            return
        rest = tuple(k for k in self._own if k.title != name)
        self._own = (*rest, self._as_kind(name))[-kinds.MOST_OWN :]
        self._services.settings.set("trip_kinds", json.dumps(kinds.dump(self._own)))
        self._offer_kinds()
        self.to.setCurrentText(name)
        self.refresh()

    # --- what is chosen --------------------------------------------------------------------------
    def _layout(self) -> str:
        chosen = self.nodes.currentText()
        return next((k for k, words in _NODES.items() if words == chosen), arrange.HALD)

    def _suffix(self) -> str:
        return next(s for s, words in _FILES.items() if words == self.file.currentText())

    def _depth(self) -> str:
        return next((d for d, w in DEPTH_WORDS.items() if w == self.bits.currentText()), "")

    def _count(self) -> int:
        number = int(self.points.currentText().split()[-1]) if self.points.count() else 8
        return number**2 if self._layout() == arrange.HALD else number

    def _offer_points(self, layout: str) -> None:
        counts = [n * n for n in _LEVELS] if layout == arrange.HALD else [*_POINTS]
        self.points.offer(tuple(_points_words(layout, n) for n in counts))

    def _offer_depths(self) -> None:
        spec = by_suffix(f"x{self._suffix()}")
        assert spec is not None
        self.bits.offer(tuple(w for w in DEPTH_WORDS.values() if w in spec.depths))

    def _offer_profiles(self) -> None:
        name = self._services.model.study.view.encoding
        order = self._order("")
        try:
            name = encoding_of(self._services.model.study, order)
        except SfumatoError:
            name = "its own"
        index = max(self.profile.currentIndex(), 0)
        self.profile.offer((f"{name} inside", "none"))
        self.profile.setCurrentIndex(index)

    def _order(self, profile: str) -> Order:
        kind = self._as_kind(self.to.currentText())
        shot = self._services.desk.shot if kind.beside else None
        return Order(kind.carrier(profile), kind.suffix, kind.title, shot, kind.codes)

    def order(self) -> Order | None:
        """Return what is asked for; None when it cannot be made so, which the form then says."""
        order = self._order("")
        try:
            name = encoding_of(self._services.model.study, order)
            measures(order, self._frame(order))
        except SfumatoError:
            return None
        return self._order(name)

    def _frame(self, order: Order) -> tuple[int, int] | None:
        """Return the size of the shot beside the nodes, None when it is not known yet."""
        return None if order.shot is None else self._services.desk.frames.known_size(order.shot)

    def _ask_size(self, shot: Shot) -> None:
        """Have the shot's size read; the form is refreshed when it is known."""
        self._say(f"Reading {shot.name} …", False)
        frames = self._services.desk.frames
        self._lane.ask(lambda _cancel: frames.size(shot))

    def _refresh_seen(self) -> None:
        """Refresh what is looked at: a drag in another room does not wait for it."""
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        """Offer what the choices leave, and say what that makes."""
        study, shot = self._services.model.study, self._services.desk.shot
        self._offer_points(self._layout())
        self._offer_depths()
        own = (shot.encoding if shot is not None else study.working) or "not stated"
        index = max(self.codes.currentIndex(), 0)
        whose = "of the shot" if self.beside.currentText() == _BESIDE else "of working values"
        own = own if self.beside.currentText() == _BESIDE else study.working
        self.codes.offer((f"as displayed, {study.view.encoding}", f"{whose}, {own}"))
        self.codes.setCurrentIndex(index)
        self._offer_profiles()
        kind = self._kind()
        inside = self.profile.currentIndex() == 0
        self.why.setText(f"{kind.why} {_PROFILE_INSIDE if inside else _PROFILE_NONE}")
        order = self._order("")
        marked = order.is_marked
        self.cell.setVisible(marked)
        try:
            if self.beside.currentText() == _BESIDE and shot is None:
                self._say("Bring in a shot to set the nodes beside it.", False)
                return
            encoding_of(study, order)
            if order.shot is not None and self._frame(order) is None:
                self._ask_size(order.shot)
                return
            (width, height), most = measures(order, self._frame(order))
        except SfumatoError as error:
            self._say(f"{error.sentence()}.", False)
            return
        self._say(f"{width:,} × {height:,} pixels, at most {in_bytes(most * 1e6)}", True)
        self._services.settings.set(
            "trip_form", json.dumps(attrs.asdict(self._as_kind(self.to.currentText())))
        )

    @property
    def is_busy(self) -> bool:
        return self._lane.is_busy

    def close_lane(self) -> None:
        self._lane.close()

    def _say(self, words: str, fine: bool) -> None:
        self.becomes.setText(words)
        painted(self.becomes, "" if fine else "cinnabar")
        self.go.setEnabled(fine)

    def _restore(self, text: str) -> None:
        """Take the choices of before; what is damaged is passed over."""
        found = kinds.load([_plain(text)])
        if found:
            self.to.setCurrentText(found[0].title)
            self._show(found[0])
        else:
            self._take_kind()


def _points_words(layout: str, points: int) -> str:
    return f"level {math.isqrt(points)}" if layout == arrange.HALD else f"{points}"


def _plain(text: Any) -> Any:
    try:
        return json.loads(str(text))
    except ValueError:
        return None
