"""The colour path of a shot: Source -> Ground -> Look -> View, as functions on pixels.

Preview, export, baking and the command line all go through these functions.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from sfumato.core.adapt import transformed
from sfumato.core.arrays import Rgb, as_rgb
from sfumato.core.encodings import Encoding, convert, encoding, light_matrix
from sfumato.core.errors import ValueRefused
from sfumato.core.laying import blended, matte
from sfumato.core.study import Coat, Joint, Shot, Study, View
from sfumato.core.tone import eased, hue_restored, tone_scale
from sfumato.core.transform import Function, Transform

CHUNK = 32768  # points at a time: enough to make little of each step's own cost


def chunked(run: Function, rgb: Rgb) -> Rgb:
    """Run a stage over (..., 3) colours in chunks; the result equals running it on the whole."""
    flat = rgb.reshape(-1, 3)
    if len(flat) <= CHUNK:
        return run.run(rgb)
    out = np.empty_like(flat)
    for start in range(0, len(flat), CHUNK):
        out[start : start + CHUNK] = run.run(flat[start : start + CHUNK])
    return out.reshape(rgb.shape)


def through_coat(coat: Coat, code: Rgb, working: Encoding) -> Rgb:
    """Apply one coat: x + s m (b(x, g(x)) - x), with its Strength s, its Reach's matte m and blend b."""
    if not coat.acts:
        return code
    if coat.is_group:
        graded = through_coats(coat.members, code, working)
    else:
        assert coat.spec is not None
        graded = coat.spec.apply(coat.parameters, code, working)
    laying = coat.laying
    if laying.is_plain:
        return graded if coat.strength == 1.0 else mixed(code, graded, coat.strength)
    graded = blended(laying.blend, code, graded, working)
    change = np.float32(coat.strength) * (graded - code)
    if laying.is_limited:
        change = change * matte(laying, code, working)
    return np.asarray(code + change, np.float32)


def mixed(before: Rgb, after: Rgb, strength: float) -> Rgb:
    """Return before + strength (after - before)."""
    return before + np.float32(strength) * (after - before)


def through_coats(coats: tuple[Coat, ...], code: Rgb, working: Encoding) -> Rgb:
    """Apply coats top to bottom."""
    for coat in coats:
        code = through_coat(coat, code, working)
    return code


def to_working(shot: Shot, study: Study, code: Rgb) -> Rgb:
    """Source code values -> working code values; a source that is not stated passes unchanged."""
    if shot.encoding is None:
        return code
    return convert(code, shot.encoding, study.working)


def through_ground(shot: Shot, study: Study, code: Rgb) -> Rgb:
    return through_coats(shot.ground, code, encoding(study.working))


def through_look(study: Study, code: Rgb) -> Rgb:
    graded = through_coats(study.look.coats, code, encoding(study.working))
    if study.look.strength == 1.0:
        return graded
    return mixed(code, graded, study.look.strength)


def through_view(study: Study, code: Rgb, display: Encoding | None = None) -> Rgb:
    """Working code values -> display code values (of the View, or of another `display`)."""
    working = encoding(study.working)
    target = display or encoding(study.view.encoding)
    if not working.is_scene:
        return convert(code, working, target)
    return _toned(code, working, target, study.view)


def _toned(code: Rgb, working: Encoding, target: Encoding, view: View) -> Rgb:
    light = transformed(working.decode(code), light_matrix(working, target) / target.reference)
    if view.ease:
        light = eased(light)
    toned = hue_restored(light, tone_scale(light, view), view.hue)
    return target.encode(toned * np.float32(target.reference))


def unviewed(study: Study, code: Rgb) -> Rgb:
    """Return the working colour that the View shows as a display colour, float32 (3,).

    Exact for display-referred working encodings. Through a tone scale it is searched: from the grey
    that is as light, by damped Newton steps; a colour that the View cannot show gives the nearest
    that was found.
    """
    working, display = encoding(study.working), encoding(study.view.encoding)
    if not working.is_scene:
        return convert(code, display, working)
    goal = np.asarray(code, np.float64)

    def shown(x: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
        return np.asarray(through_view(study, x.astype(np.float32)[None])[0], np.float64)

    greys = np.linspace(0, 1, 257)
    response = through_view(study, np.repeat(greys[:, None], 3, 1).astype(np.float32))
    best = np.array([np.interp(goal[c], response[:, c], greys) for c in range(3)])
    away = shown(best) - goal
    for _ in range(40):
        if np.abs(away).max() < 1e-5:
            break
        step = 2e-3
        slopes = np.stack([(shown(best + step * e) - shown(best - step * e)) for e in np.eye(3)], 1)
        slopes /= 2 * step
        hold = 1e-4 * np.trace(slopes.T @ slopes) * np.eye(3)
        move = np.linalg.solve(slopes.T @ slopes + hold + 1e-12 * np.eye(3), -slopes.T @ away)
        for share in (1.0, 0.5, 0.25, 0.1, 0.03):
            found = np.clip(best + share * np.clip(move, -0.2, 0.2), -0.25, 1.25)
            there = shown(found) - goal
            if np.abs(there).sum() < np.abs(away).sum():
                best, away = found, there
                break
        else:
            break
    return best.astype(np.float32)


def span_names(study: Study, shot: Shot | None = None) -> tuple[str, str]:
    """Return the names of the encodings that the study's Span takes and gives."""
    entry = study.working
    if study.span.with_ground and shot is not None and shot.encoding:
        entry = shot.encoding
    leave = study.working if study.span.end is Joint.LOOK else study.view.encoding
    return entry, leave


def span_transform(
    study: Study, span: tuple[str, str] | None = None, shot_id: str | None = None
) -> Transform:
    """Return the path between two encodings as one exact stage.

    Raises:
        ValueRefused: the Span runs from display to display while the working encoding is
            scene-referred, or it includes a Ground and no shot is named.
    """
    working = encoding(study.working)
    shot: Shot | None = None
    if span is None and study.span.with_ground:
        if shot_id is None:
            raise ValueRefused(
                "the Span includes a Ground, but no shot is named", hint="name the shot"
            )
        shot = study.shot(shot_id)
    entry_name, leave_name = span or span_names(study, shot)
    entry, leave = encoding(entry_name), encoding(leave_name)
    if working.is_scene and not entry.is_scene:
        raise ValueRefused(
            f"a Span from {entry.name} does not fit the working encoding {working.name}",
            hint="start from a scene-referred encoding, or set the working encoding to a display one",
        )
    toned = working.is_scene and not leave.is_scene
    if leave.is_scene and not working.is_scene:
        raise ValueRefused(
            f"a Span to {leave.name} does not fit the working encoding {working.name}",
            hint="end in a display encoding",
        )

    def run(rgb: Rgb) -> Rgb:
        x = as_rgb(rgb)
        x = x if entry is working else convert(x, entry, working)
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
    return Transform((whole,), study.look.name, (f"{entry.name} to {leave.name}",))
