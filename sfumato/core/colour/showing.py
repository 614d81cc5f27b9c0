"""How working colours are shown on a display: through a tone scale or another rendering, and undone."""

from __future__ import annotations

from typing import Protocol

import numpy as np

from sfumato.core.arrays import Rgb
from sfumato.core.colour.adapt import Matrix, transformed
from sfumato.core.colour.encodings import Coder, Encoding, convert, encoding, light_matrix
from sfumato.core.colour.hue import (
    SEEN,
    hue_restored,
    hue_seen,
    tone_and_hue_seen_undone,
    tone_and_hue_undone,
)
from sfumato.core.colour.tone import (
    Tone,
    eased,
    numbers,
    tone_scale,
    uneased,
)
from sfumato.core.compiled import KERNELS, kernels
from sfumato.core.errors import ValueRefused


class Showing(Tone, Protocol):
    """The View: a display, and the tone scale that leads to it."""

    @property
    def encoding(self) -> str: ...
    @property
    def ease(self) -> bool: ...
    @property
    def hue(self) -> float: ...
    @property
    def hue_by(self) -> str: ...
    @property
    def threshold(self) -> float: ...
    @property
    def peak(self) -> float: ...
    @property
    def noise_floor(self) -> float: ...


def peak_of(view: Showing, display: Encoding) -> float:
    """Return the brightest light that a View shows on a display, as a multiple of its diffuse white.

    >>> from sfumato.core.study.view import View
    >>> round(peak_of(View(peak=1000.0), encoding("BT.2100 PQ")), 2)
    4.93
    """
    if not display.is_wide:
        return 1.0
    white = display.reference * display.peak_nits
    return min(max(view.peak / white, 1.0), 1 / display.reference)


def _renderer(own: Encoding, target: Encoding) -> tuple[Encoding, Coder] | None:
    """Return which of two displays brings a rendering of its own, the target first, and that."""
    for each in (target, own):
        if each.coder is not None and each.coder.shown is not None:
            return each, each.coder
    return None


def shown(code: Rgb, working: Encoding, view: Showing, display: Encoding | None = None) -> Rgb:
    """Working code values -> display code values (of the View, or of another `display`).

    Scene-referred colours go through the View's tone scale, or through the rendering that the View
    brings itself; from there to another display they are carried without one.
    """
    own = encoding(view.encoding)
    target = display or own
    if not working.is_scene:
        return convert(code, working, target)
    found = _renderer(own, target)
    if found is not None and found[1].shown is not None:
        return convert(found[1].shown(code, working), found[0], target)
    peak = peak_of(view, target)
    matrix = light_matrix(working, target) / target.reference
    light, toned = _toned(working.decode(code), matrix, view, peak)
    if view.hue_by == SEEN:
        toned = hue_seen(light, toned, view.hue, target, peak)
    else:
        toned = hue_restored(light, toned, view.hue)
    return target.encode(toned * np.float32(target.reference))


def _toned(light: Rgb, matrix: Matrix, view: Showing, peak: float) -> tuple[Rgb, Rgb]:
    """Return scene light as that of the display, eased into its gamut, and what the tone scale makes of it."""
    if kernels(light) is not None:
        threshold = view.threshold if view.ease else None
        to_display = np.ascontiguousarray(matrix, np.float32)
        made: tuple[Rgb, Rgb] = KERNELS.tone.toned(
            light, to_display, threshold, numbers(view, peak)
        )
        return made
    light = transformed(light, matrix)
    if view.ease:
        light = eased(light, view.threshold)
    return light, tone_scale(light, view, peak)


def can_be_undone(working: Encoding, view: Showing, display: Encoding | None = None) -> bool:
    """Whether `unshown` has a way back: not every rendering of another's has one."""
    own = encoding(view.encoding)
    found = _renderer(own, display or own) if working.is_scene else None
    return found is None or found[1].unshown is not None


def unshown(code: Rgb, working: Encoding, view: Showing, display: Encoding | None = None) -> Rgb:
    """Display code values -> the working code values that `shown` shows as them.

    Colours on the edge of the display's gamut, which the View reaches only in the limit, come back
    from near it; tones beyond its tone scale from the end of that.

    Raises:
        ValueRefused: the View is a rendering that cannot be undone.
    """
    own = encoding(view.encoding)
    target = display or own
    if not working.is_scene:
        return convert(code, target, working)
    rendered = _renderer(own, target)
    if rendered is not None:
        space, coder = rendered
        if coder.unshown is None:
            raise ValueRefused(
                f"{space.name} cannot be undone", hint="choose a View of Sfumato's own"
            )
        return coder.unshown(convert(code, target, space), working)
    light = target.decode(code) / np.float32(target.reference)
    peak = peak_of(view, target)
    if view.hue_by == SEEN:
        light = tone_and_hue_seen_undone(light, view, view.hue, target, peak)
    else:
        light = tone_and_hue_undone(light, view, view.hue, peak)
    if view.ease:
        light = uneased(light, view.threshold)
    back = np.asarray(np.linalg.inv(light_matrix(working, target)) * target.reference, np.float64)
    found: Rgb = working.encode(transformed(light, back))
    return found
