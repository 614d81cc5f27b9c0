"""What lies on a device's card, and a file that it refuses written anew as it takes it, through an outlet."""

from __future__ import annotations

import itertools
from functools import lru_cache
from pathlib import Path

from attrs import frozen

from sfumato.core.bench.monitor import Monitor, Refusal
from sfumato.core.errors import ExportError, FormatError
from sfumato.core.lut.device import LEGAL
from sfumato.core.study.outlet import (
    ANY_LETTERS,
    CAMERA,
    CAPITALS,
    PLAIN_LETTERS,
    Outlet,
    stem_for,
)
from sfumato.formats.parts.registry import by_suffix
from sfumato.media.parts import registry as media
from sfumato.work.bench.devices import Rig
from sfumato.work.bench.monitors import taken
from sfumato.work.bench.places import digest_of
from sfumato.work.bench.takes import Take, take_of
from sfumato.work.files import MOST_TABLE_BYTES, Stamp, exists, is_file, read_bytes, stamp_of
from sfumato.work.luts.deliver import VERSION, Delivered, deliver
from sfumato.work.luts.lut_files import read_lut
from sfumato.work.outlets.forms.lut_file import target_of

_MOST_FILES = 200
_LETTERS = {"ASCII": ANY_LETTERS, "plain": PLAIN_LETTERS, "capitals": CAPITALS}


@frozen
class CardFile:
    """A file on a card.

    Attributes:
        refused: what the device would say against a LUT file.
        place: the place, from 0, where just this file stands; None where in none.
        take: what a recording is; `is_clip` without it: a clip that nobody knows.
    """

    file: Path
    refused: Refusal | None = None
    place: int | None = None
    take: Take | None = None
    is_clip: bool = False

    @property
    def is_lut(self) -> bool:
        return not self.is_clip

    @property
    def says(self) -> tuple[str, str]:
        """How it stands, in a few words and a pigment."""
        if self.is_clip:
            if self.take is None:
                return "a clip", "quiet"
            return self.take.says, "yellow" if self.take.look else "quiet"
        if self.refused is not None:
            return self.refused.short, "cinnabar"
        if self.place is not None:
            return f"in place {self.place + 1}", "malachite"
        return "can be loaded", "quiet"


def on_card(rig: Rig) -> tuple[CardFile, ...]:
    """Return the LUT files and takes on the card of a device, by name; () without a card."""
    if rig.card is None:
        return ()
    try:
        files = sorted(f for f in rig.card.iterdir() if not f.name.startswith(".") and is_file(f))
    except OSError:
        return ()
    places = {p.file: i for i, p in reversed(list(enumerate(rig.state.places))) if p is not None}
    found = []
    for file in files[:_MOST_FILES]:
        kind = media.by_suffix(str(file))
        if kind is not None and kind.key == "clip":
            found.append(CardFile(file, take=take_of(file), is_clip=True))
        elif by_suffix(str(file)) is not None:
            digest, refused = _judged(rig.monitor, file, stamp_of(file))
            place = places.get(digest + file.suffix.lower())
            found.append(CardFile(file, refused, place))
    return tuple(found)


@lru_cache(maxsize=512)
def _judged(monitor: Monitor, file: Path, _stamp: Stamp | None) -> tuple[str, Refusal | None]:
    """Return the digest of a LUT file, and what a device says against it."""
    try:
        data = read_bytes(file, FormatError, MOST_TABLE_BYTES)
    except FormatError as error:
        return "", Refusal("FILE ERROR", f"{error.summary[:1].upper()}{error.summary[1:]}.")
    found = taken(monitor, data, file)
    return digest_of(data), found if isinstance(found, Refusal) else None


# --- written right -------------------------------------------------------------------------------
def outlet_for(rig: Rig) -> Outlet:
    """Return an outlet that writes onto a device's card just what the device takes.

    Raises:
        ExportError: no card is in it, or it takes no LUT files.
    """
    monitor = rig.monitor
    if rig.card is None:
        raise ExportError("no card is in the device", hint="put one in first")
    if not monitor.formats:
        raise ExportError("the device takes no LUT files", hint="change what it accepts")
    format = monitor.formats[0]
    grids = monitor.grids_of(format)
    return Outlet(
        f"bench_{monitor.key}"[:40],
        monitor.title,
        "simulated monitor on the Bench",
        format=format,
        grid=min(max(33 if 33 in grids else grids[-1], 2), 129),
        span=CAMERA,
        interp=monitor.interp,
        nodes=monitor.nodes,
        codes="10 bit",
        reach=LEGAL,
        folder=str(rig.card.resolve()),
        names="{look}",
        letters=_LETTERS[monitor.letters],
        longest=monitor.longest,
        places=monitor.places,
        most_kb=monitor.most_mb * 1000,
        bench=monitor.key,
    )


def name_for(rig: Rig, stem: str) -> str:
    """Return what a file would be called so that the device takes it and no other has the name.

    Raises:
        ExportError: no card is in the device, or it takes no LUT files.
    """
    outlet, longest = outlet_for(rig), rig.monitor.longest
    assert rig.card is not None
    made = stem_for(outlet, {"look": stem})[0]
    plain = "".join(c for c in made if rig.monitor.takes_name(c))[:longest].strip()
    plain = plain or "LOOK"[:longest]
    ending = target_of(outlet).ending
    for number in itertools.count(1):
        more = "" if number == 1 else str(number)
        name = f"{plain[: longest - len(more)]}{more}{ending}"
        if not exists(rig.card / name):
            return name
    raise AssertionError  # pragma: no cover


def written_right(rig: Rig, file: Path) -> Delivered:
    """Write a LUT file anew beside itself, as the device takes it: name, format, grid.

    Raises:
        FormatError: it cannot be read.
        ExportError: it cannot be written, or would still be refused.
    """
    outlet = outlet_for(rig)
    assert rig.card is not None
    target = target_of(outlet)
    transform = read_lut(file).transform
    place = rig.card / name_for(rig, file.stem)
    made = deliver(
        transform, target, place, VERSION, title=place.stem, most_bytes=int(outlet.most_kb * 1000)
    )
    assert made is not None
    refused = taken(rig.monitor, read_bytes(made.place, FormatError, MOST_TABLE_BYTES), made.place)
    if isinstance(refused, Refusal):
        raise ExportError(f"the device still refuses it: {refused.why}", where=str(made.place))
    return made
