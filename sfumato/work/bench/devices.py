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
import hashlib
import os
import shutil
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import attrs
import platformdirs
from attrs import frozen

from sfumato.core import controls
from sfumato.core.bench.monitor import EMPTIES, MONITORS, SCREEN, USES, Monitor, Refusal, held
from sfumato.core.colour import span_note
from sfumato.core.errors import ExportError, FormatError, StudyError, ValueRefused
from sfumato.core.lut.table import Table3D
from sfumato.core.lut.transform import Transform
from sfumato.core.study.outlet import key_for
from sfumato.work.bench.monitors import loaded, taken
from sfumato.work.files import (
    MOST_TABLE_BYTES,
    cut_name,
    drop,
    free,
    is_file,
    is_folder,
    json_bytes,
    make_folder,
    placed,
    read_bytes,
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
    except (ValueRefused, TypeError, ValueError, AttributeError, OverflowError) as error:
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


@frozen(eq=False)
class Loaded:
    """What stands in a place, ready for use: the LUT, and its table as the device keeps it.

    `gives` names the encoding of what comes out, "" when the file does not say.
    """

    name: str
    transform: Transform
    kept: Table3D
    gives: str


def ready(rig: Rig, place: Place) -> Loaded:
    """Return what stands in a place.

    Raises:
        FormatError: its file is gone or damaged, in words for the device's owner.
    """
    found = loaded(rig.monitor, rig.file_of(place), place.name)
    if isinstance(found, Refusal) or found.table is None:
        why = found.why if isinstance(found, Refusal) else "it holds no 3D table"
        raise FormatError(
            f"the device can no longer read {place.name}: {why}",
            hint="clear the place, and load the file again",
            where=str(rig.file_of(place)),
        )
    gives = span_note.read(found.comments)[1] or ""
    return Loaded(place.name, found, held(rig.monitor, found.table), gives)


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
    with _alone(rig.folder):
        _write_record(rig.folder, monitor)
    return read_rig(rig.folder)


def _write_record(folder: Path, monitor: Monitor) -> None:
    plain = {_MARK: 1, **controls.dump(monitor)}
    write_bytes(folder / RECORD, json_bytes(plain))


def _write_state(rig: Rig) -> None:
    write_bytes(rig.folder / STATE, json_bytes(attrs.asdict(rig.state)))


@contextlib.contextmanager
def _alone(folder: Path) -> Iterator[None]:
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
    with _alone(rig.folder):
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


def _put(places: tuple[Place | None, ...], at: int, place: Place | None) -> Any:
    return (*places[:at], place, *places[at + 1 :])


def load(rig: Rig, file: Path, at: int) -> tuple[Rig, Refusal | None]:
    """Load a file of the card into a place; what the device says against it, else None.

    Raises:
        FormatError: the card was pulled, or the file is gone.
        ExportError: the device's folder cannot be written; the place stays as it was.
    """
    data = read_bytes(file, FormatError, MOST_TABLE_BYTES)
    refused = taken(rig.monitor, data, file)
    if isinstance(refused, Refusal):
        if rig.monitor.dislikes == EMPTIES:
            rig = clear(rig, at)
        return rig, refused
    place = Place(file.stem, digest_of(data) + file.suffix.lower())
    with _alone(rig.folder):
        make_folder(rig.folder / PLACES)
        write_bytes(rig.folder / PLACES / place.file, data)

    def change(now: Rig) -> State:
        return attrs.evolve(now.state, places=_put(now.state.places, at, place), chosen=at)

    return changed(rig, change), None


def clear(rig: Rig, at: int) -> Rig:
    """Empty a place."""
    return changed(
        rig, lambda now: attrs.evolve(now.state, places=_put(now.state.places, at, None))
    )


def rename(rig: Rig, at: int, name: str) -> Rig:
    """Give what stands in a place another name.

    Raises:
        ValueRefused: the device takes no such name.
    """
    if not rig.monitor.takes_name(name):
        raise ValueRefused(f"the device takes no such name: {rig.monitor.names_said}")

    def change(now: Rig) -> State:
        held = now.state.places[at]
        after = None if held is None else attrs.evolve(held, name=name)
        return attrs.evolve(now.state, places=_put(now.state.places, at, after))

    return changed(rig, change)


def move(rig: Rig, at: int, to: int) -> Rig:
    """Put what stands in a place into another one; what stood there takes its place."""

    def change(now: Rig) -> State:
        one, two = now.state.places[at], now.state.places[to]
        places = _put(_put(now.state.places, at, two), to, one)
        return attrs.evolve(now.state, places=places, chosen=to)

    return changed(rig, change)


def restored(rig: Rig, places: tuple[Place | None, ...], files: dict[str, bytes]) -> Rig:
    """Put back places as they were, with what their files held: for undo."""
    with _alone(rig.folder):
        make_folder(rig.folder / PLACES)
        for name, data in files.items():
            write_bytes(rig.folder / PLACES / name, data)
    return changed(rig, lambda now: attrs.evolve(now.state, places=places))


def held_files(rig: Rig) -> dict[str, bytes]:
    """Return what the files of the places hold, by name."""
    names = {p.file for p in rig.state.places if p}
    found = {}
    for name in names:
        with contextlib.suppress(FormatError):
            found[name] = read_bytes(rig.folder / PLACES / name, FormatError, MOST_TABLE_BYTES)
    return found


def digest_of(data: bytes) -> str:
    """Return what the file of a place is called by: the start of the SHA-256 of its bytes."""
    return hashlib.sha256(data).hexdigest()[:24]


# --- the card ------------------------------------------------------------------------------------
def mount(rig: Rig, folder: Path) -> Rig:
    """Put a card in; takes that wait in the buffer go onto it.

    Raises:
        StudyError: there is no such folder.
    """
    if not is_folder(folder):
        raise StudyError("the card is not there", hint="choose a folder", where=str(folder))
    own = folder.resolve()
    card = own.name if own.parent == rig.folder.resolve() else str(own)
    rig = with_state(rig, card=card)
    for take in (
        sorted((rig.folder / BUFFER).glob("TAKE_*")) if is_folder(rig.folder / BUFFER) else []
    ):
        moved(take, folder)
    return rig


def moved(file: Path, folder: Path) -> Path:
    """Move a file into a folder of perhaps another disk, whole or not at all; nothing is replaced.

    Raises:
        ExportError: it cannot be written there; the file stays where it is.
    """
    place = copied(file, free(folder / file.name))
    drop(file)
    return place


def copied(file: Path, place: Path) -> Path:
    """Copy a file to a place that no other has, whole or not at all.

    Raises:
        ExportError: it cannot be read or written, or there is one.
    """
    beside = place.with_name(f".{cut_name(place.name, 80)}.{os.getpid()}.part")
    try:
        shutil.copyfile(file, beside)
        placed(beside, place, force=False)
    except OSError as error:
        raise refusal(error, place, ExportError) from error
    finally:
        drop(beside)
    return place


def pull(rig: Rig) -> Rig:
    """Take the card out."""
    return with_state(rig, card="")


def room_left(rig: Rig) -> int:
    """Return the bytes that are free on the card: of its stated room, or of its disk when that is less."""
    if rig.card is None:
        return 0
    used = 0
    try:
        for file in rig.card.iterdir():
            used += file.stat().st_size if is_file(file) else 0
        disk = os.statvfs(rig.card)
    except OSError:
        return 0
    return max(0, min(int(rig.monitor.card_mb * 1e6) - used, disk.f_bavail * disk.f_frsize))
