"""Cards in devices: put in, pulled out, how much room they have, files moved onto them."""

from __future__ import annotations

import os
import shutil
from pathlib import Path

from sfumato.core.errors import ExportError, StudyError
from sfumato.work.bench.devices import BUFFER, Rig, read_rig, with_state
from sfumato.work.files import cut_name, drop, free, is_file, is_folder, placed, refusal, stamp_of
from sfumato.work.outlets.folders import whole_folder


def mount(rig: Rig, folder: Path) -> Rig:
    """Put a card in; takes that wait in the buffer go onto it.

    Raises:
        StudyError: there is no such folder.
        ExportError: a take does not fit onto it.
    """
    if not is_folder(folder):
        raise StudyError("the card is not there", hint="choose a folder", where=str(folder))
    own, buffer = folder.resolve(), rig.folder / BUFFER
    card = own.name if own.parent == rig.folder.resolve() else str(own)
    for take in sorted(buffer.glob("TAKE_*")) if is_folder(buffer) else []:
        moved(take, folder)  # what does not fit waits on, and the card is not in
    return with_state(rig, card=card)


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


def copied_onto(rig: Rig, file: Path) -> Path:
    """Copy a file onto the card of a device, whole or not at all; nothing there is replaced.

    Raises:
        ExportError: no card is in it, it is full, or it was pulled.
    """
    if rig.card is None:
        raise ExportError("no card is in the device", hint="put one in first")
    if (stamp_of(file) or (0, 0))[1] > room_left(rig):
        where = str(rig.card)
        if not rig.has_card:
            raise ExportError("the card was pulled", hint="put it back", where=where)
        raise ExportError("the card is full", hint="make room on it", where=where)
    return copied(file, free(rig.card / file.name))


def taken_in(root: Path, folder: Path) -> Rig:
    """Copy the folder of a device, with its places and its card, beside the others, whole or not at all.

    Raises:
        StudyError: it is no device, or damaged.
        ExportError: it cannot be copied.
    """
    read_rig(folder)
    there = free(root / folder.name)
    with whole_folder(there, replace=False) as made:
        shutil.copytree(folder, made, dirs_exist_ok=True)
    return read_rig(there)


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
