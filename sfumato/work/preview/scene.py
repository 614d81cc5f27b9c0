"""What an instrument can look at: side B of a shot, and the Look and the LUT that it went through."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Protocol

from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.lut.transform import Transform


@frozen(eq=False)
class Scene:
    """Everything is there or is computed when asked for.

    `picture` is side B as uint8 (h, w, 3), the whole of it; `display` its encoding. `exact()` and
    `lut()` are the path of the study's Span and the LUT of it, `viewed` takes what they give to
    display values, `seen` to uint8 codes of the screen; `shown` takes working values to display values,
    `painted` those to uint8 codes of the screen. `is_quick`: the hand moves.
    """

    picture: Array
    working: str
    display: str
    is_quick: bool
    shows_lut: bool  # side B is the LUT
    through_look: Callable[[Rgb], Rgb]  # on working values
    exact: Callable[[], Transform]
    lut: Callable[[], Transform]
    viewed: Callable[[Rgb], Rgb]
    shown: Callable[[Rgb], Rgb]
    painted: Callable[[Rgb], Array]
    inks: Callable[[Array], Array] | None = (
        None  # what the picture takes of each ink, uint8 (h, w, 4)
    )
    ink_limit: float = 4.0

    def seen(self, given: Rgb) -> Array:
        return self.painted(self.viewed(given))


class Measuring(Protocol):
    """An instrument, as far as a preview must know it."""

    @property
    def key(self) -> str: ...
    @property
    def counts_pixels(self) -> bool: ...
    def measure(self, scene: Scene, grey: bool = False) -> Any: ...
