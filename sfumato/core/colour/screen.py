"""What a picture made for one display looks like on another: the screen that it is looked at."""

from __future__ import annotations

import numpy as np

from sfumato.core.arrays import Array, Rgb
from sfumato.core.colour.adapt import transformed
from sfumato.core.colour.bends import shoulder
from sfumato.core.colour.encodings import Encoding, light_matrix
from sfumato.core.compiled import KERNELS

KNEE = 0.7  # of diffuse white: above it the light of PQ and HLG is bent into the screen's white


def is_plain(display: Encoding, screen: Encoding) -> bool:
    """Whether the codes of a display can go to a screen as they are."""
    return display is screen or (
        display.transfer == screen.transfer
        and display.primaries == screen.primaries
        and display.white == screen.white
        and display.coder is None
        and screen.coder is None
    )


def on_screen(code: Rgb, display: Encoding, screen: Encoding) -> Rgb:
    """Return the codes for a screen that show what a display shows: float32 (..., 3), 0..1.

    White goes to white. Colours outside the screen's gamut are clipped; light above diffuse white
    (PQ, HLG) is bent, from `KNEE` of it on.
    """
    if is_plain(display, screen):
        return code
    light = transformed(
        display.decode(np.clip(code, 0, 1)),
        light_matrix(display, screen) / screen.reference,
    )
    if display.is_wide:
        light = shoulder(np.maximum(light, 0), KNEE, 1.0)
    return np.clip(screen.encode(np.clip(light, 0, 1) * np.float32(screen.reference)), 0, 1)


def code_table(display: Encoding, screen: Encoding) -> Array | None:
    """Return the screen's code for each of a display's codes, uint8 (256,): see `recoded`.

    None where a channel of one is not made of that channel of the other alone.
    """
    apart = display.primaries != screen.primaries or display.white != screen.white
    if apart or display.is_wide or screen.is_wide or display.coder or screen.coder:
        return None
    greys = np.repeat(np.arange(256, dtype=np.float32)[:, None] / np.float32(255), 3, axis=1)
    codes = on_screen(greys, display, screen)[:, 1]
    return np.asarray(codes * 255 + np.float32(0.5), np.uint8)


def recoded(codes: Array, table: Array) -> Array:
    """Return uint8 codes (h, w, 3) as a table of 256 has them."""
    if KERNELS.counts is None:
        return np.asarray(table[codes])
    out = np.empty(codes.shape, np.uint8)
    flat = np.require(codes, requirements=("C", "W")).reshape(-1)
    KERNELS.counts.exchanged(flat, table, out.reshape(-1))
    return out


def screen_words(display: Encoding, screen: Encoding) -> tuple[str, str]:
    """Say how the picture is brought to the screen, briefly and in full; "" when it goes as it is."""
    if is_plain(display, screen):
        return "", ""
    if display.is_wide:
        knee = KNEE * display.reference * display.peak_nits
        full = f"{display.name} mapped to {screen.name}: light above {knee:.0f} cd/m² is bent into white"
        return f"mapped to {screen.name}", full
    return f"on {screen.name}", f"{display.name} in the codes of {screen.name}"
