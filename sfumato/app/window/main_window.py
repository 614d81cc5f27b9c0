"""The window: the rooms that were found, one at a time, with rail, menus, notices and running work."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from sfumato.app.guard import guarded
from sfumato.app.services.actions import Actions, ActionSpec, owned
from sfumato.app.services.desk import Desk
from sfumato.app.services.jobs import Queue
from sfumato.app.services.notices import Notices
from sfumato.app.services.ports import Ports
from sfumato.app.services.rests import Rests
from sfumato.app.services.room import Room, RoomSpec
from sfumato.app.services.services import Services
from sfumato.app.services.settings import Settings
from sfumato.app.services.study_model import StudyModel
from sfumato.app.services.sweeper import Sweeper
from sfumato.app.services.view_state import ViewModel, ViewState
from sfumato.app.views.scope import instruments
from sfumato.app.window.dress import DressedWindow
from sfumato.app.window.encoding_edits import EncodingEdits
from sfumato.app.window.explainer import Explainer
from sfumato.app.window.house import House, room_specs
from sfumato.app.window.house_actions import ACTIONS
from sfumato.app.window.keys_sheet import KeysSheet
from sfumato.app.window.menus import make_menus
from sfumato.app.window.notice_strip import NoticeStrip, WorkLine
from sfumato.app.window.palette import Palette
from sfumato.app.window.rail import Rail
from sfumato.app.window.report_dialog import Reports
from sfumato.app.window.study_files import StudyFiles
from sfumato.app.window.surroundings import Surroundings
from sfumato.core.errors import SfumatoError


class MainWindow(DressedWindow):
    """Knows no room by name: everything about one comes from its declaration."""

    def __init__(
        self,
        settings: Settings,
        ports: Ports | None = None,
        demo: Path | None = None,
        rests: Rests | None = None,
    ) -> None:
        super().__init__()
        self.dress.choose(settings.get("light", False))
        self.settings, self.notices = settings, Notices(self)
        self.model, self.view = StudyModel(self), ViewModel(self)
        self.queue, self.reading = Queue(self), Queue(self)
        self.desk = Desk(self.model, self.view, self.notices, instruments(), self, rests)
        self.actions_table = Actions()
        self._begun = False
        self.setWindowTitle("Sfumato")
        self.setAcceptDrops(True)
        self.setMinimumSize(1100, 700)
        self.resize(1280, 800)
        self.services = Services(
            self,
            ports or Ports(settings),
            settings,
            self.notices,
            self.queue,
            self.reading,
            self.desk,
            self.actions_table,
            demo,
        )
        found = room_specs()
        self.pages = QStackedWidget()
        self.rooms = House(self.services, found, lambda: self.is_busy)
        self.rooms.built.connect(self._on_built)
        self.view.set(room=found[0].key)
        self.files = StudyFiles(self.services)
        self.encodings = EncodingEdits(self.services)
        self.surroundings = Surroundings(self.services, lambda: self.room.easel, self.dress)
        self.explainer = Explainer(self.services)
        self.dress.opened.connect(self.explainer.watch_sheet)
        self._fill_actions(found)
        self._lay_out(found)
        for menu in make_menus(self, self.actions_table, self.files):
            menu.aboutToShow.connect(self.refresh_actions)
        self._connect()
        self.surroundings.restore()
        self.refresh_actions()
        Sweeper(self)

    @property
    def room(self) -> Room:
        """The room that is open."""
        return self.rooms[self.view.now.room]

    # --- building --------------------------------------------------------------------------------
    def _lay_out(self, found: list[RoomSpec]) -> None:
        self.strip = NoticeStrip(self.notices)
        column = QVBoxLayout()
        column.setSpacing(0)
        column.addWidget(self.strip)
        column.addWidget(self.pages, 1)
        lines = [WorkLine(self.reading), WorkLine(self.queue)]
        for line in lines:
            column.addWidget(line)
        whole = QWidget()
        row = QHBoxLayout(whole)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        row.addWidget(rail := Rail(found, self.view))
        row.addLayout(column, 1)
        self.setCentralWidget(whole)
        self.explainer.watch(whole, lambda: self.room.guide)
        self.dress.add(self.menuBar(), rail, self.strip, *lines)

    def _fill_actions(self, found: list[RoomSpec]) -> None:
        """Make the actions of the window, those that open rooms, and the rooms' own."""
        own: list[object] = [self.files, self.encodings, self.surroundings, self.explainer, self]
        declared = list(ACTIONS)
        runs = {a.id: owned(own, a.id) for a in ACTIONS}
        for i, s in enumerate(found, 1):
            name, title = f"room_{s.key}", f"Room: {s.title}"
            declared += [ActionSpec(name, title, "View", f"Alt+{i}", within="Room", on=name)]
            runs[name] = partial(self.view.set, room=s.key)
        for s in found:
            declared += s.actions
            runs |= {a.id: self.rooms.runner(s.key, a) for a in s.actions}
        self.actions_table.fill(self, declared, runs)

    def _connect(self) -> None:
        self.model.undo_stack.indexChanged.connect(lambda _i: self.refresh_actions())
        self.model.changed.connect(lambda _b, _a: self.refresh_actions(rests=True))
        self.model.file_changed.connect(self._on_file_changed)
        self.model.about_to_replace.connect(self.strip.hide)
        self.model.replaced.connect(self.refresh_actions)
        self.view.changed.connect(self._on_view)
        self.desk.shown.connect(lambda _s: self.refresh_actions(rests=True))
        for queue in (self.reading, self.queue):
            queue.ended.connect(lambda _how: self.refresh_actions())
            queue.refused.connect(self.notices.fault)
            queue.cancelled.connect(
                lambda t: self.notices.note(f"{t} was cancelled", "nothing was written")
            )
            queue.crashed.connect(self.notices.bug)
        self.reports = Reports(self, self.notices, self.files.autosave_now)

    # --- keeping up ------------------------------------------------------------------------------
    @guarded
    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        QTimer.singleShot(0, self, self._at_first)

    def _at_first(self) -> None:
        """Once the window is there: focus, and the windows that stood beside it."""
        if not self._begun:
            self._begun = True
            self.rooms.begin()
            for room in self.rooms:
                room.begin()

    def _on_built(self, room: Room, ahead: bool) -> None:
        self.pages.addWidget(room.page)
        self.dress.add(pages=[room.page], later=ahead)
        if room.undo_stack is not self.model.undo_stack:
            room.undo_stack.indexChanged.connect(lambda _i: self.refresh_actions())
        room.changed.connect(self.refresh_actions)
        if self._begun:
            room.begin()

    def _on_view(self, before: ViewState, after: ViewState) -> None:
        if before.room != after.room:
            self.pages.setCurrentWidget(self.room.page)
            self.room.enter()
        self.refresh_actions()

    def _on_file_changed(self) -> None:
        name = self.model.file.name if self.model.file else self.model.study.name
        self.setWindowTitle(f"{name}[*] — Sfumato")
        self.setWindowModified(self.model.is_edited)
        self.refresh_actions()

    def refresh_actions(self, *, rests: bool = False) -> None:
        """Enable what can run now; `rests`: only when no control moves."""
        if rests and self.desk.dragging:
            return
        stack = self.room.undo_stack
        true = {
            **self.files.conditions(),
            "can_undo": stack.canUndo(),
            "can_redo": stack.canRedo(),
            "has_easel": self.room.easel is not None,
            f"room_{self.view.now.room}": True,
        }
        met = {k for k, v in true.items() if v} | self.surroundings.conditions()
        self.actions_table.refresh(met | self.rooms.conditions())
        for name, text in (
            ("undo", f"Undo {stack.undoText()}"),
            ("redo", f"Redo {stack.redoText()}"),
        ):
            action = self.actions_table.by_id[name]
            if action.text() != text.strip():
                action.setText(text.strip())

    @property
    def is_busy(self) -> bool:
        """Whether any answer is still under way (for tests and pictures)."""
        own = self.desk.is_busy or self.queue.is_busy or self.reading.is_busy or self.files.is_busy
        return own or self.dress.is_busy or any(room.is_busy for room in self.rooms)

    # --- actions ---------------------------------------------------------------------------------
    def undo(self) -> None:
        self.model.end_gesture()
        self.room.undo_stack.undo()

    def redo(self) -> None:
        self.model.end_gesture()
        self.room.undo_stack.redo()

    def open_palette(self) -> None:
        rest = [s.id for s in self.actions_table.specs if s.id != "open_palette"]
        Palette([self.actions_table.by_id[i] for i in rest], self).open()

    def keyboard_sheet(self) -> None:
        own = [spec.load().keys for spec in self.rooms.specs.values()]
        KeysSheet(self.actions_table, own, self).open()

    # --- files dropped, keys, closing ------------------------------------------------------------
    @guarded
    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    @guarded
    def dropEvent(self, event: QDropEvent) -> None:
        files = [Path(u.toLocalFile()) for u in event.mimeData().urls() if u.isLocalFile()]
        event.acceptProposedAction()
        self.take_files(files, self.room.page.mapFrom(self, event.position().toPoint()))

    def take_files(self, files: list[Path], at: QPoint | None = None) -> None:
        """Offer dropped files to the room that is open, to the window, then to the other rooms."""
        files = self.room.take(files, at)
        files = self.files.take(self.encodings.take(files))
        for key, spec in self.rooms.specs.items():
            if files and spec.takes_unseen and key != self.room.key:
                files = self.rooms[key].take(files)
        for file in files:
            self.notices.fault(
                SfumatoError(
                    "this kind of file cannot be taken in here",
                    hint="drop pictures, clips, LUT files, presets or a study",
                    where=file.name,
                )
            )

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() != Qt.Key.Key_Escape or not self.room.escape():
            super().keyPressEvent(event)

    @guarded
    def closeEvent(self, event: QCloseEvent) -> None:
        if not self.files.may_close():
            event.ignore()
            return
        self.keep()
        self.hide()  # at once: workers may take a moment to stop
        self.rooms.close()
        self.files.close()
        self.reading.close()
        self.queue.close()
        self.desk.close()
        event.accept()

    def keep(self) -> None:
        """Put window and rooms into the settings."""
        self.settings.set("geometry", self.saveGeometry())
        for room in self.rooms:
            room.keep()
        self.settings.sync()
