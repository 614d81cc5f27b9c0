"""The window: lays out the panels and carries out the actions."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

import attrs
from PySide6.QtCore import QByteArray, Qt, QTimer
from PySide6.QtGui import QUndoStack
from PySide6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QMainWindow,
    QMenu,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from sfumato._version import VERSION
from sfumato.app import theme
from sfumato.app.actions import TABLE, Actions
from sfumato.app.model.convert_model import ConvertModel
from sfumato.app.model.desk import Desk
from sfumato.app.model.jobs import Queue
from sfumato.app.model.notices import Notices
from sfumato.app.model.settings import Settings
from sfumato.app.model.study_model import StudyModel
from sfumato.app.model.view_state import MODES, ViewState
from sfumato.app.panels.convert_room import ConvertRoom
from sfumato.app.panels.easel_panel import EaselPanel
from sfumato.app.panels.instruments import Instruments
from sfumato.app.panels.ledger import Ledger
from sfumato.app.panels.notice_strip import NoticeStrip, WorkLine
from sfumato.app.panels.rail import Rail
from sfumato.app.panels.seal import Seal
from sfumato.app.views.scope import TITLES
from sfumato.app.views.shots import ShotsStrip
from sfumato.app.windows.coat_edits import CoatEdits
from sfumato.app.windows.conversions import Conversions
from sfumato.app.windows.export_sheet import ExportSheet, ExportWish
from sfumato.app.windows.palette import Palette
from sfumato.app.windows.ports import Ports
from sfumato.app.windows.report_dialog import ReportDialog
from sfumato.app.windows.study_files import StudyFiles
from sfumato.core.errors import SfumatoError
from sfumato.core.path import span_names
from sfumato.core.study import LOOK, Shot, Study, new_id
from sfumato.formats.registry import by_suffix as lut_suffix
from sfumato.media.registry import by_suffix
from sfumato.work import study_store
from sfumato.work.frames import open_still
from sfumato.work.preview import EXACT, FILE, LUT, MATTE
from sfumato.work.proof import Proof, export_look


class MainWindow(QMainWindow):
    def __init__(
        self,
        settings: Settings,
        ports: Ports | None = None,
        demo: Path | None = None,
    ) -> None:
        super().__init__()
        self._settings = settings
        self.ports = ports or Ports()
        self._demo = demo
        self.model = StudyModel(self)
        self.view = ViewState(self)
        self.notices = Notices(self)
        self.convert_model = ConvertModel(self.notices, self)
        self.desk = Desk(self.model, self.view, self.notices, self)
        self.queue = Queue(self)
        self.proof: Proof | None = None
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
        self.actions_table = Actions(self, (self.files, self.coats, self.conversions, self))
        self._make_menus()
        self._connect()
        self._restore_window()
        self._refresh_actions()

    def showEvent(self, event) -> None:
        super().showEvent(event)
        QTimer.singleShot(0, self, lambda: self.easel_panel.take_focus())

    # --- building --------------------------------------------------------------------------------
    def _lay_out(self) -> None:
        self.ledger = Ledger(self.model, self.view, self.desk, self.notices)
        self.seal = Seal(self.model, self.desk)
        self.shots = ShotsStrip()
        self.shots.setObjectName("shots")
        self.easel_panel = EaselPanel(self.model, self.view, self.desk)
        self.instruments = Instruments(self.view, self.desk)
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
        look = QWidget()
        row = QHBoxLayout(look)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        row.addWidget(left)
        row.addWidget(right, 1)
        self.convert_room = ConvertRoom(self.convert_model)
        self.rooms = QStackedWidget()
        self._room_pages = {"look": look, "convert": self.convert_room}
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
        for name in self._settings.recent:
            self._recent_menu.addAction(name, lambda n=name: self.files.open_file(Path(n)))
        self._recent_menu.setEnabled(bool(self._settings.recent))

    def _connect(self) -> None:
        self.model.changed.connect(self._on_changed)
        self.model.file_changed.connect(self._on_file_changed)
        for stack in (self.model.undo_stack, self.convert_model.undo_stack):
            stack.indexChanged.connect(lambda _i: self._refresh_actions())
        self.convert_model.chosen_changed.connect(self._refresh_actions)
        self.view.changed.connect(self._on_view)
        self.shots.chosen.connect(lambda s: self.view.set("shot", s))
        self.shots.bring_in.connect(self.bring_in)
        self.shots.menu_wanted.connect(self._shot_menu)
        self.shots.remove_wanted.connect(self._remove_shot)
        self.ledger.coat_menu_wanted.connect(self.coats.show_menu)
        self.seal.export_wanted.connect(self.export_lut)
        self.seal.difference_wanted.connect(self.show_difference)
        panel = self.easel_panel
        panel.bring_in.connect(self.bring_in)
        panel.open_demo.connect(self.files.open_demo)
        panel.encoding_wanted.connect(self.choose_encoding)
        panel.picked.connect(self.coats.take_pick)
        self.files.about_to_replace.connect(self._forget_view)
        self.files.replaced.connect(self._show_first_shot)
        self.desk.thumbs.connect(self.shots.show_thumbs)
        self.desk.shown.connect(lambda _s: self._refresh_actions())
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
        coat = self.view.get("coat")
        if coat:
            try:
                home = after.home(coat)
                if home not in (LOOK, self.view.get("shot")):
                    self.view.set("coat", "")
            except KeyError:
                self.view.set("coat", "")
                self.view.set("picking", "")
        self.shots.show_shots(after.shots, self.view.get("shot"))
        self._refresh_actions()

    @property
    def _stack(self) -> QUndoStack:
        """The undo stack of the room that is open."""
        in_convert = self.view.get("room") == "convert"
        return self.convert_model.undo_stack if in_convert else self.model.undo_stack

    def undo(self) -> None:
        self.model.end_gesture()
        self._stack.undo()

    def redo(self) -> None:
        self.model.end_gesture()
        self._stack.redo()

    def _on_view(self, name: str) -> None:
        if name == "room":
            self.rooms.setCurrentWidget(self._room_pages[self.view.get("room")])
        if name in ("coat", "shot") and self.view.get("solo") != self.view.get("coat"):
            self.view.set("solo", "")
        if name == "coat" and not self.view.get("coat"):
            for side, usual in (("a", "ground"), ("b", LUT)):
                if self.view.get(side) == MATTE:
                    self.view.set(side, usual)
        if name == "shot":
            self.shots.show_shots(self.model.study.shots, self.view.get("shot"))
            coat = self.view.get("coat")
            if coat and self.model.study.home(coat) not in (LOOK, self.view.get("shot")):
                self.view.set("coat", "")
            self.seal.refresh()
        self._refresh_actions()

    def _on_file_changed(self) -> None:
        name = self.model.file.name if self.model.file else self.model.study.name
        self.setWindowTitle(f"{name}[*] — Sfumato")
        self.setWindowModified(self.model.is_edited)
        self._refresh_actions()

    def _refresh_actions(self) -> None:
        study, stack = self.model.study, self._stack
        coat = self.view.get("coat")
        spec = study.coat(coat).spec if coat else None
        in_look = self.view.get("room") == "look"
        true = {
            "has_file": self.model.file is not None and self.model.is_edited,
            "has_look": bool(study.look.coats or study.shots),
            "has_proof": self.proof is not None,
            "can_undo": stack.canUndo(),
            "can_redo": stack.canRedo(),
            "has_shot": self.desk.shot is not None and in_look,
            "has_coat": bool(coat) and in_look,
            "can_pick": in_look
            and spec is not None
            and spec.pick is not None
            and self.desk.shot is not None,
            "in_look": in_look,
            "has_cdl": in_look and spec is not None and spec.key == "cdl",
            "has_lut": not in_look and self.convert_model.entry() is not None,
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
        self.view.set("coat", "")
        self.view.set("picking", "")
        self._forget_proof()

    def _show_first_shot(self) -> None:
        shots = self.model.study.shots
        self.view.set("shot", shots[0].id if shots else "")
        self.shots.show_shots(shots, self.view.get("shot"))
        self._refresh_actions()

    # --- shots -----------------------------------------------------------------------------------
    def bring_in(self) -> None:
        folder = self._settings.get("folder", str(Path.home()))
        self.bring_in_files(self.ports.choose_pictures(self, folder))

    def bring_in_files(self, files: list[Path]) -> None:
        """Bring pictures and clips into the study, in the background; what fails is said."""
        if not files:
            return
        self._settings.set("folder", str(files[0].parent))

        def work(cancel: Any, progress: Any) -> tuple[list[Shot], list[SfumatoError], list[str]]:
            shots: list[Shot] = []
            faults: list[SfumatoError] = []
            remarks: list[str] = []
            for i, file in enumerate(files):
                cancel.check()
                progress(i / len(files), file.name)
                try:
                    still = open_still(file)
                except SfumatoError as error:
                    faults.append(error)
                    continue
                remarks += [f"{file.name}: {r}" for r in still.facts.remarks]
                path = os.path.abspath(file)
                shots.append(Shot(path, file.stem, still.facts.encoding, 0, (), new_id()))
            return shots, faults, remarks

        self.queue.add(
            f"Bringing in {len(files)} file{'s' if len(files) != 1 else ''}", work, "bring in"
        )

    def _brought_in(self, answer: Any) -> None:
        shots, faults, remarks = answer
        if shots:
            after = self.model.study.brought_in(tuple(shots))
            names = shots[0].name if len(shots) == 1 else f"{len(shots)} shots"
            self.model.commit(f"Bring in {names}", after)
            self.view.set("shot", shots[0].id)
        for fault in faults:
            self.notices.fault(fault)
        if remarks and not faults:
            self.notices.note(remarks[0])

    def _shot_menu(self, shot_id: str, place: Any) -> None:
        self.view.set("shot", shot_id)
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for name in ("choose_encoding", "copy_ground_on", "remove_shot"):
            menu.addAction(self.actions_table.by_id[name])
        menu.popup(place)

    def _step_shot(self, step: int) -> None:
        shots, now = self.model.study.shots, self.desk.shot
        if now is not None:
            index = [s.id for s in shots].index(now.id)
            self.view.set("shot", shots[(index + step) % len(shots)].id)

    def previous_shot(self) -> None:
        self._step_shot(-1)

    def next_shot(self) -> None:
        self._step_shot(1)

    def remove_shot(self) -> None:
        if self.desk.shot is not None:
            self._remove_shot(self.desk.shot.id)

    def _remove_shot(self, shot_id: str) -> None:
        study = self.model.study
        self.model.commit(f"Take out {study.shot(shot_id).name}", study.without_shot(shot_id))

    def choose_encoding(self) -> None:
        self.ledger.choose_encoding()

    def copy_ground_on(self) -> None:
        shot, study = self.desk.shot, self.model.study
        if shot is None:
            return
        index = [s.id for s in study.shots].index(shot.id)
        for later in study.shots[index + 1 :]:
            copied = tuple(attrs.evolve(c, id=new_id()) for c in shot.ground)
            study = study.with_shot(later.id, ground=copied)
        self.model.commit(f"Copy the Ground of {shot.name} onwards", study)

    # --- export ----------------------------------------------------------------------------------
    def export_lut(self) -> None:
        study, shot = self.model.study, self.desk.shot
        entry, leave = span_names(study, shot)
        warning = ""
        if study.span.with_ground:
            if shot is None:
                return
            warning = f"Includes the Ground of {shot.name}: right for this shot only."
        folder = Path(self._settings.get("export_folder", str(Path.home())))
        sheet = ExportSheet(
            self,
            study.look.name,
            folder,
            study.grid,
            f"{entry} → {leave}",
            warning,
            lambda f: self.ports.choose_folder(self, f),
        )
        sheet.accepted.connect(lambda: self._export(sheet.wish))
        sheet.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        sheet.open()

    def _export(self, wish: ExportWish | None) -> None:
        if wish is None:
            return
        self._settings.set("export_folder", str(wish.file.parent))
        study = self.model.study
        if wish.grid != study.grid:
            study = attrs.evolve(study, grid=wish.grid)
            self.model.commit("Grid", study)
        shot, frames = self.desk.shot, self.desk.frames

        def work(cancel: Any, progress: Any) -> tuple[Study, Proof]:
            proof = export_look(
                study,
                frames,
                wish.file,
                shot=shot if study.span.with_ground else None,
                title=wish.title,
                force=wish.force,
                cancel=cancel,
                progress=progress,
            )
            return study, proof

        self.queue.add(f"Exporting {wish.file.name}", work, "export")

    def _on_finished(self, tag: str, answer: Any) -> None:
        if tag == "bring in":
            self._brought_in(answer)
        elif tag == "export":
            study, proof = answer
            self.proof = proof
            if self.model.study == study:
                self.seal.show_proof(proof)
            verdict = "proved" if proof.proved else "written, but out of tolerance"
            say = self.notices.good if proof.proved else self.notices.note
            say(
                f"{proof.file.name} is {verdict}: {proof.worst:.2f} ΔE at worst",
                str(proof.file.parent),
            )
            self.view.set("written", proof.transform)
        self._refresh_actions()

    def _forget_proof(self) -> None:
        self.proof = None
        self.view.set("written", None)
        for side, usual in (("a", "ground"), ("b", LUT)):
            if self.view.get(side) == FILE:
                self.view.set(side, usual)

    def show_difference(self) -> None:
        """One click from a written file to the picture of what it does differently."""
        if self.proof is None:
            return
        self.view.set("a", EXACT)
        self.view.set("b", FILE)
        self.view.set("mode", "difference")

    # --- view ------------------------------------------------------------------------------------
    def room_look(self) -> None:
        self.view.set("room", "look")

    def room_convert(self) -> None:
        self.view.set("room", "convert")

    def mode_one(self) -> None:
        self.view.set("mode", "one")

    def mode_split(self) -> None:
        self.view.set("mode", "split")

    def mode_side(self) -> None:
        self.view.set("mode", "side")

    def mode_difference(self) -> None:
        self.view.set("mode", "difference")

    def turn_split(self) -> None:
        self.view.set("split_across", not self.view.get("split_across"))

    def swap_sides(self) -> None:
        a, b = self.view.get("a"), self.view.get("b")
        self.view.set("a", b)
        self.view.set("b", a)

    def zoom_fit(self) -> None:
        self.easel_panel.easel.set_zoom(None)

    def zoom_actual(self) -> None:
        self.easel_panel.easel.set_zoom(1.0)

    def zoom_in(self) -> None:
        self.easel_panel.easel.step_zoom(True)

    def zoom_out(self) -> None:
        self.easel_panel.easel.step_zoom(False)

    def next_mount(self) -> None:
        mounts = list(theme.MOUNTS)
        index = (mounts.index(self.view.get("mount")) + 1) % len(mounts)
        self.view.set("mount", mounts[index])

    def toggle_instruments(self) -> None:
        self.view.set("instruments_shown", not self.view.get("instruments_shown"))

    def toggle_theme(self) -> None:
        light = not self._settings.get("light", False)
        self._settings.set("light", light)
        theme.install(QApplication.instance(), light)
        for widget in QApplication.allWidgets():
            widget.update()

    def open_palette(self) -> None:
        specs = [s for s in TABLE if s.id != "open_palette"]
        Palette([self.actions_table.by_id[s.id] for s in specs], self).open()

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
        self.take_files(files)

    def take_files(self, files: list[Path]) -> None:
        """Do the sensible thing for each dropped file."""
        studies = [f for f in files if f.suffix == study_store.SUFFIX]
        luts = [f for f in files if f not in studies and self._is_lut(f)]
        if luts and (self.view.get("room") == "convert" or any(f.is_dir() for f in luts)):
            self.conversions.take(luts)
        elif luts:
            self.coats.lay_files(luts)
        files = [f for f in files if f not in luts]
        pictures = [f for f in files if by_suffix(f.name) is not None]
        if studies:
            self.files.open_file(studies[0])
        self.bring_in_files(pictures)
        for other in files:
            if other not in studies and other not in pictures:
                self.notices.fault(
                    SfumatoError(
                        "this kind of file cannot be taken in here",
                        hint="drop pictures, clips, LUT files or a study",
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
        self._keep_window()
        self.model.undo_stack.blockSignals(True)
        self.files.close()
        self.queue.close()
        self.desk.close()
        event.accept()

    def _keep_window(self) -> None:
        self._settings.set("geometry", self.saveGeometry())
        for name in ("a", "b", "mode", "mount", "split_across"):
            if self.view.get(name) not in (FILE, MATTE):
                self._settings.set(f"view/{name}", self.view.get(name))
        self._settings.set("view/instruments", ",".join(self.view.get("instruments")))
        self._settings.set("view/instruments_shown", self.view.get("instruments_shown"))
        self._settings.sync()

    def _restore_view(self) -> None:
        allowed = {
            "a": {"source", "ground", EXACT, LUT},
            "b": {"source", "ground", EXACT, LUT},
            "mode": set(MODES),
            "mount": set(theme.MOUNTS),
        }
        for name, values in allowed.items():
            value = self._settings.get(f"view/{name}", self.view.get(name))
            if value in values:
                self.view.set(name, value)
        self.view.set("split_across", self._settings.get("view/split_across", False))
        self.view.set("instruments_shown", self._settings.get("view/instruments_shown", True))
        kinds = tuple(str(self._settings.get("view/instruments", "")).split(","))
        if len(kinds) == 2 and all(k in TITLES for k in kinds):
            self.view.set("instruments", kinds)

    def _restore_window(self) -> None:
        geometry = self._settings.get("geometry")
        if isinstance(geometry, QByteArray):
            self.restoreGeometry(geometry)
