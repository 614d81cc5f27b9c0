"""Groups, typed colours, colours brought back through the View, and presets as plain data."""

from __future__ import annotations

import warnings

import attrs
import numpy as np
import pytest
import strategies
from hypothesis import given
from hypothesis import strategies as st

from sfumato.core.colour.colour_text import display_light
from sfumato.core.colour.encodings import convert, encoding
from sfumato.core.errors import StudyError, ValueRefused
from sfumato.core.path import path
from sfumato.core.path.laying import Laying, matte
from sfumato.core.study import preset, study_json
from sfumato.core.study.coat import grouped, new_coat
from sfumato.core.study.preset import Preset
from sfumato.core.study.study import LOOK, Look, Study
from sfumato.core.study.view import View
from sfumato.work.stores import presets
from sfumato.work.stores.presets import read_preset, shelf, write_preset

A, B, C = (new_coat("exposure", stops=s) for s in (0.5, -0.2, 1.0))
with warnings.catch_warnings():  # it warns of plotting libraries that are not there
    warnings.simplefilter("ignore")
    import colour

np.set_printoptions(legacy=False)  # which that import changes for everybody

CODE = np.random.default_rng(1).uniform(0, 1, (200, 3)).astype(np.float32)


def _study(*coats) -> Study:
    return Study(working="sRGB", look=Look("x", coats))


def test_a_group_acts_as_one_glaze() -> None:
    study, group = _study(A, B, C).put_together((A.id, C.id))
    assert [c.id for c in study.look.coats] == [group.id, B.id]
    assert study.home(C.id) == group.id
    assert study.root(C.id) == LOOK
    lain = Laying(blend="multiply", tone_from=0.3)
    coat = attrs.evolve(group, strength=0.6, laying=lain)
    space = encoding("sRGB")
    inside = path.through_coats((A, C), CODE, space)
    under = CODE * np.clip(inside, 0, 1)
    expected = CODE + np.float32(0.6) * matte(lain, CODE, space) * (under - CODE)
    np.testing.assert_allclose(path.through_coat(coat, CODE, space), expected, atol=1e-6)
    assert not attrs.evolve(group, on=False).acts
    quiet = attrs.evolve(group, members=tuple(attrs.evolve(m, on=False) for m in group.members))
    assert not quiet.acts
    alone = study.soloed(C.id)
    assert [c.on for c in alone.every_coat()] == [True, False, True, False]


def test_steps_lead_into_through_and_out_of_a_group() -> None:
    study, group = _study(A, B, C).put_together((B.id, C.id))

    def order(s: Study) -> list[str]:
        names = {A.id: "a", B.id: "b", C.id: "c", group.id: "g"}
        return [names[c.id] for c in s.every_coat()]

    assert order(study) == ["a", "g", "b", "c"]
    seen = []
    for _ in range(4):
        study = study.stepped(A.id, 1)
        seen.append("".join(order(study)))
    assert seen == ["gabc", "gbac", "gbca", "gbca"]
    assert study.home(A.id) == LOOK
    assert order(study.stepped(A.id, -1)) == ["g", "b", "c", "a"]
    assert study.stepped(A.id, -1).home(A.id) == group.id
    assert study.stepped(A.id, 1) == study
    assert order(study.taken_apart(group.id)) == ["b", "c", "a"]
    with pytest.raises(ValueRefused, match="one group"):
        study.put_together((A.id, B.id))
    with pytest.raises(ValueRefused, match="cannot hold a group"):
        grouped((group,))
    with pytest.raises(ValueRefused, match="cannot hold a group"):
        study.with_coats(group.id, (group,))


@given(study=strategies.studies())
def test_studies_with_groups_come_back(study: Study) -> None:
    assert study_json.load(study_json.dump(study)) == study
    for coat in study.look.coats:
        copy = study.duplicated(coat.id)
        ids = [c.id for c in copy.every_coat()]
        assert len(set(ids)) == len(ids)


def test_a_group_in_a_group_is_refused_in_files() -> None:
    plain = study_json.dump(_study(grouped((A,))))
    member = plain["look"]["coats"][0]
    member["members"] = [dict(member)]
    with pytest.raises(StudyError, match="group"):
        study_json.load(plain)
    member["members"] = 7
    with pytest.raises(StudyError, match="damaged"):
        study_json.load(plain)


