"""Shots beside the one that is right: by all pixels, by a part of each, or by a card that is in them."""

from __future__ import annotations

from pathlib import Path

import attrs
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QListWidget,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.editor import painted, quiet, strong
from sfumato.app.controls.parts import taken
from sfumato.app.controls.rows import Row, chooser, panel_column
from sfumato.app.controls.tick import Tick
from sfumato.app.controls.tick_list import TickList, TickRow
from sfumato.app.labels import Label, Line, brief, set_help, set_tip
from sfumato.app.rooms.look.ground_edits import GroundEdits
from sfumato.app.services.services import Services
from sfumato.app.theme import strong_font
from sfumato.app.views.corner_field import CornerField
from sfumato.app.views.part_field import LOOK, PART, PartField
from sfumato.core.arrays import Array
from sfumato.core.borrow.card import Corners, Layout, goes_round
from sfumato.core.errors import SfumatoError
from sfumato.core.study.loan import Region
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.work.borrow.alike import CARD, PIXELS, VALUES, Alike, Way, read_layout
from sfumato.work.borrow.alike import PART as BY_PART
from sfumato.work.cancel import Cancel, Progress

_WAYS = {
    PIXELS: "by all pixels",
    BY_PART: "by a part of each",
    CARD: "by a card in each",
    VALUES: "to a card's own values",
}
_WHAT = {
    PIXELS: "Shots of one scene are compared place by place, others by how their colours are spread.",
    BY_PART: "Drag over what is to look alike: the same wall, the same face. A shot without a part of "
    "its own takes that of the shot that is right.",
    CARD: "Lay the outlines over the patches in each shot: drag the four corners. A shot without corners "
    "of its own takes those of the shot that is right.",
    VALUES: "Lay the outlines over the patches: exposure, balance and a matrix bring them to their values.",
}
_WIDTH = 960


