"""A LUT file in a simulated monitor: refused, or what it makes of a picture and why that differs."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.bench.monitor import (
    HALF,
    RECORDING,
    Monitor,
    Refusal,
    half_and_half,
    held,
    refusal,
    steps,
    through_monitor,
)
from sfumato.core.bench.signal import Signal, from_signal, to_signal
from sfumato.core.errors import FormatError
from sfumato.core.lut.difference import Difference, delta_e, difference_of
from sfumato.core.lut.transform import Transform
from sfumato.formats.parts import registry
from sfumato.media.parts.contract import as_float
from sfumato.work.bench.coding import coded
from sfumato.work.files import MOST_TABLE_BYTES, read_bytes
from sfumato.work.frames import open_still
from sfumato.work.luts.lut_files import display_of


@frozen(eq=False)
class Screened:
    """What leaves a monitor: display codes (h, w, 3) of the screen and of the recorder, 0..1.

    Attributes:
        refused: what the device says of the file; then both outputs are natural.
        proof: of what goes through the LUT, against the file's exact look.
    """

    screen: Rgb
    recorder: Rgb
    refused: Refusal | None
    proof: Proof | None = None


def taken(device: Monitor, data: bytes, file: Path, name: str = "") -> Refusal | Transform:
    """Return the LUT that a file holds as a device takes it, or what the device says against it.

    Args:
        name: what the file is called for the device, without its suffix; "" for its own name.
    """
    name = name or file.stem
    try:
        read = registry.read(data, str(file))
    except FormatError as error:
        damaged = Refusal("FILE ERROR", f"{error.summary[:1].upper()}{error.summary[1:]}.")
        key = device.formats[0] if device.formats else ""
        points = device.grids_of(key)[0] if key else 0
        return refusal(device, name, len(data), key, points) or damaged
    table = read.transform.table
    points = table.size if table is not None else 0
    return refusal(device, name, len(data), read.key, points) or read.transform


def loaded(device: Monitor, file: Path, name: str = "") -> Refusal | Transform:
    """Load a file into a device: the LUT, or what the device says against it.

    Raises:
        FormatError: there is no such file, or it cannot be opened.
    """
    return taken(device, read_bytes(file, FormatError, MOST_TABLE_BYTES), file, name)


@frozen(eq=False)
class Proof:
    """How far what leaves a device is from the exact look: ΔE, and how much of its mean each thing adds
    that the device does otherwise, in its order."""

    off: Difference
    shares: tuple[tuple[str, float], ...]


def proof(device: Monitor, lut: Transform, rgb: Rgb, *, recorded: bool = False) -> Proof:
    """Measure a device on a picture.

    Args:
        lut: as it was read of the file; it has a 3D table.
        rgb: what enters the device, codes (h, w, 3) within 0..1.
        recorded: whether the codec of its takes counts too.
    """
    table = lut.table
    assert table is not None  # a device takes nothing else
    look = np.clip(lut.apply(rgb), 0, 1)
    display = display_of(lut)
    made = steps(device, table, rgb, look)
    if recorded:
        leaves = through_monitor(device, held(device, table), to_signal(rgb))
        made.append(("codec", from_signal(coded(leaves, device.codec))))
    apart = [float(delta_e(np.clip(p, 0, 1), look, display).mean()) for _name, p in made]
    shares = tuple(
        (name, after - before)
        for (name, _p), before, after in zip(made[1:], apart, apart[1:], strict=False)
    )
    return Proof(difference_of((np.clip(made[-1][1], 0, 1), look), rgb, display), shares)


def screened(device: Monitor, lut: Path, picture: Path, use: str) -> Screened:
    """Send a picture through a device with a LUT loaded.

    Raises:
        SfumatoError: the LUT cannot be opened, or the picture cannot be read.
    """
    there = loaded(device, lut)
    rgb = np.clip(as_float(open_still(picture).pixels), 0, 1)
    natural = to_signal(rgb)
    if isinstance(there, Refusal):
        plain = _shown(natural)
        return Screened(plain, plain, there)
    assert there.table is not None
    graded = through_monitor(device, held(device, there.table), natural)
    screen = half_and_half(natural, graded) if use == HALF else graded
    recorder = graded if use == RECORDING else natural
    return Screened(
        _shown(screen), _shown(recorder), None, proof(device, there, rgb, recorded=use == RECORDING)
    )


def _shown(signal: Signal) -> Array:
    return np.clip(from_signal(signal), 0, 1)
