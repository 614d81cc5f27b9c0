"""A LUT file in a simulated monitor: refused, or what it makes of a picture and why that differs."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.bench.monitor import (
    HALF,
    MONITORS,
    RECORDING,
    Monitor,
    Refusal,
    half_and_half,
    refusal,
    steps,
    through_monitor,
)
from sfumato.core.bench.signal import Signal, from_signal, to_signal
from sfumato.core.errors import FormatError, ValueRefused
from sfumato.core.lut.difference import Difference, delta_e, difference_of
from sfumato.core.lut.transform import Transform
from sfumato.formats.parts import registry
from sfumato.media.parts.contract import as_float
from sfumato.work.files import MOST_TABLE_BYTES, read_bytes
from sfumato.work.frames import open_still
from sfumato.work.luts.lut_files import display_of


@frozen(eq=False)
class Screened:
    """What leaves a monitor: display codes (h, w, 3) of the screen and of the recorder, 0..1.

    Attributes:
        refused: what the device says of the file; then both outputs are natural.
        from_look: of what goes through the LUT, against the file's exact look.
        shares: how much of the mean ΔE each thing adds that the device does otherwise, in its order.
    """

    screen: Rgb
    recorder: Rgb
    refused: Refusal | None
    from_look: Difference | None = None
    shares: tuple[tuple[str, float], ...] = ()


def monitor(key: str) -> Monitor:
    """Return the device of a key.

    Raises:
        ValueRefused: there is none.
    """
    found = MONITORS.get(key)
    if found is None:
        raise ValueRefused(f"there is no device {key!r}", hint=f"choose {', '.join(MONITORS)}")
    return found


def loaded(device: Monitor, file: Path) -> Refusal | Transform:
    """Load a file into a device: the LUT, or what the device says against it.

    Raises:
        FormatError: there is no such file, or it cannot be opened.
    """
    data = read_bytes(file, FormatError, MOST_TABLE_BYTES)
    try:
        read = registry.read(data, str(file))
    except FormatError as error:
        damaged = Refusal("FILE ERROR", f"{error.summary[:1].upper()}{error.summary[1:]}.")
        return (
            refusal(device, file.stem, len(data), device.grids[0][0], device.grids[0][1][0])
            or damaged
        )
    table = read.transform.table
    points = table.size if table is not None else 0
    return refusal(device, file.stem, len(data), read.key, points) or read.transform


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
    table = there.table
    assert table is not None  # a device takes nothing else
    graded = through_monitor(device, table, natural)
    screen = half_and_half(natural, graded) if use == HALF else graded
    recorder = graded if use == RECORDING else natural
    look = np.clip(there.apply(rgb), 0, 1)
    display = display_of(there)
    made = steps(device, table, rgb, look)
    apart = [float(delta_e(np.clip(p, 0, 1), look, display).mean()) for _name, p in made]
    shares = tuple(
        (name, after - before)
        for (name, _p), before, after in zip(made[1:], apart, apart[1:], strict=False)
    )
    off = difference_of((_shown(graded), look), rgb, display)
    return Screened(_shown(screen), _shown(recorder), None, off, shares)


def _shown(signal: Signal) -> Array:
    return np.clip(from_signal(signal), 0, 1)
