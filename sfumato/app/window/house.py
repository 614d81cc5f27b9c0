"""The rooms of the window: all are known by their declarations, each is built when it is first needed."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

from PySide6.QtCore import QObject, Qt, Signal
from PySide6.QtWidgets import QApplication

from sfumato.app import rooms as rooms_package
from sfumato.app.services.actions import ActionSpec, owned
from sfumato.app.services.jobs import Lane, Turn, single_shot
from sfumato.app.services.room import Room, RoomSpec
from sfumato.app.services.services import Services
from sfumato.core.discover import specs
from sfumato.core.study.study import Study
from sfumato.work.cancel import Cancel
from sfumato.work.memory import keep_for_good


def room_specs() -> list[RoomSpec]:
    """Return the rooms there are, in the order of the rail: the packages of `app/rooms/`."""
    return sorted(specs(rooms_package, "room").values(), key=lambda s: s.order)


class House(QObject):
    """`built(Room, ahead)`: a room is there now; `ahead`: before anybody opens it.

    To build all of them before the window is seen takes three times as long as to build the first.
    Their code is read by a worker once the window is there; then they are built one at a time, when
    nobody's hand moves and nothing is under way. Who opens one before that waits a tenth of a second.
    """

    built = Signal(object, bool)

    def __init__(
        self, services: Services, found: Sequence[RoomSpec], is_busy: Callable[[], bool]
    ) -> None:
        super().__init__(services.window)
        self._is_busy = is_busy  # whether any answer is under way in the window
        self._services = services
        self.specs = {s.key: s for s in found}
        self._rooms: dict[str, Room] = {}
        self._code = Lane("rooms", self, turn=Turn.LAST)
        self._code.crashed.connect(services.notices.bug)
        self._soon = single_shot(self, services.desk.rests.order, self._read_ahead)
        self._idle = single_shot(self, services.desk.rests.rooms, self._build_ahead)
        self._code.answered.connect(lambda _none: self._idle.start())
        services.view.about_to_open.connect(self.__getitem__)
        services.model.changed.connect(self._on_study)

    def __getitem__(self, key: str) -> Room:
        """Return a room, built now if nobody needed it yet."""
        if key not in self._rooms:
            self._build(key)
        return self._rooms[key]

    def _build(self, key: str, *, ahead: bool = False) -> None:
        spec = self.specs[key]
        room = spec.load()(self._services)
        for action in spec.actions:
            owned(room.owners, action.id)  # a fault of the room is found when it is built
        self._rooms[key] = room
        self.built.emit(room, ahead)

    def __iter__(self) -> Iterator[Room]:
        """Go over the rooms that are built."""
        return iter([self._rooms[key] for key in self.specs if key in self._rooms])

    def begin(self) -> None:
        """The window is there."""
        self._soon.start()

    def _read_ahead(self) -> None:
        specs = tuple(self.specs.values())

        def work(cancel: Cancel) -> None:
            for spec in specs:
                cancel.check()
                spec.load()

        self._code.ask(work)

    def _build_ahead(self) -> None:
        """Build the next room that is missing, when nobody would notice."""
        missing = [key for key in self.specs if key not in self._rooms]
        if missing and self._is_idle():
            self._build(missing.pop(0), ahead=True)
        if missing:
            self._idle.start()
        else:
            keep_for_good()

    def _is_idle(self) -> bool:
        hand = QApplication.mouseButtons() != Qt.MouseButton.NoButton
        asks = QApplication.activePopupWidget() or QApplication.activeModalWidget()
        return not (hand or asks or self._is_busy())

    def close(self) -> None:
        """Close what is built."""
        self._soon.stop()
        self._idle.stop()
        self._code.close()
        for room in self:
            room.undo_stack.blockSignals(True)
            room.close()

    def runner(self, key: str, action: ActionSpec) -> Callable[[], object]:
        """Return what carries an action of a room out: built, if need be, when it is asked for."""
        return lambda: owned(self[key].owners, action.id)()

    def conditions(self) -> set[str]:
        """Return the conditions of actions that the rooms give now."""
        met: set[str] = set()
        for key, spec in self.specs.items():
            room = self._rooms.get(key)
            met |= spec.unseen_conditions(self._services) if room is None else room.conditions()
        return met

    def _on_study(self, _before: Study, _after: Study) -> None:
        """Build what has work to do though nobody sees it."""
        for key, spec in self.specs.items():
            if key not in self._rooms and spec.works_unseen(self._services):
                self[key]
