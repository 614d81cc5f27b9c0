"""The colour path of a shot: Source -> Ground -> Look -> View, as functions on pixels.

Preview, export, baking and the command line all go through these functions.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from attrs import evolve, frozen

from sfumato.core.arrays import Rgb, as_rgb
from sfumato.core.breath import breathe
from sfumato.core.colour.encodings import Encoding, Family, convert, encoding
from sfumato.core.colour.showing import Showing, shown, unshown
from sfumato.core.errors import ValueRefused
from sfumato.core.glaze import NOISE
from sfumato.core.lut.transform import Function, Transform
from sfumato.core.path.laying import blended, matte
from sfumato.core.path.parts import Coating, Graded, Source
from sfumato.core.path.span import Joint, Span

# Points at a time: enough to make little of each step's own cost, and 288 kB of float32, which still come
# from the heap (`work.memory`).
CHUNK = 24576


def chunked(run: Function, rgb: Rgb) -> Rgb:
    """Run a stage over (..., 3) colours in chunks; the result equals running it on the whole."""
    flat = rgb.reshape(-1, 3)
    if len(flat) <= CHUNK:
        return run.run(rgb)
    out = np.empty_like(flat)
    for start in range(0, len(flat), CHUNK):
        out[start : start + CHUNK] = run.run(flat[start : start + CHUNK])
    return out.reshape(rgb.shape)


def through_coat(coat: Coating, code: Rgb, working: Encoding, view: Showing | None = None) -> Rgb:
    """Apply one coat: x + s m (b(x, g(x)) - x), with its Strength s, its Reach's matte m and blend b.

    `view` is for glazes that lay in what a display shows; without one they take it as plain numbers.
    """
    if not coat.acts:
        return code
    breathe()
    if coat.is_group:
        graded = through_coats(coat.members, code, working, view)
    else:
        assert coat.spec is not None
        graded = coat.spec.apply(coat.parameters, code, working, view)
    laying = coat.laying
    if laying.is_plain:
        return graded if coat.strength == 1.0 else mixed(code, graded, coat.strength)
    graded = blended(laying.blend, code, graded, working)
    change = np.float32(coat.strength) * (graded - code)
    if laying.is_limited:
        change = change * matte(laying, code, working, NOISE if view is None else view.noise_floor)
    return np.asarray(code + change, np.float32)


def knows_view(coat: Coating) -> bool:
    """Whether what a coat does depends on the View or its noise floor: then what is computed does too."""
    if coat.laying.by_hue or coat.laying.by_chroma:
        return True
    if coat.is_group:
        return any(knows_view(member) for member in coat.members)
    return coat.spec is not None and (coat.spec.knows_view or coat.spec.knows_noise)


def mixed(before: Rgb, after: Rgb, strength: float) -> Rgb:
    """Return before + strength (after - before)."""
    return before + np.float32(strength) * (after - before)


def through_coats(
    coats: tuple[Coating, ...], code: Rgb, working: Encoding, view: Showing | None = None
) -> Rgb:
    """Apply coats top to bottom."""
    for coat in coats:
        code = through_coat(coat, code, working, view)
    return code


def to_working(shot: Source, study: Graded, code: Rgb) -> Rgb:
    """Source code values -> working code values; a source that is not stated passes unchanged."""
    if shot.encoding is None:
        return code
    return convert(code, shot.encoding, study.working)


def through_ground(shot: Source, study: Graded, code: Rgb) -> Rgb:
    return through_coats(shot.ground, code, encoding(study.working), study.view)


def through_look(study: Graded, code: Rgb) -> Rgb:
    graded = through_coats(study.look.coats, code, encoding(study.working), study.view)
    if study.look.strength == 1.0:
        return graded
    return mixed(code, graded, study.look.strength)


def through_view(study: Graded, code: Rgb, display: Encoding | None = None) -> Rgb:
    """Working code values -> display code values (of the View, or of another `display`); see `shown`."""
    return shown(code, encoding(study.working), study.view, display)


def from_view(study: Graded, code: Rgb, display: Encoding | None = None) -> Rgb:
    """Display code values -> the working code values that `through_view` shows as them; see `unshown`.

    Raises:
        ValueRefused: the View is a rendering that cannot be undone.
    """
    return unshown(code, encoding(study.working), study.view, display)


def unviewed(study: Graded, code: Rgb) -> Rgb:
    """Return the working colour that the View shows as a display colour, float32 (3,)."""
    found: Rgb = from_view(study, np.asarray(code, np.float32)[None])
    return np.asarray(found[0])


# --- the ends of the Span ------------------------------------------------------------------------
def span_names(study: Graded, shot: Source | None = None) -> tuple[str, str]:
    """Return the names of the encodings that the study's Span takes and gives."""
    entry = study.span.entry or study.working
    if study.span.with_ground and shot is not None:
        entry = shot.encoding or study.working
    usual = study.working if study.span.end is Joint.LOOK else study.view.encoding
    return entry, study.span.leave or usual


