"""Files that arrive: which of them are returns, and of which journey."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from pathlib import Path

from attrs import frozen

from sfumato.core.carrier import locate
from sfumato.core.carrier.locate import Placed
from sfumato.core.carrier.recover import Recovered
from sfumato.core.errors import SfumatoError
from sfumato.core.study.journey import Journey, Return
from sfumato.media.parts.registry import by_suffix
from sfumato.work.cancel import Cancel, Progress
from sfumato.work.files import Stamp, is_file, is_folder, stamp_of
from sfumato.work.memory import heavy
from sfumato.work.trip.carriers import SUFFIXES, Carrier, size_of
from sfumato.work.trip.examined import Returns
from sfumato.work.trip.returns import Returned, read_return, recover_all

_MOST_FILES = 2000
_LIKELY = 8  # how many letters of a carrier's name a return's begins with, to be taken for meant


def now() -> str:
    """Return the local time to the minute, ISO 8601."""
    return datetime.now().astimezone().replace(tzinfo=None).isoformat(timespec="minutes")


@frozen(eq=False)
class Arrival:
    """A file and the journey that it belongs to: the id, "" when no carrier of ours is known for it."""

    back: Return
    journey: str = ""


def pictures_in(files: Sequence[Path]) -> list[Path]:
    """Return the pictures among files, and those that lie in folders among them."""
    found: list[Path] = []
    for file in files:
        if not is_folder(file):
            found.append(file)
            continue
        try:
            inside = sorted(file.iterdir())
        except OSError:
            continue
        found += [f for f in inside if f.suffix.lower() in SUFFIXES and is_file(f)]
    return found[:_MOST_FILES]


def may_return(file: Path) -> bool:
    """Whether a dropped file can be a return: a still picture, or a folder of them."""
    kind = by_suffix(file.name)
    return is_folder(file) or (kind is not None and kind.key != "clip")


def fresh(journeys: Sequence[Journey], known: dict[Path, Stamp | None]) -> dict[Path, Stamp]:
    """Return files beside the carriers that were written since these went out, and are not known.

    Args:
        known: files that were seen, as they were then; one that changed is fresh again.
    """
    found: dict[Path, Stamp] = {}
    carriers = {Path(j.path) for j in journeys if j.path}
    beside = {c.parent for c in carriers}
    for folder in beside:
        stamps = [stamp_of(c) for c in carriers if c.parent == folder]
        sent = min((s[0] for s in stamps if s is not None), default=0)
        for file in pictures_in([folder]):
            stamp = stamp_of(file)
            if file in carriers or stamp is None or stamp[0] < sent:
                continue
            if known.get(file) != stamp:
                found[file] = stamp
    for file in {Path(r.path) for j in journeys for r in j.returns}:
        stamp = stamp_of(file)  # one that came from elsewhere may be written anew too
        if file.parent not in beside and stamp is not None and known.get(file) not in (None, stamp):
            found[file] = stamp
    return found


def of_name(file: Path, journeys: Sequence[Journey]) -> list[Journey]:
    """Return the journeys whose carrier's name a file's begins with."""
    stem = file.stem.casefold()
    return [
        j for j in journeys if j.path and stem.startswith(Path(j.path).stem.casefold()[:_LIKELY])
    ]


def belonging(back: Returned, journeys: Sequence[Journey]) -> tuple[Journey | None, Placed | None]:
    """Return the journey that a picture came back from, and where a frame carrier lies in it.

    The mark in the bars tells, or the size of nodes alone does. Of several the one whose name the
    file bears, then the newest.
    """
    size = (back.pixels.shape[1], back.pixels.shape[0])
    placed = None
    fits = [
        j
        for j in journeys
        if j.points and not j.mark and size_of(Carrier(j.points, j.layout)) in (size, size[::-1])
    ]
    if not fits and any(j.mark for j in journeys):
        placed = locate.found(back.pixels)
        fits = [j for j in journeys if placed is not None and j.mark == placed.plan.number]
    named = [j for j in fits if back.file.stem.startswith(Path(j.path).stem)]
    return next(iter(named or fits), None), placed


def _with_corners(file: Path, journeys: Sequence[Journey]) -> tuple[Journey | None, str]:
    """Return the journey to which a file came back with corners set by hand, and those: they hold on."""
    for journey in journeys:
        back = journey.back(str(file))
        if back is not None and back.corners:
            return journey, back.corners
    return None, ""


def arrived(
    files: Sequence[Path],
    journeys: Sequence[Journey],
    returns: Returns,
    cancel: Cancel,
    progress: Progress,
    *,
    all_meant: bool,
) -> list[Arrival]:
    """Look at files that arrived.

    Args:
        all_meant: a file without a look is a return that failed; else only where it bears a
            carrier's name, and other pictures in the folder are passed over.
    """
    came, found = now(), list[Arrival]()
    homes: dict[Path, str] = {}

    def one(file: Path) -> Recovered:
        with heavy(cancel.check):
            back = read_return(file)
            journey, corners = _with_corners(file, journeys)
            placed = None
            if journey is None:
                journey, placed = belonging(back, journeys)
            homes[file] = journey.id if journey is not None else ""
            return returns.look(file, journey, cancel.check, (back, placed), corners=corners)

    for i, (file, look) in enumerate(recover_all(files, one, cancel.check, spare=1)):
        cancel.check()
        progress((i + 1) / len(files), file.name)
        if not isinstance(look, SfumatoError):
            found.append(Arrival(Return(str(file), came, len(look.faults)), homes[file]))
            continue
        named = of_name(file, journeys)
        if all_meant or named:
            fault = f"{look.summary}; {look.hint}" if look.hint else look.summary
            home = homes.get(file) or (named[0].id if named else "")
            found.append(Arrival(Return(str(file), came, fault=fault), home))
    return found
