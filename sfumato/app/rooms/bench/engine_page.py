"""The pages of the engine and of the phone filter: looks and how they are taken in, the picture, what it costs."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QHideEvent, QShowEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.editor import painted, quiet, steady, strong
from sfumato.app.controls.editors import NumberEditor
from sfumato.app.controls.page_tabs import PageTabs
from sfumato.app.controls.parts import passing_menu
from sfumato.app.controls.record_panel import RecordPanel
from sfumato.app.controls.rows import STRENGTH, Row, as_panel, chooser, scrolled_panel
from sfumato.app.guard import guarded
from sfumato.app.images import image_of
from sfumato.app.labels import Label, Line, set_tip
from sfumato.app.rooms.bench.engine_model import FILTER, EngineModel
from sfumato.app.rooms.bench.finder_box import FinderBox
from sfumato.app.rooms.bench.floor_plan import FloorPlan
from sfumato.app.rooms.bench.monitor_screen import MonitorScreen
from sfumato.app.rooms.bench.pages import PAGES
from sfumato.core.bench.engine import RIGHT, set_faults
from sfumato.core.controls import Number, counted
from sfumato.work.bench.engines import EMPTY, JPEG, OWN, PNG, Look

_HUNDRED = Number(
    title="Strength", least=0, most=100, step=1, digits=0, unit="%", help=STRENGTH.help
)
_QUALITY = counted("Quality", 1, 100, "Of the JPEG.")
_WALK, _SHOT = "The walk through the glassworks", "The shot of the Look room"


class _Values:
    """What the number editors show."""

    def __init__(self, strength: float, quality: float) -> None:
        self.strength, self.quality = 100 * strength, quality


class EnginePage(QWidget):
    """`file_wanted(zone)`: a LUT file is to be chosen; `save_wanted()`: the frame as a picture."""

    file_wanted = Signal(int)
    save_wanted = Signal()

    def __init__(self, model: EngineModel, title: str) -> None:
        super().__init__()
        self._model, self._title = model, title
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        row.addWidget(self._make_left())
        right = QVBoxLayout()
        right.setSpacing(0)
        right.addLayout(self._make_head())
        self.view = MonitorScreen()
        self.view.setObjectName(f"bench.{model.kind}.picture")
        self.view.setAccessibleName("What is drawn")
        set_tip(
            self.view,
            "Space plays, comma and full stop step. Drop a screenshot for the fault finder.",
        )
        right.addWidget(self.view, 1)
        right.addSpacing(8)
        right.addWidget(self._make_below())
        row.addLayout(right, 1)
        self.view.play_wanted.connect(lambda: model.play(not model.clock.is_running))
        self.view.stepped.connect(self._step)
        for signal in (model.edited, model.drawn, model.measured):
            signal.connect(self.refresh)
        model.clock.measured.connect(self._show_rate)
        model.services.model.changed.connect(lambda _b, _a: self._show_looks())
        self.refresh()

    # --- parts -----------------------------------------------------------------------------------
    def _make_left(self) -> QWidget:
        left = QWidget()
        column = scrolled_panel(left, 330)
        self.tabs = PageTabs("bench", PAGES, self._title)
        column.addWidget(self.tabs)
        is_filter = self._model.kind == FILTER
        column.addWidget(strong("Camera" if is_filter else "Scene"))
        self.source = chooser(f"bench.{self._model.kind}.source", (_WALK, _SHOT))
        set_tip(self.source, "What is drawn: a walk through the glassworks, or a shot.")
        self.source.setAccessibleName("Picture")
        self.source.textActivated.connect(lambda words: self._model.set(on_walk=words == _WALK))
        column.addWidget(self.source)
        column.addSpacing(6)
        self.looks_title = strong("")
        column.addWidget(self.looks_title)
        self.zones: list[QPushButton] = []
        self._titles: list[Label] = []
        for i in range(len(self._model.looks)):
            button = QPushButton("")
            button.setObjectName(f"bench.{self._model.kind}.look.{i}")
            button.clicked.connect(lambda _on, i=i: self._show_choice(i))
            title = quiet("")
            self._titles.append(title)
            column.addWidget(title)
            column.addWidget(button)
            self.zones.append(button)
        column.addSpacing(6)
        if is_filter:
            self._make_file(column)
        else:
            self._make_import(column)
        column.addStretch(1)
        return left

    def _make_import(self, column: QVBoxLayout) -> None:
        column.addWidget(strong("How it is taken in"))
        self.panel = RecordPanel(RIGHT)
        self.panel.edited.connect(self._model.edit_import)
        column.addWidget(self.panel)
        self.faults = Label("")
        self.faults.setObjectName("bench.faults")
        self.faults.setWordWrap(True)
        column.addWidget(self.faults)

    def _make_file(self, column: QVBoxLayout) -> None:
        column.addWidget(strong("Its file"))
        self.kind = chooser("bench.filter.kind", (PNG, JPEG))
        set_tip(self.kind, "How the filter's picture of the LUT is stored.")
        self.kind.textActivated.connect(lambda kind: self._model.set(file_kind=kind))
        column.addWidget(Row("Saved as", self.kind))
        self.quality = NumberEditor("quality", _QUALITY, 90.0)
        self.quality.edited.connect(lambda _f, v: self._model.set(quality=int(v)))
        column.addWidget(self.quality)
        self.size_words = quiet("")
        self.size_words.setObjectName("bench.filter.size")
        self.size_words.setWordWrap(True)
        column.addWidget(self.size_words)

    def _make_head(self) -> QHBoxLayout:
        head = QHBoxLayout()
        head.setContentsMargins(18, 8, 18, 8)
        head.setSpacing(12)
        self.words = Line("")
        self.words.setObjectName(f"bench.{self._model.kind}.words")
        head.addWidget(self.words, 1)
        self.rate = steady(quiet(""), "100.0 frames a second shown")
        head.addWidget(self.rate)
        self.save = QPushButton("Save the frame…")
        self.save.setObjectName(f"bench.{self._model.kind}.save")
        set_tip(self.save, "Saves what is drawn as a PNG.")
        self.save.setProperty("flat", True)
        self.save.clicked.connect(self.save_wanted)
        head.addWidget(self.save)
        self.play = QPushButton("Play")
        self.play.setObjectName(f"bench.{self._model.kind}.play")
        set_tip(self.play, "Draws frame after frame.")
        self.play.setProperty("flat", True)
        self.play.clicked.connect(lambda: self._model.play(not self._model.clock.is_running))
        head.addWidget(self.play)
        return head

    def _make_below(self) -> QWidget:
        below = QWidget()
        as_panel(below)
        row = QHBoxLayout(below)
        row.setContentsMargins(16, 12, 16, 12)
        row.setSpacing(18)
        left = self._left_below = QVBoxLayout()
        left.setSpacing(6)
        self.strength = NumberEditor("strength", _HUNDRED, 100.0)
        self.strength.edited.connect(lambda _f, v: self._model.set(strength=v / 100))
        left.addWidget(self.strength)
        left.addWidget(quiet("Against the exact look, on this frame"))
        self.mean = strong("")
        self.mean.setObjectName(f"bench.{self._model.kind}.mean")
        left.addWidget(self.mean)
        self.driver = quiet("")
        self.driver.setObjectName(f"bench.{self._model.kind}.driver")
        self.driver.setWordWrap(True)
        left.addWidget(self.driver)
        if self._model.kind == FILTER:
            left.addStretch(1)
            below.setFixedHeight(110)
        else:
            self.floor = FloorPlan()
            left.addWidget(self.floor, 1)
            left.addStretch(0)
            below.setFixedHeight(272)
        row.addLayout(left, 1)
        if self._model.kind != FILTER:
            self.finder = FinderBox(self._model)
            row.addWidget(self.finder, 1)
        return below

    # --- hand ------------------------------------------------------------------------------------
    def _step(self, frames: int) -> None:
        clock = self._model.clock
        clock.stop()
        clock.go_to(clock.number + frames)
        self._model.edited.emit()

    def _show_choice(self, zone: int) -> None:
        """Offer the looks that a zone can have."""
        button = self.zones[zone]
        menu = passing_menu(button)
        menu.setObjectName("bench.looks")
        study = self._model.services.model.study
        offers: list[tuple[str, Look | None]] = [(f"{study.look.name}, the study's Look", OWN)]
        offers += [(f"{f.name}, sent", Look(f)) for f in self._model.sent_files()]
        if self._model.kind != FILTER:
            offers.append(("No look", EMPTY))
        offers.append(("A LUT file…", None))
        for words, look in offers:
            action = menu.addAction(words)
            action.triggered.connect(lambda _on=False, k=look: self._choose(zone, k))
        menu.popup(button.mapToGlobal(button.rect().bottomLeft()))

    def _choose(self, zone: int, look: Look | None) -> None:
        if look is None:
            self.file_wanted.emit(zone)
        else:
            self._model.set_look(zone, look)

    # --- what is shown ---------------------------------------------------------------------------
    def refresh(self) -> None:
        """Show what is set, and what was drawn."""
        model, found = self._model, self._model.sight
        has_walk = model.walk is not None
        self.source.setEnabled(has_walk)
        self.source.setCurrentText(_WALK if has_walk and model.on_walk else _SHOT)
        values = _Values(model.strength, model.quality)
        self.strength.show_record(values)
        self._show_looks()
        if model.kind == FILTER:
            self.kind.setCurrentText(model.file_kind)
            self.quality.setVisible(model.file_kind == JPEG)
            self.quality.show_record(values)
            size = found.size_bytes if found is not None else 0
            self.size_words.setText(
                f"Tiles of 512 × 512 with 64 points, 8 bit; {size / 1000:,.0f} kB as {model.file_kind}."
            )
        else:
            self.panel.show_record(model.settings)
            wrong = set_faults(model.settings)
            self.faults.setText(
                f"Taken in wrongly: {', '.join(wrong)}." if wrong else "Nothing spoils it."
            )
            painted(self.faults, "cinnabar" if wrong else "malachite")
            self.floor.setVisible(model.has_zones)
            self._left_below.setStretch(self._left_below.count() - 1, 0 if model.has_zones else 1)
        self.play.setText("Hold" if model.clock.is_running else "Play")
        if not model.clock.is_running:
            self.rate.setText("")
        self._show_picture()

    def _show_looks(self) -> None:
        model = self._model
        walk = model.walk if model.has_zones else None
        self.looks_title.setText("Looks of the zones" if walk is not None else "Look")
        for i, (look, button) in enumerate(zip(model.looks, self.zones, strict=True)):
            shown = i == 0 or walk is not None
            button.setVisible(shown)
            title = (
                walk.zones[i].name.capitalize() if walk is not None and i < len(walk.zones) else ""
            )
            self._titles[i].setText(title)
            self._titles[i].setVisible(bool(title))
            words = (
                f"{model.services.model.study.look.name} (the study's)"
                if look.is_own
                else "No look"
            )
            if look.file is not None:
                words = look.file.name
            button.setText(
                button.fontMetrics().elidedText(words, Qt.TextElideMode.ElideMiddle, 270)
            )
            button.setAccessibleName(f"Look {title.lower()}: {words}".replace("  ", " "))
            set_tip(button, str(look.file) if look.file is not None else "Choose what is put here.")

    def _show_picture(self) -> None:
        model, found = self._model, self._model.sight
        self.save.setEnabled(found is not None)
        self.play.setEnabled(found is not None)
        if found is None:
            words = (
                ""
                if model.shot is not None
                else "No picture: bring in a shot, or install the demo."
            )
            if model.fault is not None:
                words = f"{model.fault.summary[:1].upper()}{model.fault.summary[1:]}"
            self.view.show_screen(None, None, "", "", words)
            self.words.setText("")
            self.mean.setText("")
            self.driver.setText("")
            return
        wish = found.wish
        high, wide = found.frame.shape[:2]
        self.words.setText(f"{wish.shot.name} · {wide} × {high} · frame {wish.number + 1}")
        parts = [
            f"{n} {100 * p:.0f} %" for n, p in zip(found.names, _full(wish), strict=False) if p
        ]
        self.view.show_screen(image_of(found.picture), None, "", " · ".join(parts), "")
        if model.kind != FILTER:
            names = iter(found.names)
            in_zones = tuple(
                "" if look.is_empty else f"{next(names, '')} {100 * part:.0f} %"
                for look, part in zip(wish.looks, wish.parts, strict=True)
            )
            self.floor.show_walk(wish.walk, wish.number, in_zones)
        self._show_figures()

    def _show_figures(self) -> None:
        model, found, figures = self._model, self._model.sight, self._model.figures
        if found is None or model.clock.is_running:
            return
        if figures is None or not found.names:
            self.mean.setText("measuring …" if found.names else "No look lies on the picture.")
        else:
            off = figures.off
            self.mean.setText(
                f"{off.mean:.2f} ΔE mean   {off.p99:.2f} at 99 %   {off.worst:.1f} at worst"
            )
        words = f"drawn by {found.drawn.driver}" if found.drawn.driver else ""
        if figures is not None and figures.ms is not None:
            words += f" · the shader takes {figures.ms:.1f} ms at 1920 × 1080 here"
        self.driver.setText(words)

    def _show_rate(self, rate: float) -> None:
        if self._model.clock.is_running:
            self.rate.setText(f"{rate:.1f} frames a second shown")

    @guarded
    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._model.open(True)
        self.zones[0].setFocus()

    @guarded
    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        self._model.open(False)


def _full(wish: Any) -> list[float]:
    """Return the parts of the looks that are not empty."""
    return [p for look, p in zip(wish.looks, wish.parts, strict=True) if not look.is_empty]
