"""The window: lays out the panels and carries out the actions."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import QByteArray, Qt, QTimer
from PySide6.QtGui import QUndoStack
from PySide6.QtWidgets import (
    QHBoxLayout,
    QMainWindow,
    QMenu,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from sfumato._version import VERSION
from sfumato.app import theme
from sfumato.app.controls.editor import quiet
from sfumato.app.rooms.apply.apply_edits import ApplyEdits
from sfumato.app.rooms.apply.apply_room import ApplyRoom
from sfumato.app.rooms.apply.paint_edits import PaintEdits
from sfumato.app.rooms.apply.paint_model import PaintModel
from sfumato.app.rooms.apply.paint_page import PaintPage
from sfumato.app.rooms.convert.conversions import Conversions
from sfumato.app.rooms.convert.convert_model import ConvertModel
from sfumato.app.rooms.convert.convert_room import ConvertRoom
from sfumato.app.rooms.look.coat_edits import CoatEdits
from sfumato.app.rooms.look.easel_panel import EaselPanel
from sfumato.app.rooms.look.exports import Exports
from sfumato.app.rooms.look.instruments_panel import Instruments
from sfumato.app.rooms.look.ledger import Ledger
from sfumato.app.rooms.look.preset_edits import PresetEdits
from sfumato.app.rooms.look.seal import Seal
from sfumato.app.rooms.look.shot_edits import ShotEdits
from sfumato.app.rooms.look.shots import ShotsStrip
from sfumato.app.rooms.look.torn import TornParts
from sfumato.app.rooms.look.view_edits import DESKTOP, ViewEdits
from sfumato.app.rooms.swatchbook.swatch_edits import SwatchEdits
from sfumato.app.rooms.swatchbook.swatch_model import SwatchModel
from sfumato.app.rooms.swatchbook.swatch_room import SwatchRoom
from sfumato.app.services.actions import TABLE, Actions
from sfumato.app.services.desk import Desk
from sfumato.app.services.jobs import Queue
from sfumato.app.services.notices import Notices
from sfumato.app.services.ports import Ports
from sfumato.app.services.settings import Settings
from sfumato.app.services.study_model import StudyModel
from sfumato.app.services.view_state import MODES, ViewState
from sfumato.app.views.scope import TITLES
from sfumato.app.window.encoding_edits import EncodingEdits
from sfumato.app.window.keys_sheet import KeysSheet
from sfumato.app.window.notice_strip import NoticeStrip, WorkLine
from sfumato.app.window.palette import Palette
from sfumato.app.window.rail import Rail
from sfumato.app.window.report_dialog import ReportDialog
from sfumato.app.window.study_files import StudyFiles
from sfumato.core.colour.encodings import Family
from sfumato.core.errors import SfumatoError
from sfumato.core.measure.graticule import PERCENT, UNITS
from sfumato.core.study.study import LOOK, Study
from sfumato.formats.registry import by_suffix as lut_suffix
from sfumato.media.registry import by_suffix
from sfumato.work.preview.preview import DEVICE, EXACT, FILE, LUT, MATTE, PINNED
from sfumato.work.stores import study_store
from sfumato.work.stores.ocio_config import SUFFIXES as CONFIGS
from sfumato.work.stores.presets import SUFFIXES as PRESETS


class MainWindow(QMainWindow):
    def __init__(
        self,
        settings: Settings,
        ports: Ports | None = None,
        demo: Path | None = None,
    ) -> None:
        super().__init__()
        self.settings = settings
        self.ports = ports or Ports()
        self._demo, self._begun = demo, False
        self.model = StudyModel(self)
        self.view = ViewState(self)
        self.notices = Notices(self)
        self.convert_model = ConvertModel(self.notices, self)
        self.desk = Desk(self.model, self.view, self.notices, self)
        self.swatch_model = SwatchModel(self.desk, self.notices, self)
        self.paint_model = PaintModel(self.desk, self.notices, self)
        self.queue = Queue(self)
        self.setWindowTitle("Sfumato")
        self.setAcceptDrops(True)
        self.setMinimumSize(1100, 700)
        self.resize(1280, 800)
        self._restore_view()
        self._lay_out()
        self.files = StudyFiles(self, self.model, self.notices, settings, ports or Ports(), demo)
        self.coats = CoatEdits(self, self.model, self.view, self.desk, self.ledger)
        self.conversions = Conversions(
            self,
            self.convert_model,
            self.convert_room,
            self.desk,
            self.queue,
            self.notices,
            settings,
            self.ports,
            demo,
        )
        self.shot_edits = ShotEdits(self, self.model, self.view, self.desk, self.notices)
        self.exports = Exports(self, self.model, self.view, self.desk, self.notices)
        self.presets = PresetEdits(self, self.model, self.view, self.desk, self.notices)
        self.swatch_edits = SwatchEdits(
            self,
            self.swatch_model,
            self.swatch_room,
            self.model,
            self.desk,
            self.notices,
            settings,
        )
        self.apply_edits = ApplyEdits(
            self, self.apply_room, self.model, self.desk, self.notices, settings
        )
        self.paint_edits = PaintEdits(
            self,
            self.apply_pages,
            self.apply_room,
            self.paint_page,
            self.paint_model,
            self.desk,
            self.notices,
        )
        self.encodings = EncodingEdits(self, self.model, self.desk, self.notices)
        self.view_edits = ViewEdits(self, self.view)
        self.torn = TornParts(self)
        owners = (
            self.files,
            self.coats,
            self.presets,
            self.encodings,
            self.swatch_edits,
            self.apply_edits,
            self.paint_edits,
            self.shot_edits,
            self.exports,
            self.conversions,
            self.view_edits,
            self,
        )
        self.actions_table = Actions(self, owners)
        self._make_menus()
        self._connect()
        self._restore_window()
        self.view_edits.take_screen(str(settings.get("screen", DESKTOP)))
        self.refresh_actions()

    def showEvent(self, event) -> None:
        super().showEvent(event)
        QTimer.singleShot(0, self, self._at_first)

    def _at_first(self) -> None:
        """Once the window is there: focus, and the windows that stood beside it."""
        if self._begun:
            return
        self._begun = True
        self.easel_panel.take_focus()
        for name in str(self.settings.get("torn/open", "")).split(","):
            if name in ("easel", "instruments") and name not in self.torn.windows:
                getattr(self.view_edits, f"tear_{name}")()

    # --- building --------------------------------------------------------------------------------
    def _lay_out(self) -> None:
        self.ledger = Ledger(self.model, self.view, self.desk, self.notices)
        self.seal = Seal(self.model, self.desk)
        self.shots = ShotsStrip()
        self.shots.setObjectName("shots")
        self.easel_panel = EaselPanel(self.model, self.view, self.desk)
        self.instruments = Instruments(self.model, self.view, self.desk)
        self.strip = NoticeStrip(self.notices)
        left = QWidget()
        left.setObjectName("panel")
        left.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        left.setFixedWidth(340)
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.ledger, 1)
        column.addWidget(self.seal)
        right = QWidget()
        column = QVBoxLayout(right)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.shots)
        column.addWidget(self.easel_panel, 1)
        column.addWidget(self.instruments)
        self.easel_gone = quiet(
            "The picture stands in a window of its own; close that to bring it back."
        )
        self.easel_gone.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.easel_gone.hide()
        column.addWidget(self.easel_gone, 1)
        self.look_column = column
        look = QWidget()
        row = QHBoxLayout(look)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        row.addWidget(left)
        row.addWidget(right, 1)
        self.convert_room = ConvertRoom(self.convert_model)
        self.rooms = QStackedWidget()
        self.swatch_room = SwatchRoom(self.swatch_model)
        self.apply_room = ApplyRoom(self.model)
        self.paint_page = PaintPage(self.paint_model)
        self.apply_pages = QStackedWidget()
        self.apply_pages.addWidget(self.apply_room)
        self.apply_pages.addWidget(self.paint_page)
        self._room_pages = {
            "look": look,
            "swatchbook": self.swatch_room,
            "convert": self.convert_room,
            "apply": self.apply_pages,
        }
        for page in self._room_pages.values():
            self.rooms.addWidget(page)
        self.work_line = WorkLine(self.queue)
        column = QVBoxLayout()
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.strip)
        column.addWidget(self.rooms, 1)
        column.addWidget(self.work_line)
        whole = QWidget()
        row = QHBoxLayout(whole)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        row.addWidget(Rail(self.view))
        row.addLayout(column, 1)
        self.setCentralWidget(whole)

    def _make_menus(self) -> None:
        bar = self.menuBar()
        menus: dict[str, QMenu] = {}
        for spec in TABLE:
            if spec.menu not in menus:
                menus[spec.menu] = bar.addMenu(spec.menu)
            if spec.separator:
                menus[spec.menu].addSeparator()
            action = self.actions_table.by_id[spec.id]
            menus[spec.menu].addAction(action)
            self.addAction(action)
            if spec.id == "open_study":
                self._recent_menu = menus[spec.menu].addMenu("Open recent")
                self._recent_menu.aboutToShow.connect(self._fill_recent)
        self._fill_recent()

    def _fill_recent(self) -> None:
        self._recent_menu.clear()
        for name in self.settings.recent:
            self._recent_menu.addAction(name, lambda n=name: self.files.open_file(Path(n)))
        self._recent_menu.setEnabled(bool(self.settings.recent))

    def _connect(self) -> None:
        self.model.changed.connect(self._on_changed)
        self.model.file_changed.connect(self._on_file_changed)
        for stack in (m.undo_stack for m in (self.model, self.convert_model, self.swatch_model)):
            stack.indexChanged.connect(lambda _i: self.refresh_actions())
        self.convert_model.chosen_changed.connect(self.refresh_actions)
        self.apply_room.bring_in.connect(self.shot_edits.bring_in)
        self.apply_room.table.currentCellChanged.connect(lambda *_places: self.refresh_actions())
        self.swatch_model.chosen_changed.connect(self.refresh_actions)
        self.view.changed.connect(self._on_view)
        self.shots.chosen.connect(lambda s: self.view.set("shot", s))
        self.shots.marked.connect(self.shot_edits.mark)
        panel_contact = self.easel_panel.contact
        panel_contact.marked.connect(self.shot_edits.mark)
        panel_contact.menu_wanted.connect(self.shot_edits.show_menu)
        self.shots.moved.connect(self.shot_edits.move)
        self.shots.bring_in.connect(self.shot_edits.bring_in)
        self.shots.menu_wanted.connect(self.shot_edits.show_menu)
        self.shots.remove_wanted.connect(self.shot_edits.remove)
        self.ledger.coat_menu_wanted.connect(self.coats.show_menu)
        self.ledger.encodings_wanted.connect(self.encodings.open_encodings)
        self.encodings.changed.connect(self.ledger.refresh)
        self.ledger.presets_wanted.connect(self.presets.open_presets)
        self.seal.export_wanted.connect(self.exports.export_lut)
        self.seal.smallest_wanted.connect(self.exports.find_grid)
        self.seal.difference_wanted.connect(self.exports.show_difference)
        panel = self.easel_panel
        panel.bring_in.connect(self.shot_edits.bring_in)
        panel.open_demo.connect(self.files.open_demo)
        panel.encoding_wanted.connect(self.ledger.choose_encoding)
        panel.guess_taken.connect(self.shot_edits.take_guess)
        panel.doubt_dismissed.connect(self.shot_edits.dismiss_doubt)
        panel.left.connect(self.instruments.clear_pick)
        panel.picked.connect(self.coats.take_pick)
        panel.play.clicked.connect(self.shot_edits.play_clip)
        panel.bar.play_wanted.connect(self.shot_edits.play_clip)
        panel.bar.moved.connect(self.shot_edits.set_frame)
        panel.bar.limited.connect(self.shot_edits.set_range)
        panel.bar.released.connect(self.shot_edits.frames_released)
        self.shot_edits.player.shown_rate.connect(lambda fps: setattr(panel, "fps", fps))
        self.files.about_to_replace.connect(self._forget_view)
        self.files.replaced.connect(self._show_first_shot)
        self.desk.thumbs.connect(self.shots.show_thumbs)
        self.desk.guesses.connect(self._show_guesses)
        self.desk.shown.connect(lambda _s: self.refresh_actions())
        self.queue.finished.connect(self._on_finished)
        self.queue.refused.connect(self.notices.fault)
        self.queue.cancelled.connect(
            lambda t: self.notices.note(f"{t} was cancelled", "nothing was written")
        )
        self.queue.crashed.connect(self.notices.bug)
        self.notices.bug.connect(self._on_bug)

    # --- keeping up ------------------------------------------------------------------------------
    def _on_changed(self, _before: Study, after: Study) -> None:
        ids = {s.id for s in after.shots}
        if self.view.get("shot") not in ids:
            self.view.set("shot", after.shots[0].id if after.shots else "")
        known = {c.id for c in after.every_coat()}
        self.view.set("marked", tuple(i for i in self.view.get("marked") if i in known))
        coat = self.view.get("coat")
        if coat:
            try:
                home = after.root(coat)
                if home not in (LOOK, self.view.get("shot")):
                    self.view.set("coat", "")
            except KeyError:
                self.view.set("coat", "")
                self.view.set("picking", "")
        if self.view.get("pinned") not in ids:
            self.shot_edits.unpin()
        marked = self.view.get("marked_shots")
        self.view.set("marked_shots", tuple(i for i in marked if i in ids))
        self._show_shots()
        self.refresh_actions()

    def _show_guesses(self, _guesses: Any) -> None:
        """Mark the shots whose numbers look like another encoding than the one that is stated."""
        marks = {}
        for shot in self.model.study.shots:
            doubt = self.desk.doubt(shot)
            if doubt is not None:
                word = "log?" if doubt.family is Family.LOG else "display?"
                marks[shot.id] = (word, f"looks like {doubt.name}: {doubt.evidence}")
        self.shots.show_doubts(marks)
        self.easel_panel.refresh()

    def _show_shots(self) -> None:
        get = self.view.get
        self.shots.show_shots(self.model.study.shots, get("shot"), get("marked_shots"))

    @property
    def _stack(self) -> QUndoStack:
        """The undo stack of the room that is open."""
        owners = {"convert": self.convert_model, "swatchbook": self.swatch_model}
        return owners.get(self.view.get("room"), self.model).undo_stack

    def undo(self) -> None:
        self.model.end_gesture()
        self._stack.undo()

    def redo(self) -> None:
        self.model.end_gesture()
        self._stack.redo()

    def _on_view(self, name: str) -> None:
        if name == "room":
            self.rooms.setCurrentWidget(self._room_pages[self.view.get("room")])
            if self.view.get("room") == "swatchbook":
                self.swatch_room.take_focus()
        if name in ("coat", "shot") and self.view.get("solo") != self.view.get("coat"):
            self.view.set("solo", "")
        if name == "coat" and not self.view.get("coat"):
            for side, usual in (("a", "ground"), ("b", LUT)):
                if self.view.get(side) == MATTE:
                    self.view.set(side, usual)
        if name == "believed":
            self._show_guesses(None)
        if name == "b" and self.view.get("b") == DEVICE:
            self.view_edits.simulate_target()
        if name in ("shot", "marked_shots"):
            self._show_shots()
        if name == "shot":
            coat = self.view.get("coat")
            if coat and self.model.study.root(coat) not in (LOOK, self.view.get("shot")):
                self.view.set("coat", "")
            self.seal.refresh()
        self.refresh_actions()

    def _on_file_changed(self) -> None:
        name = self.model.file.name if self.model.file else self.model.study.name
        self.setWindowTitle(f"{name}[*] — Sfumato")
        self.setWindowModified(self.model.is_edited)
        self.refresh_actions()

    def refresh_actions(self) -> None:
        study, stack = self.model.study, self._stack
        coat = self.view.get("coat")
        spec = study.coat(coat).spec if coat else None
        in_look = self.view.get("room") == "look"
        painting = bool(self.paint_model.shot_id) and self.view.get("room") == "apply"
        true = {
            "has_file": self.model.file is not None and self.model.is_edited,
            "has_glazes": bool(study.look.coats) and in_look,
            "has_look": bool(study.look.coats or study.shots),
            "has_proof": self.exports.proof is not None,
            "can_undo": stack.canUndo(),
            "can_redo": stack.canRedo(),
            "has_shot": self.desk.shot is not None and in_look,
            "has_shot_group": in_look and self.desk.shot is not None and bool(self.desk.shot.group),
            "has_marked_shots": in_look and bool(self.view.get("marked_shots")),
            "is_clip": in_look and self.shot_edits.is_clip,
            "has_coat": bool(coat) and in_look,
            "has_glaze": spec is not None and in_look,
            "has_group": bool(coat) and in_look and study.coat(coat).is_group,
            "can_pick": in_look
            and spec is not None
            and spec.pick is not None
            and self.desk.shot is not None,
            "in_look": in_look,
            "has_still": self.paint_edits.can_paint,
            "is_painting": painting,
            "has_easel": in_look or painting,
            "has_cdl": in_look and spec is not None and spec.key == "cdl",
            "in_swatchbook": self.view.get("room") == "swatchbook",
            "has_swatch": self.view.get("room") == "swatchbook"
            and self.swatch_model.chosen is not None,
            "has_lut": self.view.get("room") == "convert"
            and self.convert_model.entry() is not None,
        }
        self.actions_table.refresh({k for k, v in true.items() if v})
        undo, redo = self.actions_table.by_id["undo"], self.actions_table.by_id["redo"]
        for action, text in (
            (undo, f"Undo {stack.undoText()}"),
            (redo, f"Redo {stack.redoText()}"),
        ):
            if action.text() != text.strip():
                action.setText(text.strip())

    def _on_bug(self, text: str) -> None:
        self.files.autosave_now()
        ReportDialog(f"Sfumato {VERSION}\n\n{text}", self).open()

    def _forget_view(self) -> None:
        self.shot_edits.player.stop()
        self.view.set("coat", "")
        self.view.set("picking", "")
        self.exports.forget_proof()

    def _show_first_shot(self) -> None:
        shots = self.model.study.shots
        self.view.set("shot", shots[0].id if shots else "")
        self._show_shots()
        self.refresh_actions()

    def _on_finished(self, tag: str, answer: Any) -> None:
        if tag == "config":
            self.encodings.config_opened(answer)
        elif tag == "bring in":
            self.shot_edits.brought_in(answer)
        elif tag == "export":
            self.exports.exported(answer)
        elif tag == "propose":
            self.shot_edits.ground_proposed(answer)
        elif tag == "smallest":
            self.exports.found_grid(answer)
        self.refresh_actions()

    def open_palette(self) -> None:
        specs = [s for s in TABLE if s.id != "open_palette"]
        Palette([self.actions_table.by_id[s.id] for s in specs], self).open()

    def keyboard_sheet(self) -> None:
        KeysSheet(self.actions_table, self).open()

    def about(self) -> None:
        self.notices.note(
            f"Sfumato {VERSION}: builds LUTs from grades and proves them", "MIT licence"
        )

    # --- files dropped, keys, closing ------------------------------------------------------------
    def dragEnterEvent(self, event) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event) -> None:
        files = [Path(u.toLocalFile()) for u in event.mimeData().urls() if u.isLocalFile()]
        event.acceptProposedAction()
        at = self.shots.mapFrom(self, event.position().toPoint())
        self.take_files(files, self.shots.shot_at(at) or LOOK)

    def take_files(self, files: list[Path], where: str = LOOK) -> None:
        """Do the sensible thing for each dropped file; presets go to `where`, the Look or a shot."""
        if self.view.get("room") == "swatchbook":
            files = self.swatch_edits.take(files)
        for file in files:
            if file.suffix == ".json":
                self.encodings.open_file(file)
            elif file.suffix in CONFIGS:
                self.encodings.take_config(str(file))
        saved = [f for f in files if f.suffix in PRESETS]
        self.presets.take(saved, where)
        files = [f for f in files if f not in saved and f.suffix not in (".json", *CONFIGS)]
        studies = [f for f in files if f.suffix == study_store.SUFFIX]
        luts = [f for f in files if f not in studies and self._is_lut(f)]
        if luts and (self.view.get("room") == "convert" or any(f.is_dir() for f in luts)):
            self.conversions.take(luts)
        elif luts and self.view.get("room") == "apply":
            if self.paint_model.shot_id:
                for file in luts:
                    self.paint_edits.add_layer(file)
            else:
                self.apply_edits.take_lut(luts[-1])
        elif luts:
            self.coats.lay_files(luts)
        files = [f for f in files if f not in luts]
        pictures = [f for f in files if by_suffix(f.name) is not None]
        if studies:
            self.files.open_file(studies[0])
        self.shot_edits.bring_in_files(pictures)
        for other in files:
            if other not in studies and other not in pictures:
                self.notices.fault(
                    SfumatoError(
                        "this kind of file cannot be taken in here",
                        hint="drop pictures, clips, LUT files, presets or a study",
                        where=other.name,
                    )
                )

    def _is_lut(self, file: Path) -> bool:
        """Whether a dropped file is taken as a LUT: in the Convert room also pictures and folders."""
        if self.view.get("room") == "convert" or file.is_dir():
            return file.is_dir() or lut_suffix(file.name) is not None
        return lut_suffix(file.name) is not None and by_suffix(file.name) is None

    def keyPressEvent(self, event) -> None:
        if event.key() == Qt.Key.Key_Escape and self.view.get("picking"):
            self.view.set("picking", "")
        else:
            super().keyPressEvent(event)

    def close_window(self) -> None:
        self.close()

    def closeEvent(self, event) -> None:
        if not self.files.may_leave():
            event.ignore()
            return
        self.conversions.close()
        self.coats.close()
        self.presets.close()
        self.swatch_edits.close()
        self.apply_edits.close()
        self.paint_edits.close()
        self.shot_edits.close()
        self._keep_window()
        self.torn.close()
        if self.view_edits.device_sheet is not None:
            self.view_edits.device_sheet.close()
        self.model.undo_stack.blockSignals(True)
        self.files.close()
        self.queue.close()
        self.desk.close()
        event.accept()

    def _keep_window(self) -> None:
        self.settings.set("geometry", self.saveGeometry())
        for name in ("a", "b", "mode", "mount", "split_across"):
            if self.view.get(name) not in (FILE, MATTE, PINNED, DEVICE):
                self.settings.set(f"view/{name}", self.view.get(name))
        self.settings.set("torn/open", ",".join(self.torn.windows))
        self.settings.set("view/instruments", ",".join(self.view.get("instruments")))
        for name in ("limits", "scope_unit"):
            self.settings.set(f"view/{name}", self.view.get(name))
        self.settings.set("view/instruments_shown", self.view.get("instruments_shown"))
        self.settings.sync()

    def _restore_view(self) -> None:
        allowed = {
            "a": {"source", "ground", EXACT, LUT},
            "b": {"source", "ground", EXACT, LUT},
            "mode": set(MODES),
            "mount": set(theme.MOUNTS),
        }
        for name, values in allowed.items():
            value = self.settings.get(f"view/{name}", self.view.get(name))
            if value in values:
                self.view.set(name, value)
        self.view.set("split_across", self.settings.get("view/split_across", False))
        self.view.set("instruments_shown", self.settings.get("view/instruments_shown", True))
        kinds = tuple(str(self.settings.get("view/instruments", "")).split(","))
        self.view.set("limits", self.settings.get("view/limits", False))
        unit = self.settings.get("view/scope_unit", PERCENT)
        self.view.set("scope_unit", unit if unit in UNITS else PERCENT)
        if 2 <= len(kinds) <= 4 and all(k in TITLES for k in kinds):
            self.view.set("instruments", kinds)

    def _restore_window(self) -> None:
        geometry = self.settings.get("geometry")
        if isinstance(geometry, QByteArray):
            self.restoreGeometry(geometry)
