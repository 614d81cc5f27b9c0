"""The places of a device: LUT files loaded into them, cleared, renamed, moved and brought back."""

from __future__ import annotations

import contextlib
import hashlib
from pathlib import Path
from typing import Any

import attrs
from attrs import frozen

from sfumato.core.bench.monitor import EMPTIES, Refusal, held
from sfumato.core.colour import span_note
from sfumato.core.errors import FormatError, ValueRefused
from sfumato.core.lut.table import Table3D
from sfumato.core.lut.transform import Transform
from sfumato.work.bench.devices import PLACES, Place, Rig, State, changed
from sfumato.work.bench.monitors import loaded, taken
from sfumato.work.files import MOST_TABLE_BYTES, make_folder, read_bytes, write_bytes


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

    def change(now: Rig) -> State:  # writes while the device is locked, or another drops the file
        make_folder(rig.folder / PLACES)
        write_bytes(rig.folder / PLACES / place.file, data)
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

    def change(now: Rig) -> State:
        make_folder(rig.folder / PLACES)
        for name, data in files.items():
            write_bytes(rig.folder / PLACES / name, data)
        return attrs.evolve(now.state, places=places)

    return changed(rig, change)


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
