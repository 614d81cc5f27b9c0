"""What a decoder gives, and what it refuses before it asks for memory."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from attrs import field, frozen

from sfumato.core.arrays import Array
from sfumato.core.errors import MediaError

DEPTHS = {"uint8": "8", "uint16": "16", "float16": "16f", "float32": "32f"}

SizeRule = Callable[[int, int], None]  # of width and height, before the pixels are decoded


@frozen(eq=False)
class Samples:
    """Pixels (h, w, channels), uint8, uint16, float16 or float32, in the order in which they are stored.

    `is_colour`: the channels are R, G, B and perhaps alpha (not grey, not a palette that was looked
    up); `header` is what the container says besides, by its own names.
    """

    pixels: Array
    is_colour: bool = True
    header: dict[str, Any] = field(factory=dict)

    @property
    def depth(self) -> str:
        """8, 16, 16f or 32f."""
        return DEPTHS[self.pixels.dtype.name]


def damaged(kind: str) -> MediaError:
    """Return the refusal of a file that is not what it claims."""
    return MediaError(f"the {kind} is damaged or cut short", hint="copy or export it again")
