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
from sfumato.media.parts.contract import as_float
from sfumato.work.files import stamp_of
from sfumato.work.frames import open_still
from sfumato.work.luts.lut_files import display_of, read_lut


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


def refused_by(device: Monitor, file: Path) -> Refusal | None:
    """Return why a device does not take a file; None when it does."""
    stamp = stamp_of(file)
    size = file.stat().st_size if stamp is not None else 0
    try:
        read = read_lut(file)
    except FormatError:
        return refusal(device, file.stem, size, "", 0) or Refusal("FILE ERROR", "It is damaged.")
    table = read.transform.table
    return refusal(device, file.stem, size, read.key, table.size if table is not None else 0)


def screened(device: Monitor, lut: Path, picture: Path, use: str) -> Screened:
    """Send a picture through a device with a LUT loaded.

    Raises:
        SfumatoError: the LUT or the picture cannot be read.
    """
    read = read_lut(lut)
    still = open_still(picture)
    rgb = np.clip(as_float(still.pixels), 0, 1)
    natural = to_signal(rgb)
    refused = refused_by(device, lut)
    table = read.transform.table
    if refused is not None or table is None:
        plain = _shown(natural)
        return Screened(plain, plain, refused or Refusal("FILE ERROR", "It has no 3D table."))
    graded = through_monitor(device, table, natural)
    screen = half_and_half(natural, graded) if use == HALF else graded
    recorder = graded if use == RECORDING else natural
    look = np.clip(read.transform.apply(rgb), 0, 1)
    display = display_of(read.transform)
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
