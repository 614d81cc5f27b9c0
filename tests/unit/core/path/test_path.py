"""Order, Strength and ends of the colour path."""

from __future__ import annotations

import attrs
import numpy as np
import pytest

from sfumato.core.colour import span_note
from sfumato.core.colour.encodings import convert, encoding
from sfumato.core.errors import ValueRefused
from sfumato.core.path import path
from sfumato.core.path.span import Joint, Span
from sfumato.core.study.coat import grouped, new_coat
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Look, Study

CODE = np.random.default_rng(8).uniform(0.1, 0.8, (200, 3)).astype(np.float32)
UP, STEEP = new_coat("exposure", stops=1.0), new_coat("contrast", slope=2.0)


def study(*coats, **values) -> Study:
    return (
        Study(working="Tarn Log", look=Look("x", coats)).suited_to("Tarn Log")
        if not values
        else (attrs.evolve(Study(look=Look("x", coats)).suited_to("Tarn Log"), **values))
    )


def test_coats_act_from_top_to_bottom() -> None:
    log = encoding("Tarn Log")
    first = path.through_coats((UP, STEEP), CODE, log)
    np.testing.assert_allclose(
        first, STEEP.spec.apply(STEEP.parameters, UP.spec.apply(UP.parameters, CODE, log), log)
    )
    assert np.abs(first - path.through_coats((STEEP, UP), CODE, log)).max() > 0.02


def test_strength_of_coat_group_and_look_mix_code_values() -> None:
    log = encoding("Tarn Log")
    whole = path.through_coat(STEEP, CODE, log)
    half = path.through_coat(attrs.evolve(STEEP, strength=0.5), CODE, log)
    np.testing.assert_allclose(half, (CODE + whole) / 2, atol=1e-6)
    group = attrs.evolve(grouped((UP, STEEP)), strength=1.4)
    both = path.through_coats((UP, STEEP), CODE, log)
    made = path.through_coat(group, CODE, log)
    np.testing.assert_allclose(made, CODE + 1.4 * (both - CODE), atol=1e-5)
    backed = attrs.evolve(study(STEEP), look=Look("x", (STEEP,), 0.25))
    np.testing.assert_allclose(
        path.through_look(backed, CODE), CODE + 0.25 * (whole - CODE), atol=1e-6
    )
    off = attrs.evolve(STEEP, on=False)
    assert path.through_coat(off, CODE, log) is CODE


def test_the_ground_is_in_the_lut_only_when_the_span_says_so() -> None:
    shot = Shot("x.tif", "x", "Cineon", ground=(UP,))
    base = attrs.evolve(study(STEEP), shots=(shot,))
    plain = base.transform()
    assert plain.comments == ("Tarn Log to BT.1886",)
    with_ground = attrs.evolve(base, span=Span(Joint.SOURCE))
    with pytest.raises(ValueRefused, match="no shot"):
        with_ground.transform()
    whole = with_ground.transform(shot=shot.id)
    expected = path.through_view(
        base,
        path.through_look(
            base, path.through_ground(shot, base, convert(CODE, "Cineon", "Tarn Log"))
        ),
    )
    np.testing.assert_allclose(whole.apply(CODE), expected, atol=1e-6)
    assert np.abs(plain.apply(convert(CODE, "Cineon", "Tarn Log")) - expected).max() > 0.02


@pytest.mark.parametrize("entry", ["", "ACEScct", "sRGB", "Linear BT.709"])
@pytest.mark.parametrize("leave", ["", "Display P3"])
def test_into_entry_the_lut_and_from_leave_are_the_path(entry: str, leave: str) -> None:
    """Whatever the ends of a Span, side B is working values through Look and View."""
    spanned = study(UP, STEEP, span=Span(entry=entry, leave=leave))
    lut = spanned.transform()
    tame = 0.25 + 0.3 * CODE
    seen = path.from_leave(spanned, lut.apply(path.into_entry(spanned, None, tame)))
    look = path.through_look(spanned, tame)
    meant = path.through_view(spanned, look, encoding(leave) if leave else None)
    if leave:
        meant = convert(meant, leave, "BT.1886")
    inside = (meant > 0.02).all(axis=1) & (meant < 0.98).all(axis=1)
    assert inside.sum() > 40
    np.testing.assert_allclose(seen[inside], meant[inside], atol=4e-3)
    ends = path.span_names(spanned)
    assert ends == (entry or "Tarn Log", leave or "BT.1886")
    assert span_note.read([span_note.written(*ends)]) == ends


def test_choosing_ends_keeps_what_the_study_has_by_itself_unnamed() -> None:
    one = study()
    assert path.with_entry(one, "Tarn Log").entry == ""
    assert path.with_entry(one, "Cineon").entry == "Cineon"
    assert path.with_leave(one, "BT.1886") == Span()
    assert path.with_leave(one, "sRGB").leave == "sRGB"
    assert path.with_leave(one, "ACEScct") == Span(end=Joint.LOOK, leave="ACEScct")
    assert "footage" in path.span_sentence(one)
