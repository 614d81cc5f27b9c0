"""Files that came back: read, and a LUT made of each."""

from __future__ import annotations

import io
import os
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import attrs
import numpy as np
from attrs import frozen
from PIL import Image

from sfumato.core.arrays import Rgb
from sfumato.core.breath import StillWanted, always_wanted
from sfumato.core.carrier import arrange, cells, locate
from sfumato.core.carrier.corners import Corners
from sfumato.core.carrier.faults import Fault, fault
from sfumato.core.carrier.locate import Placed
from sfumato.core.carrier.recover import Recovered, recovered
from sfumato.core.carrier.search import Came, Sought
from sfumato.core.colour.encodings import convert, encoding
from sfumato.core.errors import FormatError, MediaError, SfumatoError
from sfumato.formats.parts import picture
from sfumato.media.parts import icc
from sfumato.media.parts.upright import check_size
from sfumato.raster import jpeg
from sfumato.work.files import read_bytes

DISPLAY = "BT.1886"
_MOST_BYTES = 1 << 30
_AT_ONCE = 4  # returns that are worked on together: each takes up to a few hundred megabytes


@frozen(eq=False)
class Returned:
    """A picture that came back, as its file holds it."""

    file: Path
    pixels: Rgb = attrs.field(repr=False)
    came: Came
    profile: bytes = attrs.field(default=b"", repr=False)
    remarks: tuple[str, ...] = ()


@frozen(eq=False)
class Original:
    """The carrier that went out, as far as its file tells."""

    profile: bytes = attrs.field(default=b"", repr=False)
    frame: Rgb | None = attrs.field(default=None, repr=False)
    sought: Sought = Sought()


def read_return(path: Path) -> Returned:
    """Read a picture's code values and what its file says.

    Raises:
        FormatError: it is no picture, damaged, too large, CMYK or grey.
    """
    data = read_bytes(path, FormatError, _MOST_BYTES)
    try:
        found = picture.decoded(data, check_size)
    except (FormatError, MediaError) as error:
        raise FormatError(error.summary, hint=error.hint, where=str(path)) from error
    planes = None
    if found.sampling not in ("", "4:4:4"):
        planes = jpeg.planes(data)
    came = Came(found.depth, found.lossy, found.stated, found.sampling, planes)
    return Returned(path, found.values(), came, _profile(data), found.remarks)


def _profile(data: bytes) -> bytes:
    try:
        with Image.open(io.BytesIO(data)) as image:
            found = image.info.get("icc_profile")
    except (OSError, SyntaxError, ValueError, Image.DecompressionBombError):
        return b""
    return found if isinstance(found, bytes) else b""


def read_original(path: Path) -> Original:
    """Read the carrier that went out; its frame, where it has one.

    Raises:
        FormatError: it cannot be read.
    """
    back = read_return(path)
    placed = locate.found(back.pixels)
    if placed is None:
        try:
            taken = arrange.taken(back.pixels, back.came.stated)
        except FormatError:
            return Original(back.profile)
        block = (taken.name, len(taken.lattice))
        return Original(back.profile, sought=Sought((block,)))
    x0, y0, x1, y1 = cells.picture_box(back.pixels, placed)
    sought = Sought(plan=placed.plan)
    return Original(back.profile, back.pixels[y0:y1, x0:x1], sought)


def recover(
    back: Returned,
    original: Original | None = None,
    *,
    grid: int = 0,
    reading: str = "",
    placed: Placed | None = None,
    corners: Corners = (),
    check: StillWanted = always_wanted,
) -> Recovered:
    """Make a LUT of a picture that came back; codes are brought back to the profile that went out.

    Raises:
        FormatError: no carrier is in it.
    """
    pixels, more = back.pixels, list[Fault]()
    if original is not None and back.profile and back.profile != original.profile:
        pixels, more = _profile_back(back, original)
    try:
        found = recovered(
            pixels,
            back.came if pixels is back.pixels else attrs.evolve(back.came, planes=None),
            encoding(DISPLAY),
            sent=None if original is None else original.frame,
            grid=grid,
            reading=reading,
            placed=placed,
            sought=attrs.evolve(Sought() if original is None else original.sought, corners=corners),
            check=check,
        )
    except FormatError as error:
        raise FormatError(error.summary, hint=error.hint, where=str(back.file)) from error
    keys = {f.key for f in found.faults}
    faults = (*(f for f in more if f.key not in keys), *found.faults)
    return attrs.evolve(found, faults=faults, remarks=(*back.remarks, *found.remarks))


def _profile_back(back: Returned, original: Original) -> tuple[Rgb, list[Fault]]:
    """Carry codes from the profile that came back to the one that went out, where both are known."""
    there = icc.known(back.profile)
    here = icc.known(original.profile) if original.profile else None
    names = f"from {here or 'none'} to {there or icc.described(back.profile)}"
    if there == here:
        return back.pixels, []
    if there is None or here is None:
        words = f"The file came back in another profile ({names})."
        return back.pixels, [fault("profile_converted", 1, "", words)]
    words = f"The colours were converted {names}; they were carried back."
    pixels = np.asarray(convert(back.pixels, there, here), np.float32)
    return pixels, [fault("profile_converted", 1, "", words, mended=True)]


Answer = Callable[[Path], Recovered]


def recover_all(
    files: Sequence[Path], one: Answer, check: StillWanted = always_wanted, *, spare: int = 0
) -> Iterator[tuple[Path, Recovered | SfumatoError]]:
    """Recover every file, in their order; one that cannot be is given back as its refusal.

    Args:
        one: recovers a file; called in several threads.
        spare: processors that are left to others, a window for one.
    """

    def tried(file: Path) -> Recovered | SfumatoError:
        check()
        try:
            return one(file)
        except SfumatoError as error:
            return error.alone()

    free = (os.cpu_count() or 1) - spare
    with ThreadPoolExecutor(max(1, min(len(files), free, _AT_ONCE))) as pool:
        yield from zip(files, pool.map(tried, files), strict=True)
