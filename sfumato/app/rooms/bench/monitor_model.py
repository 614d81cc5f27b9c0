"""The state of the Monitor page: the devices, what is shown on the chosen one, and its recording."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import attrs
from PySide6.QtCore import QFileSystemWatcher, QObject, Signal
from PySide6.QtGui import QUndoStack

from sfumato.app.rooms.bench.clock import Clock
from sfumato.app.rooms.bench.recorder import Recorder
from sfumato.app.services.jobs import Lane, Turn, single_shot
from sfumato.app.services.services import Services
from sfumato.core.arrays import Array
from sfumato.core.bench.monitor import Refusal
from sfumato.core.bench.signal import Signal as Video
from sfumato.core.errors import MediaError, SfumatoError
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.work.bench import devices, mounting, screens
from sfumato.work.bench.cards import CardFile, name_for, on_card
from sfumato.work.bench.coding import RATE
from sfumato.work.bench.devices import Rig
from sfumato.work.bench.feeds import Feed, feed_of, signal_of
from sfumato.work.bench.monitors import Proof
from sfumato.work.bench.screens import Looks, Screen
from sfumato.work.cancel import Cancel

_AHEAD = 3  # frames decoded before they are due


@attrs.frozen
class Said:
    """What a device says of a file, and what that would have to be called."""

    file: Path
    refused: Refusal
    name: str


class MonitorModel(QObject):
    """`known()`: devices, places or card are others; `screened()`: a picture is there; `proved()`;
    `pictured()`: small pictures of the places are; `recording_changed()`; `file_changed()`: another file of
    the card is chosen."""

    known = Signal()
    screened = Signal()
    proved = Signal()
    pictured = Signal()
    recording_changed = Signal()
    file_changed = Signal()

    def __init__(self, services: Services, key: str, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.services, self._key = services, key
        self.root = devices.library()
        self.rigs: tuple[Rig, ...] = ()
        self.faults: tuple[SfumatoError, ...] = ()
        self._chosen = str(services.settings.get("bench_device", "stubborn"))
        self.card: tuple[CardFile, ...] = ()
        self.room = 0  # bytes left on the card
        self.file_name = ""  # of the chosen file of the card
        self.said: Said | None = None
        self.feed: Feed | None = None
        self.fault: SfumatoError | None = None  # why nothing is shown
        self.shown: Screen | None = None
        self.proof: Proof | None = None
        self.pictures: dict[int, Array] = {}
        self.undo_stack = QUndoStack(self)
        self.clock = Clock(RATE, self)
        self.clock.due.connect(lambda _n: self.ask_screen())
        self.looks = Looks()
        self._is_open = False
        self._pictured: Any = None
        self._proved: Any = None
        self._lanes = {
            "bench": Lane("bench", self),
            "screen": Lane("screen", self, turn=Turn.FIRST),
            "ahead": Lane("ahead", self, turn=Turn.FIRST),
            "places": Lane("places", self, turn=Turn.LAST),
            "bench proof": Lane("bench proof", self, turn=Turn.LAST),
        }
        for lane in self._lanes.values():
            lane.crashed.connect(services.notices.bug)
        self._lanes["bench"].answered.connect(self._on_known)
        self._lanes["bench"].refused.connect(services.notices.fault)
        self._lanes["screen"].answered.connect(self._on_screen)
        self._lanes["screen"].refused.connect(self._on_refused)
        self._lanes["places"].answered.connect(self._on_pictures)
        self._lanes["bench proof"].answered.connect(self._on_proof)
        self.recorder = Recorder(services.notices, self)
        self.recorder.came.connect(self._on_came)
        self.recorder.ended.connect(self._on_ended)
        self._rest = single_shot(self, services.desk.rests.picture, self._at_rest)
        self._later = single_shot(self, services.desk.rests.folder, self.ask)
        self._watch = QFileSystemWatcher(self)
        self._watch.directoryChanged.connect(lambda _folder: self._later.start())
        services.view.changed.connect(self._on_view)
        services.desk.screen_changed.connect(self.ask_screen)
        services.model.changed.connect(self._on_study)

    # --- devices ---------------------------------------------------------------------------------
    @property
    def rig(self) -> Rig | None:
        """The chosen device; the first when that is gone."""
        found = next((r for r in self.rigs if r.folder.name == self._chosen), None)
        return found or (self.rigs[0] if self.rigs else None)

    def choose(self, key: str) -> None:
        """Choose a device."""
        if key != self._chosen and not self.is_recording:
            self._chosen = key
            self.services.settings.set("bench_device", key)
            self.undo_stack.clear()
            self.said = None
            self.ask()

    def open(self, on: bool) -> None:
        """The page came to be looked at, or is left."""
        self._is_open = on
        if on:
            self.ask()
            self.ask_screen()
        else:
            self.clock.stop()

    def ask(self) -> None:
        """Have the devices and the card read anew."""
        if not self._is_open:
            return
        root, chosen = self.root, self._chosen

        def work(_cancel: Cancel) -> Any:
            rigs, faults = devices.rigs(root)
            rig = next((r for r in rigs if r.folder.name == chosen), rigs[0] if rigs else None)
            card = on_card(rig) if rig is not None else ()
            room = mounting.room_left(rig) if rig is not None else 0
            return tuple(rigs), tuple(f.alone() for f in faults), card, room

        self._lanes["bench"].ask(work)

    def _on_known(self, answer: Any) -> None:
        rigs, faults, self.card, self.room = answer
        for fault in faults:
            if str(fault) not in [str(f) for f in self.faults]:
                self.services.notices.fault(fault)
        self.faults = faults
        before, self.rigs = self.rig, rigs
        self._follow()
        self.known.emit()
        if before != self.rig:
            self.ask_screen()
        self._ask_pictures()

    def _follow(self) -> None:
        """Hear of it when another window or program changes the device, or the card."""
        rig = self.rig
        wanted = set() if rig is None else {str(rig.folder)}
        if rig is not None and rig.card is not None and rig.has_card:
            wanted.add(str(rig.card))
        there = set(self._watch.directories())
        if there - wanted:
            self._watch.removePaths(sorted(there - wanted))
        if wanted - there:
            self._watch.addPaths(sorted(wanted - there))

    def take(self, rig: Rig) -> None:
        """Take a device as it was just written."""
        self.rigs = tuple(rig if r.folder == rig.folder else r for r in self.rigs)
        self.known.emit()
        self.ask()
        self.ask_screen()

    @property
    def file(self) -> CardFile | None:
        """The chosen file of the card."""
        return next((f for f in self.card if f.file.name == self.file_name), None)

    def choose_file(self, name: str) -> None:
        """Choose a file of the card; what was said of another is no longer shown."""
        if name != self.file_name:
            self.file_name = name
            if self.said is not None and self.said.file.name != name:
                self.said = None
                self.known.emit()
            self.file_changed.emit()

    def show(self, rig: Rig) -> None:
        """Show a device as a hand is moving it; nothing is kept."""
        self.rigs = tuple(rig if r.folder == rig.folder else r for r in self.rigs)
        self.ask_screen()

    def say(self, file: Path, refused: Refusal | None) -> None:
        """Keep what the device said of a file."""
        rig = self.rig
        self.said = None
        if refused is not None and rig is not None and rig.monitor.formats and rig.has_card:
            self.said = Said(file, refused, name_for(rig, file.stem))
        self.known.emit()

    # --- the picture -----------------------------------------------------------------------------
    @property
    def shot(self) -> Shot | None:
        """The shot on the cable."""
        return self._cable()[0]

    def _cable(self) -> tuple[Shot | None, Feed | None]:
        """Return the shot on the cable, and its feed where that is known; while a take is recorded, its own:
        another shot may be chosen meanwhile, or this one changed or taken out."""
        if self.is_recording and self.recorder.feed is not None:
            return self.recorder.feed.shot, self.recorder.feed
        shot, feed = self.services.desk.shot, self.feed
        return shot, feed if feed is not None and feed.shot == shot else None

    @property
    def _is_seen(self) -> bool:
        return self._is_open and self.services.view.now.room == self._key

    def _on_view(self, before: Any, after: Any) -> None:
        if before.shot != after.shot and self._is_seen and not self.is_recording:
            self._begin_anew()
            self.ask_screen()

    def _begin_anew(self) -> None:
        """Another shot comes by the cable, from its first frame on."""
        self.feed = None
        self.clock.stop()
        self.clock.number = 0

    def _on_study(self, before: Study, after: Study) -> None:
        if self._is_seen and (before.shots != after.shots or before.view != after.view):
            self.ask_screen()

    def ask_screen(self, natural: Video | None = None) -> None:
        """Have the frame that is due shown as the device shows it; `natural` is it, where it is known."""
        rig, (shot, feed) = self.rig, self._cable()
        if rig is None or shot is None or not self._is_seen:
            if shot is None:
                self.shown = self.feed = None
                self.screened.emit()
            return
        plays, number, looks = self.plays, self.clock.number, self.looks
        study, previewer = self.services.model.study, self.services.desk.previewer

        def work(_cancel: Cancel) -> Screen:
            whole = feed or feed_of(shot, previewer.frames)
            return screens.screen(
                rig, looks, whole, number, study, previewer, quick=plays, natural=natural
            )

        self._lanes["screen"].ask(work, patient=plays)
        if self.clock.is_running and feed is not None and feed.count > 1:
            frames = previewer.frames

            def decode(cancel: Cancel) -> None:
                for each in range(number + 1, number + 1 + _AHEAD):
                    cancel.check()
                    signal_of(feed, each, frames, quick=True)

            self._lanes["ahead"].ask(decode, patient=True)
        if not plays:
            self._rest.start()

    def _on_screen(self, shown: Screen) -> None:
        self.shown, self.feed, self.fault = shown, shown.feed, None
        self.clock.painted()
        self.screened.emit()

    def _on_refused(self, error: SfumatoError) -> None:
        self.fault, self.shown = error, None
        if not isinstance(error, MediaError):
            self.services.notices.fault(error)
        self.clock.stop()
        self.screened.emit()

    def _at_rest(self) -> None:
        self._ask_pictures()
        self._ask_proof()

    @property
    def plays(self) -> bool:
        """Whether frames follow one another: played, or recorded."""
        return self.clock.is_running or self.is_recording

    def play(self, on: bool) -> None:
        """Let the clip play, or hold it."""
        if on:
            self.clock.start()
        else:
            self.clock.stop()
        self.ask_screen()

    def _ask_pictures(self) -> None:
        """Have small pictures of the places made, when other LUTs or another shot are there."""
        rig, feed = self.rig, self.feed
        if rig is None or feed is None or self.plays or not self._is_seen:
            return
        study, previewer, looks = self.services.model.study, self.services.desk.previewer, Looks()
        number = self.clock.number
        wanted = (rig.folder, rig.monitor, rig.state.places, feed, study.view)
        if wanted == self._pictured:
            return
        self._pictured = wanted

        def work(cancel: Cancel) -> Any:
            return screens.place_pictures(rig, looks, feed, number, study, previewer, cancel)

        self._lanes["places"].ask(work)

    def _on_pictures(self, pictures: dict[int, Array]) -> None:
        self.pictures = pictures
        self.pictured.emit()

    def _ask_proof(self) -> None:
        """Have the device measured on the frame that is shown, once the hand rests."""
        rig, feed = self.rig, self.feed
        if rig is None or feed is None or self.plays or not self._is_seen:
            return
        number, looks, previewer = self.clock.number, self.looks, self.services.desk.previewer
        wanted = (rig.monitor, rig.place, rig.state.use, rig.state.is_on, feed, number)
        if wanted == self._proved:
            return
        self._proved = wanted
        self.proof = None

        def work(_cancel: Cancel) -> Any:
            return screens.proof_of(rig, looks, feed, number, previewer)

        self._lanes["bench proof"].ask(work)
        self.proved.emit()

    def _on_proof(self, found: Proof | None) -> None:
        self.proof = found
        self.proved.emit()

    # --- recording -------------------------------------------------------------------------------
    @property
    def is_recording(self) -> bool:
        return self.recorder.runs

    def begin_recording(self) -> None:
        """Record from the frame that is shown, until it is stopped."""
        if self.rig is None or self.feed is None or self.is_recording:
            return
        self.recorder.begin(self.rig, self.feed, self.clock.number, self.looks)
        self.clock.stop()
        self.recording_changed.emit()

    def _on_came(self, number: int, natural: Video | None) -> None:
        """Show a frame that was recorded, when no other is being made ready."""
        if not self.is_recording:  # it ended meanwhile
            return
        self.clock.number = number
        if natural is not None and not self._lanes["screen"].is_busy:
            self.ask_screen(natural)

    def _on_ended(self, off: bool, is_good: bool) -> None:
        rig = self.rig
        if off and rig is not None:
            try:
                self.take(devices.with_state(rig, is_on=False))
            except SfumatoError as error:
                self.services.notices.fault(error)
        taken, here = self.recorder.feed, self.shot
        if taken is not None and here is not None and taken.shot.id != here.id:
            self._begin_anew()
        self.recording_changed.emit()
        if is_good:
            self.ask()
        self.ask_screen()

    @property
    def is_busy(self) -> bool:
        waits = self._is_seen and (self._rest.isActive() or self._later.isActive())
        lanes = any(lane.is_busy for lane in self._lanes.values()) and not self.plays
        return self.recorder.ends or waits or lanes

    def close(self) -> None:
        """Let everything go; a take that runs is ended whole."""
        self.clock.stop()
        self.recorder.close()
        for lane in self._lanes.values():
            lane.close()
