"""The middle of the room: what came back beside what the look makes, and what was done on the way."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QAbstractItemView,
    QButtonGroup,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.editor import painted, quiet, quiet_line
from sfumato.app.controls.parts import taken
from sfumato.app.controls.pigment_row import PigmentRow
from sfumato.app.images import image_of
from sfumato.app.labels import Label, Line, set_tip
from sfumato.app.rooms.trip.journey_list import moment
from sfumato.app.rooms.trip.trip_model import TripModel
from sfumato.app.theme import colour, strong_font
from sfumato.app.views.easel import Easel
from sfumato.app.views.picture_pane import PicturePane
from sfumato.app.views.pictures import heat_of, heat_scale
from sfumato.core.arrays import Array
from sfumato.core.carrier.confidence import BETWEEN, GUESSED
from sfumato.core.carrier.faults import TITLES, Fault
from sfumato.core.study.journey import Journey
from sfumato.work.trip.examined import Examined

_MODES = {"side": "Side by side", "split": "Split", "difference": "Difference"}
_LEAST_TOP = 2.0  # codes: less is a matter of rounding
_SEEN = 0.5  # ΔE mean in corners that is told apart from the middle
_HIDDEN_BY_JPEG = ("sharpened", "blurred", "grain")
_LOOKED_FOR = (
    "sharpened",
    "blurred",
    "grain",
    "vignette",
    "local_contrast",
    "resized",
    "jpeg",
    "spatial",
)


class ReturnPanel(QWidget):
    """`chosen_changed()`: other returns are chosen for adopting; `corners_wanted()`."""

    chosen_changed = Signal()
    corners_wanted = Signal()

    def __init__(self, model: TripModel) -> None:
        super().__init__()
        self._model = model
        model.services.desk.screen_changed.connect(self.show_known)
        self._filling = False
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 10, 12, 10)
        column.setSpacing(6)
        head = QHBoxLayout()
        self.title = Line()
        self.title.setFont(strong_font(15))
        self.title.setObjectName("trip.title")
        head.addWidget(self.title)
        self.facts = quiet_line("")
        self.facts.setObjectName("trip.facts")
        head.addWidget(self.facts, 1)
        self._modes = QButtonGroup(self)
        for key, words in _MODES.items():
            button = QPushButton(words)
            button.setObjectName(f"trip.mode.{key}")
            button.setProperty("flat", True)
            button.setCheckable(True)
            button.clicked.connect(lambda _on, k=key: self._show_mode(k))
            self._modes.addButton(button)
            head.addWidget(button)
        column.addLayout(head)
        self.returns = QListWidget()
        self.returns.setObjectName("trip.returns")
        self.returns.setAccessibleName("What came back")
        self.returns.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.returns.setFixedHeight(112)
        self.returns.currentItemChanged.connect(lambda _i, _b: self._on_current())
        self.returns.itemSelectionChanged.connect(self._on_selection)
        column.addWidget(self.returns)
        self.legend = quiet("A  what came back        B  what the look makes of what went out")
        column.addWidget(self.legend)
        self.easel = Easel()
        self.easel.setObjectName("trip.easel")
        self.easel.setMinimumHeight(150)
        column.addWidget(self.easel, 5)
        self.verdict = Label()
        self.verdict.setObjectName("trip.verdict")
        self.verdict.setProperty("strong", True)
        self.verdict.setWordWrap(True)
        column.addWidget(self.verdict)
        self.by_hand = QPushButton("Set its corners by hand…")
        self.by_hand.setObjectName("trip.corners")
        set_tip(self.by_hand, "Show where the nodes lie in the picture, and read them there.")
        self.by_hand.clicked.connect(self.corners_wanted)
        column.addWidget(self.by_hand, 0, Qt.AlignmentFlag.AlignLeft)
        below = QHBoxLayout()
        below.setSpacing(10)
        left = QVBoxLayout()
        views = QHBoxLayout()
        views.setSpacing(2)
        self._views = QButtonGroup(self)
        self.view_buttons: dict[str, QPushButton] = {}
        for key, words, help_ in (
            ("where", "Where", "Where the carrier was altered beside the look."),
            ("sure", "How sure", "What of the shot rests on guesses, and what between nodes."),
            ("shot", "The shot", "The shot of the Look room through this look."),
        ):
            button = QPushButton(words)
            button.setObjectName(f"trip.view.{key}")
            button.setProperty("flat", True)
            button.setCheckable(True)
            set_tip(button, help_)
            button.clicked.connect(lambda _on, k=key: self._show_view(k))
            self._views.addButton(button)
            self.view_buttons[key] = button
            views.addWidget(button)
        views.addStretch(1)
        left.addLayout(views)
        self.picture = PicturePane("")
        self.picture.setObjectName("trip.picture")
        left.addWidget(self.picture, 1)
        below.addLayout(left, 1)
        self._rows = QVBoxLayout()
        self._rows.setContentsMargins(0, 0, 0, 0)
        self._rows.setSpacing(5)
        holder = QWidget()
        holder.setLayout(self._rows)
        scroll = QScrollArea()
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setObjectName("trip.report")
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(holder)
        below.addWidget(scroll, 1)
        column.addLayout(below, 6)
        self._view = "where"
        self._show_mode("side")
        model.chosen_changed.connect(self.show_chosen)
        model.known.connect(self.show_known)
        model.services.model.changed.connect(
            lambda b, a: self.show_chosen() if b.journeys != a.journeys else None
        )

    # --- which return ----------------------------------------------------------------------------
    def chosen_files(self) -> list[Path]:
        """Return the returns that are chosen, in their order; the shown one at least."""
        journey = self._model.journey
        if journey is None or not self._model.file:
            return []
        if len(journey.returns) < 2:
            return [Path(self._model.file)]
        rows = sorted(self.returns.row(i) for i in self.returns.selectedItems())
        chosen = [Path(self.returns.item(r).data(Qt.ItemDataRole.UserRole)) for r in rows]
        return chosen or [Path(self._model.file)]

    def show_chosen(self) -> None:
        """Bring name and list in line with what is chosen."""
        journey = self._model.journey
        if journey is None:
            return
        self.title.setText(journey.name)
        self.returns.setVisible(len(journey.returns) > 1)
        words = [self._words(r.path, r.says, r.became) for r in journey.returns]
        paths = [r.path for r in journey.returns]
        there = [
            self.returns.item(i).data(Qt.ItemDataRole.UserRole) for i in range(self.returns.count())
        ]
        self._filling = True
        if paths != there:
            self.returns.clear()
            for path in paths:
                item = QListWidgetItem()
                item.setData(Qt.ItemDataRole.UserRole, path)
                set_tip(item, path)
                self.returns.addItem(item)
        for i, said in enumerate(words):
            self.returns.item(i).setText(said)
        if self._model.file in paths:
            row = paths.index(self._model.file)
            if self.returns.currentRow() != row:
                self.returns.setCurrentRow(row)
        self._filling = False

    @staticmethod
    def _words(path: str, says: str, became: str) -> str:
        words = f"{Path(path).name}    {says}"
        return f"{words}, adopted as {became}" if became else words

    def _on_current(self) -> None:
        item = self.returns.currentItem()
        if item is not None and not self._filling:
            self._model.choose(self._model.journey_id, item.data(Qt.ItemDataRole.UserRole))

    def _on_selection(self) -> None:
        if not self._filling:
            self.chosen_changed.emit()

    # --- what is known of it ---------------------------------------------------------------------
    def show_known(self) -> None:
        """Show the examination, why there is none, or that it is under way."""
        journey, back = self._model.journey, self._model.back
        if journey is None or back is None:
            return
        self.show_chosen()
        found, refused = self._model.examined, self._model.refused
        came = f"came back {moment(back.came)}" if back.came else ""
        self.by_hand.setVisible(refused is not None or bool(back.corners))
        if found is None:
            self.easel.show_nothing()
            self.picture.show_picture("", None, None)
            said = f"{refused.sentence()}." if refused is not None else "Examining …"
            self.facts.setText(came)
            self._say(said, "cinnabar" if refused is not None else "quiet")
            self._fill([])
            return
        placed = found.found.placed
        kind = "frame with tiles" if placed is not None else found.found.reading
        facts = (
            came,
            f"{found.found.depth.rstrip('f')} bit",
            f"{kind}, {found.found.points} points",
        )
        self.facts.setText(" · ".join(f for f in facts if f))
        seen = self._model.services.seen
        self.easel.show_sides(seen(found.a), seen(found.b), found.delta)
        self._say(_verdict(found), "")
        self.view_buttons["sure"].setEnabled(found.shot is not None)
        self.view_buttons["shot"].setEnabled(found.shot is not None)
        self._show_view(self._view)
        self._fill(_rows_of(found, journey))

    def _say(self, words: str, pigment: str) -> None:
        self.verdict.setText(words)
        painted(self.verdict, pigment)

    def _fill(self, rows: list[Callable[[], PigmentRow]]) -> None:
        for old in taken(self._rows):
            old.deleteLater()
        for make in rows:
            self._rows.addWidget(make())
        self._rows.addStretch(1)

    def _show_mode(self, mode: str) -> None:
        self.easel.set_mode(mode)
        for button in self._modes.buttons():
            button.setChecked(button.objectName() == f"trip.mode.{mode}")

    def _show_view(self, view: str) -> None:
        """Show the second picture: where it was altered, how sure it is on the shot, or the shot."""
        self._view = view
        found = self._model.examined
        if found is not None and found.shot is None and view != "where":
            view = "where"
        for key, button in self.view_buttons.items():
            button.setChecked(key == view)
        if found is None:
            return
        if view == "where":
            top = heat_scale(max(found.altered, _LEAST_TOP))
            picture = image_of(heat_of(found.where, top))
            self.picture.show_picture("Beside the look, codes of 255", picture, None, top, "codes")
        elif view == "shot":
            assert found.shot is not None
            seen = image_of(self._model.services.seen(found.shot.picture))
            self.picture.show_picture(f"{found.shot.name} through it", seen, None)
        else:
            assert found.shot is not None
            words = "Yellow: between nodes. Red: guessed."
            self.picture.show_picture(words, image_of(_tinted(found)), None)


def _tinted(found: Examined) -> Array:
    """Return the shot with what is between nodes and what is guessed laid over in its pigment."""
    assert found.shot is not None
    out = (found.shot.picture.astype(np.float32)).mean(-1, keepdims=True) * 0.8 + 20
    out = np.repeat(out, 3, -1)
    for rests, role in ((BETWEEN, "yellow"), (GUESSED, "cinnabar")):
        tone = colour(role)
        mark = np.array([tone.red(), tone.green(), tone.blue()], np.float32)
        where = found.shot.rests_on == rests
        out[where] = out[where] * 0.4 + mark * 0.6
    return np.asarray(np.clip(out, 0, 255).astype(np.uint8))


def _verdict(found: Examined) -> str:
    """Say in a sentence how well the look explains what came back."""
    middle, corners = found.middle_and_corners
    mean, p99, worst = found.apart
    rest = f"99 % under {p99:.2f}, {worst:.2f} at worst"
    if found.found.witness is None:
        return f"The look makes of the carrier what came back to {mean:.2f} ΔE mean, {rest}"
    if corners > 2 * middle and corners > _SEEN:
        return (
            f"The witness: {middle:.2f} ΔE mean in the middle of the picture, "
            f"{corners:.1f} in its corners"
        )
    return f"The witness: {mean:.2f} ΔE mean, {rest}"


def _rows_of(found: Examined, journey: Journey) -> list[Callable[[], PigmentRow]]:
    """Return the report's rows, what cannot be mended first; then what was looked for and not found."""
    rows: list[Callable[[], PigmentRow]] = []

    def add(pigment: str, title: str, sentences: tuple[str, ...], key: str) -> None:
        def make() -> PigmentRow:
            row = PigmentRow(pigment, title, sentences, ". ".join((title, *sentences)))
            row.setObjectName(f"trip.fault.{key}")
            return row

        rows.append(make)

    for fault in found.found.faults:
        add("malachite" if fault.mended else "yellow", *_said(fault), fault.key)
    there = {f.key for f in found.found.faults}
    hidden = _HIDDEN_BY_JPEG if "jpeg" in there else ()
    absent = [_inner(TITLES[k]) for k in _LOOKED_FOR if k not in there and k not in hidden]
    if absent:
        add("malachite", f"No {', no '.join(absent)}", (), "absent")
    unsure = " or ".join(_inner(TITLES[k]) for k in hidden if k not in there)
    if unsure:
        words = (f"A little {unsure} does not show through it.",)
        add("quiet", "What JPEG may hide", words, "hidden")
    if "profile_converted" not in there and journey.path:
        add("malachite", "Profile as it went out", (journey.profile or "none",), "profile")
    for i, remark in enumerate(found.found.remarks):
        add("quiet", remark[:1].upper() + remark[1:], (), f"remark.{i}")
    return rows


def _inner(title: str) -> str:
    """Return a title as it stands in a sentence."""
    return title if title.isupper() else title[:1].lower() + title[1:]


def _said(fault: Fault) -> tuple[str, tuple[str, ...]]:
    words = f"{fault.words} Made good here, as far as that goes." if fault.mended else fault.words
    return TITLES[fault.key], (words, fault.avoid)
