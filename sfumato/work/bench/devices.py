"""Simulated devices on disk: each a folder with its record, its state, its places and a card.

    device.json    the record
    state.json     what stands in its places, how it is used, which card is in it
    places/        the LUT files that it took, named by what they hold
    buffer/        takes that no card was there for
    CARD_A/        a card; any other folder can be mounted instead

Whatever changes a device reads its state anew under a lock, so that two windows on one device lose
nothing of each other's.
"""

from __future__ import annotations

import contextlib
import fcntl
import os
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import attrs
import platformdirs
from attrs import frozen

from sfumato.core import controls
from sfumato.core.bench.monitor import MONITORS, SCREEN, USES, Monitor
from sfumato.core.errors import ExportError, StudyError, ValueRefused
from sfumato.core.study.outlet import key_for
from sfumato.work.files import (
    drop,
    is_file,
    is_folder,
    json_bytes,
    make_folder,
    read_json,
    refusal,
    write_bytes,
)

RECORD, STATE, PLACES, BUFFER, CARD = "device.json", "state.json", "places", "buffer", "CARD_A"
_MARK = "sfumato device"
_MOST = 1 << 20
_MOST_NAME = 64
_MOST_DEVICES = 60
_HINT = "take the folder out of the devices, or put back the file that was there"


@frozen
class Place:
    """A LUT in a device: what it is called there, and its file in `places`."""

    name: str
    file: str


@frozen
class State:
    """What a device remembers when it is switched off.

    Attributes:
        places: one for each place of the device, None where it is empty.
        chosen: the place that is used, from 0.
        use: a key of `USES`.
        line: where the line of half and half stands, a share of the width.
        zebra: level of luma from which stripes are drawn, per cent; 0 for none.
        card: the folder of the card that is in it, "" for none; within the device's own folder by name.
        run: frames recorded so far, which its timecode goes on from.
    """

    places: tuple[Place | None, ...] = (None,) * 8
    chosen: int = 0
    use: str = SCREEN
    line: float = 0.5
    zebra: float = 95.0
    is_on: bool = True
    card: str = CARD
    run: int = 0


@frozen
class Rig:
    """A device as it stands on disk."""

    folder: Path
    monitor: Monitor
    state: State

    @property
    def card(self) -> Path | None:
        """The folder of the card; None when none is in it."""
        return self.folder / self.state.card if self.state.card else None

    @property
    def has_card(self) -> bool:
        """Whether the card is in it, and its folder is there."""
        return self.card is not None and is_folder(self.card)

    @property
    def place(self) -> Place | None:
        """What stands in the chosen place."""
        return self.state.places[self.state.chosen]

    def file_of(self, place: Place) -> Path:
        return self.folder / PLACES / place.file


def library() -> Path:
    """Return the folder of the devices; it may not exist yet."""
    return Path(platformdirs.user_data_dir("sfumato", appauthor=False)) / "bench"


# --- reading -------------------------------------------------------------------------------------
def rigs(root: Path) -> tuple[list[Rig], list[StudyError]]:
    """Return the devices of a folder, those that ship first, and why others cannot be read.

    Devices that ship are made where they are missing.
    """
    found, faults = [], []
    with contextlib.suppress(
        ExportError
    ):  # a disk that cannot be written still shows what is there
        for monitor in MONITORS.values():
            if not is_folder(root / monitor.key):
                made(root, monitor)
    for folder in _folders(root):
        try:
            found.append(read_rig(folder))
        except StudyError as error:
            faults.append(error)
    shipped = list(MONITORS)
    found.sort(key=lambda r: (r.folder.name not in shipped, r.monitor.title.casefold()))
    return found, faults


def _folders(root: Path) -> list[Path]:
    try:
        inside = sorted(root.iterdir())
    except OSError:
        return []
    return [f for f in inside if is_file(f / RECORD)][:_MOST_DEVICES]


def read_rig(folder: Path) -> Rig:
    """Read a device.

    Raises:
        StudyError: its folder is damaged, and says which file.
    """
    record, state = folder / RECORD, folder / STATE
    plain = read_json(record, "a device", _HINT, _MOST)
    try:
        if not isinstance(plain, dict) or plain.pop(_MARK, None) != 1:
            raise ValueRefused("this is not a device, or of a later version", hint=_HINT)
        monitor: Monitor = attrs.evolve(controls.load(Monitor, plain), key=folder.name)
    except ValueRefused as error:
        raise StudyError(error.summary, hint=error.hint or _HINT, where=str(record)) from error
    kept = read_json(state, "the state of a device", _HINT, _MOST) if is_file(state) else {}
    try:
        return Rig(folder, monitor, _state(kept, monitor))
    except (ValueRefused, KeyError, TypeError, ValueError, AttributeError, OverflowError) as error:
        raise StudyError(
            "the state of the device is damaged", hint=_HINT, where=str(state)
        ) from error