class MatchSheet(QDialog):
    """What is marked is kept by shot while the sheet is open; matching is one step to undo."""

    def __init__(self, services: Services, edits: GroundEdits, kind: str = PIXELS) -> None:
        super().__init__(services.window)
        self._services, self._edits = services, edits
        services.desk.screen_changed.connect(self._show_shot)
        shot = services.desk.shot
        assert shot is not None
        self._right = shot.id
        self._kind = kind
        self._layout: Layout | None = None
        self._parts: dict[str, Region] = {}
        self._corners: dict[str, Corners] = {}  # shares
        self._found: dict[str, Alike | SfumatoError] = {}
        self._pixels: tuple[str, Array] | None = None
        self._corner_field: CornerField | None = None
        self._ticked: set[str] = set()
        self.setWindowTitle("Match shots")
        self.resize(980, 640)
        edits.seeing.answered.connect(self._on_picture)
        edits.seeing.refused.connect(self._on_refused)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addWidget(self._make_left())
        right = QVBoxLayout()
        right.setContentsMargins(16, 14, 16, 14)
        self._title = Line()
        self._title.setFont(strong_font(15))
        right.addWidget(self._title)
        self._what = quiet("")
        self._what.setObjectName("match.what")
        self._what.setWordWrap(True)
        right.addWidget(self._what)
        self._holder = QVBoxLayout()
        self.part = PartField("match.part", "The shot")
        set_help(
            self.part,
            "The part of the shot that is matched: drag over it, or move it by the arrow keys.",
        )
        self.part.marked.connect(self._on_part)
        right.addLayout(self._holder, 1)
        self._holder.addWidget(self.part)
        foot = QHBoxLayout()
        foot.setSpacing(8)
        self.words = Label("")
        self.words.setObjectName("match.words")
        self.words.setWordWrap(True)
        foot.addWidget(self.words, 1)
        close = QPushButton("Close")
        set_tip(close, "Closes the sheet; what was matched stays.")
        close.clicked.connect(self.reject)
        foot.addWidget(close)
        self.go = QPushButton("Match")
        self.go.setObjectName("match.go")
        set_tip(
            self.go,
            "Writes what is found into the Grounds of the ticked shots; undo takes it back.",
        )
        self.go.setProperty("main", True)
        self.go.setDefault(True)
        self.go.clicked.connect(self._match)
        foot.addWidget(self.go)
        right.addLayout(foot)
        whole.addLayout(right, 1)
        services.model.changed.connect(self._on_study)
        self._fill()
        self._take_layout(Path(str(services.settings.get("match_card", ""))))
        self._show_way()

    def _make_left(self) -> QWidget:
        left = QWidget()
        column = panel_column(left, 260)
        self.way = chooser("match.way", tuple(_WAYS.values()))
        set_tip(self.way, "By what the shots are made alike.")
        self.way.setAccessibleName("Match")
        self.way.setCurrentText(_WAYS[self._kind])
        self.way.activated.connect(lambda _i: self._choose_way())
        column.addWidget(Row("Match", self.way, title_width=48))
        self._card = QWidget()
        row = QVBoxLayout(self._card)
        row.setContentsMargins(0, 0, 0, 0)
        self.choose = QPushButton("Choose the card's layout…")
        self.choose.setObjectName("match.layout")
        set_tip(self.choose, "A JSON file with the patches, their places and their values.")
        self.choose.clicked.connect(self._choose_layout)
        row.addWidget(self.choose)
        self.matrix = Tick("with a 3 × 3 matrix")
        self.matrix.setObjectName("match.matrix")
        self.matrix.setChecked(True)
        set_tip(self.matrix, "Colours too, not only greys: a Channel mixer on light.")
        row.addWidget(self.matrix)
        column.addWidget(self._card)
        column.addWidget(strong("Shots"))
        self.shots = TickList("match.shots", "Shots to match")
        set_help(self.shots, "Space ticks a shot, so that it is matched; the chosen one is shown.")
        self.shots.chosen.connect(lambda _key: self._show_shot())
        self.shots.ticked.connect(self._tick)
        column.addWidget(self.shots, 2)
        self._patches_title = strong("Patches, off after it")
        column.addWidget(self._patches_title)
        self.patches = QListWidget()
        self.patches.setObjectName("match.patches")
        self.patches.setAccessibleName("How far each patch is off")
        set_help(self.patches, "What is left between each patch and its own value, in ΔE.")
        column.addWidget(self.patches, 2)
        return left

    # --- which shots -----------------------------------------------------------------------------
    @property
    def _study(self) -> Study:
        return self._services.model.study

    def _shot(self, shot_id: str) -> Shot | None:
        return next((s for s in self._study.shots if s.id == shot_id), None)

    @property
    def _is_alone(self) -> bool:
        """Whether no shot is the right one: a card's own values are."""
        return self._kind == VALUES

    def _fill(self) -> None:
        """Tick the marked shots, or all where none is; to a card's values, the current one too."""
        marked = {i for i in self._services.view.now.marked_shots if i != self._right}
        if self._is_alone:
            marked.add(self._right)
        every = {s.id for s in self._study.shots if s.id != self._right}
        self._ticked = marked or every
        self._word_rows(self._right)

    def _tick(self, shot_id: str, on: bool) -> None:
        self._ticked = self._ticked | {shot_id} if on else self._ticked - {shot_id}
        self._word_rows(self.shots.key)
        self._say()

    def _word_rows(self, chosen: str = "") -> None:
        """List the shots, the right one first, with how far apart they were and are."""
        shots = sorted(self._study.shots, key=lambda s: s.id != self._right)
        rows = []
        for shot in shots:
            if shot.id == self._right and not self._is_alone:
                rows.append(TickRow(shot.id, shot.name, state="is right", is_on=None))
                continue
            found = self._found.get(shot.id)
            said = ("", "quiet", "")
            if isinstance(found, Alike):
                said = (f"{found.off:.1f} → {found.left:.1f} {found.unit}", "text", "")
            elif found is not None:
                said = ("left as it is", "cinnabar", found.sentence())
            row = TickRow(shot.id, shot.name, state=said[0], pigment=said[1], tip=said[2])
            rows.append(attrs.evolve(row, is_on=shot.id in self._ticked))
        self.shots.show_rows(rows, chosen or self.shots.key)

    def _wanted(self) -> list[Shot]:
        ids = self._ticked if self._is_alone else self._ticked - {self._right}
        return [s for s in self._study.shots if s.id in ids]

    def _on_study(self, before: Study, after: Study) -> None:
        if [s.id for s in before.shots] != [s.id for s in after.shots]:
            if self._shot(self._right) is None:
                self.reject()
                return
            self._fill()
        if before != after:
            self._show_shot()

    # --- how -------------------------------------------------------------------------------------
    def _choose_way(self) -> None:
        alone = self._is_alone
        self._kind = list(_WAYS)[self.way.currentIndex()]
        self._found = {}
        if self._is_alone != alone:
            self._fill()
        self._show_way()

    @property
    def _by_card(self) -> bool:
        return self._kind in (CARD, VALUES)

    def _show_way(self) -> None:
        self._card.setVisible(self._by_card)
        for widget in (self._patches_title, self.patches):
            widget.setVisible(self._by_card)
        self._what.setText(_WHAT[self._kind])
        self.part.set_tool(PART if self._kind == BY_PART else LOOK)
        self._word_rows()
        self._show_shot()

    def _choose_layout(self) -> None:
        folder = str(self._services.settings.get("match_card", "")) or str(Path.home())
        file = self._services.ports.choose_layout(self, folder)
        if file is not None:
            self._take_layout(file)

    def _take_layout(self, file: Path) -> None:
        if not file.name:
            return

        def read(_cancel: Cancel, _progress: Progress) -> Layout:
            return read_layout(file)

        def then(layout: Layout) -> None:
            self._layout, self._corners = layout, {}
            self._services.settings.set("match_card", str(file))
            self.choose.setText(f"{brief(layout.name)}: {len(layout.patches)} patches")
            self._show_shot()

        self._services.reading.add(f"Reading {file.name}", read, then=then)

    # --- the shot that is shown ------------------------------------------------------------------
    def _chosen(self) -> str:
        return self.shots.key

    def _show_shot(self) -> None:
        """Have the chosen shot's picture made, as the Look shows it."""
        shot, study = self._shot(self._chosen()), self._study
        if shot is None:
            return
        self._title.setText(shot.name)
        previewer = self._services.desk.previewer

        def work(cancel: Cancel) -> tuple[str, Array]:
            whole = previewer.whole_picture(study, shot, _WIDTH, _WIDTH, cancel)
            return shot.id, previewer.screened(study, whole, cancel)

        self._edits.seeing.ask(work)
        self._say()

    def _on_picture(self, answer: tuple[str, Array]) -> None:
        self._pixels = answer
        shot_id, pixels = answer
        if shot_id != self._chosen():
            return
        by_card = self._by_card and self._layout is not None
        self.part.setVisible(not by_card)
        if self._corner_field is not None:
            for old in taken(self._holder):
                if old is not self.part:
                    old.deleteLater()
            self._holder.addWidget(self.part)
            self._corner_field = None
        if by_card:
            self._show_corners(shot_id, pixels)
        else:
            self.part.show_pixels(pixels)
            own = self._parts.get(shot_id)
            lent = self._parts.get(self._right) if self._kind == BY_PART else None
            marks = [("", own or lent)] if self._kind == BY_PART and (own or lent) else []
            self.part.show_marks([(n, r) for n, r in marks if r is not None])
        self._show_patches()

    def _show_corners(self, shot_id: str, pixels: Array) -> None:
        layout = self._layout
        assert layout is not None
        high, wide = pixels.shape[:2]
        shares = self._corners.get(shot_id) or self._corners.get(self._right) or layout.home

        def outlines(corners: Corners) -> list[Array]:
            return layout.outlines(corners) if goes_round(corners) else []

        field = CornerField(
            pixels,
            tuple((x * wide, y * high) for x, y in shares),
            what="card",
            outlines=outlines,
        )

        def keep() -> None:
            self._corners[shot_id] = tuple((x / wide, y / high) for x, y in field.corners)
            self._say()

        field.moved.connect(keep)
        self._holder.addWidget(field, 1)
        self._corner_field = field

    def _on_part(self, region: Region) -> None:
        self._parts[self._chosen()] = region
        self._found = {}
        self._word_rows()
        if self._pixels is not None:
            self._on_picture(self._pixels)
        self._say()

    def _on_refused(self, error: SfumatoError) -> None:
        self.part.show_pixels(None)
        self.words.setText(f"{error.sentence()}.")

    # --- matching --------------------------------------------------------------------------------
    def _say(self) -> None:
        """Say what is missing, or how many are matched."""
        count = len(self._wanted())
        what = "Match" if not self._is_alone else "Balance"
        self.go.setText(f"{what} {count} shots" if count != 1 else f"{what} 1 shot")
        missing = ""
        if self._by_card and self._layout is None:
            missing = "Choose the layout of the card first."
        elif self._kind == BY_PART and self._right not in self._parts:
            name = getattr(self._shot(self._right), "name", "")
            missing = f"Drag over a part of {name}, which is right."
        elif not count:
            missing = "Tick the shots to match."
        self.words.setText(missing)
        painted(self.words, "")
        self.go.setEnabled(not missing)

    def _match(self) -> None:
        wanted = self._wanted()
        right = None if self._is_alone else self._shot(self._right)
        way = Way(
            self._kind,
            dict(self._parts),
            dict(self._corners),
            self._layout,
            self.matrix.isChecked(),
        )
        self.go.setEnabled(False)
        self._edits.match(wanted, right, way, self._done)

    def _done(self, found: list[tuple[str, Alike | SfumatoError]]) -> None:
        self._found = dict(found)
        self._word_rows()
        self._say()
        self._show_patches()
        refused = [e for _i, e in found if isinstance(e, SfumatoError)]
        if refused:
            self.words.setText(f"{refused[0].sentence()}.")
            painted(self.words, "cinnabar")
        else:
            self.words.setText("Matched: one step to undo. All shows them side by side.")

    def _show_patches(self) -> None:
        found = self._found.get(self._chosen())
        self.patches.clear()
        if isinstance(found, Alike):
            for name, off in sorted(found.patches, key=lambda p: -p[1]):
                self.patches.addItem(f"{off:.2f} ΔE   {name}")