@pytest.mark.parametrize(
    ("text", "space"),
    [
        ("lab 55 -22 -18", "lab"),
        ("lab(55% -22 -18)", "lab"),
        ("oklab 0.6 -0.08 -0.05", "oklab"),
        ("oklch(60% 0.09 212°)", "oklch"),
        ("#1F8FA0", "hex"),
        ("0fa", "hex"),
    ],
)
def test_typed_colours_agree_with_colour_science(text: str, space: str) -> None:
    ours = display_light(text)
    if space == "lab":
        d50 = np.array([0.34567, 0.35850])
        xyz = colour.Lab_to_XYZ([55, -22, -18], d50)
        theirs = colour.XYZ_to_RGB(xyz, "sRGB", d50, "Bradford")
    elif space == "hex":
        digits = text.lstrip("#")
        digits = digits if len(digits) == 6 else "".join(2 * d for d in digits)
        theirs = colour.models.eotf_sRGB(
            np.array([int(digits[i : i + 2], 16) for i in (0, 2, 4)]) / 255
        )
    else:
        hue = np.radians(212)
        lab = (
            [0.6, -0.08, -0.05]
            if space == "oklab"
            else [0.6, 0.09 * np.cos(hue), 0.09 * np.sin(hue)]
        )
        theirs = colour.XYZ_to_RGB(colour.Oklab_to_XYZ(lab), "sRGB")
    np.testing.assert_allclose(ours, theirs, atol=3e-4)


@pytest.mark.parametrize(
    "text", ["", "red", "#12345", "lab 1 2", "lab 1 2 3 4", "oklch 1e9 0 0", "lab a b c"]
)
def test_what_is_no_colour_is_refused_with_an_example(text: str) -> None:
    with pytest.raises(ValueRefused) as refused:
        display_light(text)
    assert "oklch" in refused.value.hint


@given(st.tuples(*[st.floats(0.08, 0.92)] * 3), st.sampled_from(["Tarn Log", "ACEScct", "sRGB"]))
def test_a_display_colour_comes_back_through_the_view(rgb: tuple, working: str) -> None:
    study = Study(working=working, view=View())
    code = (0.6 * np.float32(rgb) + 0.4 * np.float32(np.mean(rgb))).astype(np.float32)
    shown = path.through_view(study, path.unviewed(study, code)[None])[0]
    np.testing.assert_allclose(shown, code, atol=2e-3)


def test_shipped_looks_are_24_of_our_own_and_do_what_they_say() -> None:
    shipped = [s for s in shelf() if s.shipped]
    assert len(shipped) == 24
    assert {s.preset.made_for for s in shipped} == {"log", "display"}
    grey = np.full((1, 3), 0.4, np.float32)
    for each in shipped:
        found = each.preset
        assert found.note.endswith(".")
        space = encoding(found.working)
        out = path.through_coats(found.coats, CODE, space)
        assert np.isfinite(out).all()
        assert np.abs(out - CODE).mean() > 0.01, found.name
        assert abs(float(path.through_coats(found.coats, grey, space).mean()) - 0.4) < 0.2
        mono = "onochrome" in found.note
        spread = np.ptp(convert(out, space, "sRGB"), axis=-1).mean()
        assert any(getattr(c.parameters, "monochrome", False) for c in found.coats) == mono
        assert (spread < 0.2) == mono, found.name  # its greys may be tinted


def test_presets_are_written_whole_and_read_back(tmp_path) -> None:
    group = attrs.evolve(grouped((A, B)), strength=1.4)
    made = Preset("Two", (group, C), "Tarn Log", "A note.", 0.8)
    file = tmp_path / "inner" / "two.look"
    write_preset(made, file)
    back = read_preset(file)
    same = attrs.evolve(back, coats=made.coats)
    assert same == made
    assert [m.parameters for m in back.coats[0].members] == [A.parameters, B.parameters]
    assert back.fresh()[0].id != back.coats[0].id
    with pytest.raises(Exception, match="exists"):
        write_preset(made, file)
    assert preset.suits("Tarn Log") == "log"
    plain = preset.dump(made)
    for name, silent in (("strength", 1.0), ("working", "sRGB"), ("note", "")):
        without = {key: value for key, value in plain.items() if key != name}
        assert getattr(preset.load(without), name) == silent
    assert presets.file_name("../x: Ä", ".glaze") == "x_ä.glaze"
    assert Preset("One", (A,), "sRGB").fresh()[0].parameters == A.parameters


def test_a_study_says_of_results_only_what_is_unusual() -> None:
    plain = Study()
    assert "results" not in study_json.dump(plain)
    other = attrs.evolve(plain, results=attrs.evolve(plain.results, folder="/out"))
    assert study_json.load(study_json.dump(other)).results == other.results