@frozen
class SpanChoice:
    """A usual Span: its key, what it is called, and the Span for a study and the shot looked at."""

    key: str
    title: str
    span: Callable[[Graded, Source | None], Span]


SPANS = (
    SpanChoice(
        "camera",
        "Camera to display",
        lambda study, shot: Span(entry=(shot.encoding or "") if shot else ""),
    ),
    SpanChoice("working", "Working to working", lambda _s, _shot: Span(end=Joint.LOOK)),
    SpanChoice(
        "display", "Display to display", lambda study, _shot: Span(entry=study.view.encoding)
    ),
    SpanChoice("shown", "Working to display", lambda _s, _shot: Span()),
)


def with_entry(study: Graded, name: str) -> Span:
    """Return the study's Span expecting an encoding; the Ground of a shot is left out."""
    return evolve(study.span, start=Joint.GROUND, entry="" if name == study.working else name)


def with_leave(study: Graded, name: str) -> Span:
    """Return the study's Span giving an encoding: display encodings through the View, others before it."""
    if encoding(name).is_scene or not encoding(study.working).is_scene:
        return evolve(study.span, end=Joint.LOOK, leave="" if name == study.working else name)
    leave = "" if name == study.view.encoding else name
    return evolve(study.span, end=Joint.VIEW, leave=leave)


def span_title(study: Graded, ends: tuple[str, str]) -> str:
    """Return the title of a LUT of the Look between two encodings."""
    return f"{study.look.name}, {ends[0]} to {ends[1]}"


def span_sentence(study: Graded, shot: Source | None = None) -> str:
    """Say in one line what the LUT expects and gives."""
    entry, leave = (encoding(n) for n in span_names(study, shot))
    whose = {Family.DISPLAY: "pictures", Family.LINEAR: "light", Family.LOG: "footage"}[
        entry.family
    ]
    return f"Expects {entry.name} {whose}, gives {leave.name}"


def into_entry(study: Graded, shot: Source | None, code: Rgb) -> Rgb:
    """Working code values -> what the LUT of the study's Span is given."""
    return entered(study, encoding(span_names(study, shot)[0]), code)


def entered(study: Graded, entry: Encoding, code: Rgb) -> Rgb:
    """Working code values -> what a LUT that expects `entry` is given: for displays, through the View."""
    if encoding(study.working).is_scene and not entry.is_scene:
        return through_view(study, code, entry)
    return convert(code, study.working, entry)


def from_entry(study: Graded, entry: Encoding, code: Rgb) -> Rgb:
    """What a LUT is given -> working code values."""
    if encoding(study.working).is_scene and not entry.is_scene:
        return from_view(study, code, entry)
    return convert(code, entry, study.working)


def from_leave(study: Graded, code: Rgb) -> Rgb:
    """What the LUT of the study's Span gives -> display code values of the View."""
    leave = encoding(span_names(study)[1])
    if leave.is_scene or study.span.end is Joint.LOOK:
        return through_view(study, convert(code, leave, study.working))
    return convert(code, leave, study.view.encoding)


def span_transform(
    study: Graded, span: tuple[str, str] | None = None, shot_id: str | None = None
) -> Transform:
    """Return the path between two encodings as one exact stage.

    From a display encoding into a scene-referred working encoding the View is undone first: such a
    LUT is for pictures that are shown already.

    Raises:
        ValueRefused: the Span gives scene-referred colours out of a display-referred working
            encoding, or it includes a Ground and no shot is named.
    """
    working = encoding(study.working)
    shot: Source | None = None
    if span is None and study.span.with_ground:
        if shot_id is None:
            raise ValueRefused(
                "the Span includes a Ground, but no shot is named", hint="name the shot"
            )
        shot = study.shot(shot_id)
    entry_name, leave_name = span or span_names(study, shot)
    entry, leave = encoding(entry_name), encoding(leave_name)
    toned = working.is_scene and not leave.is_scene
    if leave.is_scene and not working.is_scene:
        raise ValueRefused(
            f"a Span to {leave.name} does not fit the working encoding {working.name}",
            hint="end in a display encoding",
        )

    def run(rgb: Rgb) -> Rgb:
        x = as_rgb(rgb)
        if entry is not working:
            x = from_entry(study, entry, x)
        if shot is not None:
            x = through_ground(shot, study, x)
        x = through_look(study, x)
        if toned:
            x = through_view(study, x, leave)
        elif leave is not working:
            x = convert(x, working, leave)
        return x

    stage = Function(f"{entry.name} to {leave.name}", run)
    whole = Function(stage.name, lambda rgb: chunked(stage, as_rgb(rgb)))
    title = span_title(study, (entry.name, leave.name))
    return Transform((whole,), title, (f"{entry.name} to {leave.name}",))
