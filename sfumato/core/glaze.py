"""What a glaze is: one declaration (GlazeSpec) from which everything else is derived."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from enum import Enum
from functools import cache
from typing import Any

import numpy as np
from attrs import evolve, field, frozen

from sfumato.core.arrays import Rgb, as_rgb
from sfumato.core.colour import oklab
from sfumato.core.colour.encodings import Encoding, encoding
from sfumato.core.colour.showing import Showing
from sfumato.core.controls import Kind, kinds
from sfumato.core.discover import specs


class Category(Enum):
    """Where a glaze stands in the "Add a glaze" menu; the order here is the order there."""

    LIGHT = "Light"
    TONE = "Tone"
    COLOUR = "Colour"


class Domain(Enum):
    """What numbers `run` works on: working code values, linear light, or Oklab."""

    CODE = "code"
    LIGHT = "light"
    OKLAB = "oklab"


NOISE_STOPS = 8.8  # the usual noise floor, see `View.noise`
NOISE = 0.18 * 2**-NOISE_STOPS

# Parameters, values, working encoding, and the View or the noise floor where that is asked for.
Run = Callable[..., Rgb]
Says = Callable[[Any, Encoding, Showing | None], str]
Pick = Callable[[Any, Rgb, Encoding], Any]


@cache
def _defaults(record: type) -> Any:
    return record()


@frozen
class Example:
    """What a glaze makes of one colour in an encoding, to 1e-5: a value that anybody can check."""

    values: Mapping[str, Any]
    working: str
    given: tuple[float, float, float]
    made: tuple[float, float, float]


@frozen
class Former:
    """What an older version of a glaze did with its values, for studies that were saved with it."""

    run: Run
    domain: Domain = Domain.CODE


@frozen
class Promise:
    """What a glaze makes of noisy pictures at most, over the usual travel of all its controls.

    Attributes:
        gain: how much a small step of a colour may grow, in 99.9 of 100 pixels of log footage.
        noise: how much the noise of a neutral patch may grow, from black to bright.
        cast: how far noise at black may lose its neutrality, in code values.
        folds: the share of the cube that may turn over.
        falling: the share of greys that may fall.
    """

    gain: float = 4.0
    noise: float = 2.5
    cast: float = 0.002
    folds: float = 0.005
    falling: float = 0.0


@frozen(eq=False)
class GlazeSpec:
    """One kind of glaze.

    `run(parameters, values, working)` is pure, takes float32 (..., 3) in `domain` and returns a new
    array; `pick(parameters, colour, working)` answers a click in the picture with new parameters.
    """

    key: str
    title: str
    group: Category
    record: type
    run: Run
    domain: Domain = Domain.CODE
    version: int = 1
    help: str = ""
    more: str = ""  # a paragraph for those who ask: when to use it, and what to watch
    pick: Pick | None = None
    pick_title: str = ""
    short_of: Callable[[Any, Rgb, Encoding], str] | None = None  # what a pick did not reach, or ""
    knows_view: bool = False  # `run` takes `view` too: the View, None where there is none
    knows_noise: bool = False  # `run` takes `noise` too: the noise floor of the study
    says: Says | None = None  # what it does with these values here, "" when nothing is worth a word
    is_hard: bool = False  # makes edges that no grid of a LUT can follow
    mild: Mapping[str, Any] = field(factory=dict)  # values under which it does something, gently
    examples: tuple[Example, ...] = ()  # checkable values, where tests have no other definition
    upgrades: Mapping[int, Callable[[dict[str, Any]], dict[str, Any]]] = field(factory=dict)
    former: Mapping[int, Former] = field(factory=dict)  # by the last version that did so
    suited: Callable[[Encoding], Any] | None = (
        None  # defaults for an encoding, which do nothing too
    )
    promise: Promise = Promise()

    def at(self, version: int) -> GlazeSpec:
        """Return the glaze as it was in a version; itself where that made the same picture."""
        last = min((v for v in self.former if v >= version > 0), default=0)
        return _as_it_was(self, last) if last else self

    def new(self, working: Encoding) -> Any:
        """Return the parameters of a new glaze in an encoding: they change nothing yet."""
        return self.suited(working) if self.suited else self.defaults()

    def defaults(self) -> Any:
        """Return parameters at which the glaze changes nothing."""
        return _defaults(self.record)

    def controls(self) -> dict[str, Kind]:
        """Return the controls by field name, in panel order."""
        return kinds(self.record)

    def apply(
        self,
        parameters: Any,
        rgb: Any,
        working: Encoding | str = "BT.1886",
        view: Showing | None = None,
    ) -> Rgb:
        """Apply to code values in the `working` encoding.

        Args:
            rgb: float32 (..., 3), any finite values; not modified.
            view: how working colours are shown, for glazes that know it.
        Returns:
            New float32 (..., 3), not clipped, finite for finite input; bit-equal to the input at
            the defaults.
        """
        x = as_rgb(rgb)
        if parameters == _defaults(self.record):
            return x.copy()
        space = encoding(working) if isinstance(working, str) else working
        more: dict[str, Any] = {"view": view} if self.knows_view else {}
        if self.knows_noise:
            more["noise"] = NOISE if view is None else view.noise_floor
        if self.domain is Domain.CODE:
            return np.asarray(self.run(parameters, x, space, **more), np.float32)
        light = space.decode(x)
        if self.domain is Domain.LIGHT:
            return space.encode(self.run(parameters, light, space, **more))
        lab = self.run(parameters, oklab.from_light(light, space), space, **more)
        return space.encode(oklab.to_light(lab, space))


@cache
def _as_it_was(spec: GlazeSpec, version: int) -> GlazeSpec:
    was = spec.former[version]
    return evolve(spec, run=was.run, domain=was.domain, knows_noise=False, former={})


@cache
def glazes() -> Mapping[str, GlazeSpec]:
    """Return every glaze by key: the modules of `core/glazes/`."""
    from sfumato.core import glazes as package

    return specs(package)