def _state(plain: Any, monitor: Monitor) -> State:
    if not isinstance(plain, dict):
        raise ValueRefused("no state")
    own = State()
    rows = [_place(p) for p in list(plain.get("places", []))[: monitor.places]]
    rows += [None] * (monitor.places - len(rows))
    use, card = plain.get("use", own.use), plain.get("card", own.card)
    if use not in USES or not isinstance(card, str) or len(card) > 4096 or "\0" in card:
        raise ValueRefused("no state")

    def number(name: str, least: float, most: float) -> float:
        value = float(plain.get(name, getattr(own, name)))
        if not least <= value <= most:
            raise ValueRefused("no state")
        return value

    return State(
        tuple(rows),
        int(number("chosen", 0, monitor.places - 1)),
        use,
        number("line", 0, 1),
        number("zebra", 0, 109),
        bool(plain.get("is_on", True)),
        card,
        int(number("run", 0, 1e12)),
    )


def _place(plain: Any) -> Place | None:
    if plain is None:
        return None
    name, file = plain["name"], plain["file"]
    plain_file = isinstance(file, str) and file == os.path.basename(file) and "\0" not in file
    if not (isinstance(name, str) and plain_file and 0 < len(name) <= _MOST_NAME):
        raise ValueRefused("no place")
    return Place(name, file)


def monitor_named(name: str) -> Monitor:
    """Return the device of a key, of those that ship or the user's, or in a folder.

    Raises:
        ValueRefused: there is none.
        StudyError: its folder is damaged.
    """
    if name in MONITORS:
        return MONITORS[name]
    for folder in (library() / name, Path(name)):
        if is_file(folder / RECORD):
            return read_rig(folder).monitor
    raise ValueRefused(
        f"there is no device {name!r}",
        hint=f"choose {', '.join(MONITORS)}, one of yours, or the folder of one",
    )


# --- writing -------------------------------------------------------------------------------------
def made(root: Path, monitor: Monitor) -> Rig:
    """Make the folder of a device that is not there yet.

    Raises:
        ExportError: it cannot be made.
    """
    folder = root / monitor.key
    for each in (folder, folder / PLACES, folder / CARD):
        make_folder(each)
    _write_record(folder, monitor)
    rig = Rig(folder, monitor, State(places=(None,) * monitor.places))
    if not is_file(folder / STATE):
        _write_state(rig)
    return rig


def added(root: Path, monitor: Monitor) -> Rig:
    """Make a device of the user's, under a key that no other has.

    Raises:
        ExportError: it cannot be made.
    """
    there = {f.name for f in _folders(root)} | set(MONITORS)
    return made(root, attrs.evolve(monitor, key=key_for(monitor.title, there)))


def changed_record(rig: Rig, monitor: Monitor) -> Rig:
    """Write another record of a device; places beyond its number are given up.

    Raises:
        ExportError: it is one that ships, or cannot be written.
    """
    if rig.folder.name in MONITORS:
        raise ExportError("a device that ships stays as it is", hint="make one of your own like it")
    with alone(rig.folder):
        _write_record(rig.folder, monitor)
    return read_rig(rig.folder)


def _write_record(folder: Path, monitor: Monitor) -> None:
    plain = {_MARK: 1, **controls.dump(monitor)}
    write_bytes(folder / RECORD, json_bytes(plain))


def _write_state(rig: Rig) -> None:
    write_bytes(rig.folder / STATE, json_bytes(attrs.asdict(rig.state)))


@contextlib.contextmanager
def alone(folder: Path) -> Iterator[None]:
    """Let no other window or program change the device meanwhile."""
    try:
        handle = os.open(folder / ".lock", os.O_RDWR | os.O_CREAT, 0o666)
    except OSError as error:
        raise refusal(error, folder, ExportError) from error
    try:
        fcntl.flock(handle, fcntl.LOCK_EX)
        yield
    finally:
        os.close(handle)


def changed(rig: Rig, change: Callable[[Rig], State]) -> Rig:
    """Change the state of a device as it stands on disk now, and return it.

    Raises:
        StudyError: the folder is damaged.
        ExportError: it cannot be written; nothing is changed.
    """
    with alone(rig.folder):
        now = read_rig(rig.folder)
        after = attrs.evolve(now, state=change(now))
        if after.state != now.state:
            _write_state(after)
        for gone in {p.file for p in now.state.places if p} - {
            p.file for p in after.state.places if p
        }:
            drop(rig.folder / PLACES / gone)
    return after


def with_state(rig: Rig, **values: Any) -> Rig:
    """Set fields of the state."""
    return changed(rig, lambda now: attrs.evolve(now.state, **values))
