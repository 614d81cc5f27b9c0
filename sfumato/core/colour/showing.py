"""How working colours are shown on a display: through a tone scale or another rendering, and undone."""

from __future__ import annotations

from typing import Protocol

import numpy as np

from sfumato.core.arrays import Rgb
from sfumato.core.colour.adapt import transformed
from sfumato.core.colour.encodings import Encoding, convert, encoding, light_matrix
from sfumato.core.colour.tone import (
    Tone,
    eased,
    hue_restored,
    tone_and_hue_undone,
    tone_scale,
    uneased,
)
from sfumato.core.errors import ValueRefused


class Showing(Tone, Protocol):
    """The View: a display, and the tone scale that leads to it."""

    @property
    def encoding(self) -> str: ...
    @property
    def ease(self) -> bool: ...


def shown(code: Rgb, working: Encoding, view: Showing, display: Encoding | None = None) -> Rgb:
    """Working code values -> display code values (of the View, or of another `display`).

    Scene-referred colours go through the View's tone scale, or through the rendering that the View
    brings itself; from there to another display they are carried without one.
    """
    own = encoding(view.encoding)
    target = display or own
    if not working.is_scene:
        return convert(code, working, target)
    for each in (target, own):
        if each.coder is not None and each.coder.shown is not None:
            return convert(each.coder.shown(code, working), each, target)
    light = transformed(working.decode(code), light_matrix(working, target) / target.reference)
    if view.ease:
        light = eased(light)
    toned = hue_restored(light, tone_scale(light, view), view.hue)
    return target.encode(toned * np.float32(target.reference))


def can_be_undone(working: Encoding, view: Showing, display: Encoding | None = None) -> bool:
    """Whether `unshown` has a way back: not every rendering of another's has one."""
    own = encoding(view.encoding)
    for each in (display or own, own):
        if working.is_scene and each.coder is not None and each.coder.shown is not None:
            return each.coder.unshown is not None
    return True


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
    for each in (target, own):
        if each.coder is not None and each.coder.shown is not None:
            if each.coder.unshown is None:
                raise ValueRefused(
                    f"{each.name} cannot be undone", hint="choose a View of Sfumato's own"
                )
            return each.coder.unshown(convert(code, target, each), working)
    light = target.decode(code) / np.float32(target.reference)
    light = tone_and_hue_undone(light, view)
    if view.ease:
        light = uneased(light)
    back = np.asarray(np.linalg.inv(light_matrix(working, target)) * target.reference, np.float64)
    found: Rgb = working.encode(transformed(light, back))
    return found
