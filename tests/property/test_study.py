"""Laws of the study: saving, editing, undoing, baking."""

from __future__ import annotations

import json

import attrs
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from strategies import studies

from sfumato.core.colour.encodings import encoding
from sfumato.core.errors import SfumatoError, StudyError, ValueRefused
from sfumato.core.lut.bake import baked
from sfumato.core.lut.difference import cube_colours, difference
from sfumato.core.path.span import Joint, Span
from sfumato.core.study import study_json
from sfumato.core.study.coat import UnknownGlaze, new_coat
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import LOOK, Look, Study
from sfumato.core.study.view import View
from sfumato.work.stores import study_store


@given(study=studies())
def test_any_study_saves_and_loads_equal(study: Study, tmp_path_factory) -> None:
    plain = json.loads(json.dumps(study_json.dump(study)))
    assert study_json.load(plain) == study
    file = tmp_path_factory.mktemp("s") / "a.sfumato"
    study_store.save_study(study, file)
    assert study_store.open_study(file) == study


@given(study=studies(), data=st.data())
def test_edits_leave_the_old_study_alone(study: Study, data) -> None:
    before = study_json.dump(study)
    coat = new_coat("exposure", stops=1.0)
    after = study.added(LOOK, coat)
    assert after.removed(coat.id) == study
    moved = after.moved(coat.id, LOOK, data.draw(st.integers(0, len(study.look.coats))))
    assert sorted(c.id for c in moved.look.coats) == sorted(c.id for c in after.look.coats)
    assert after.tuned(coat.id, stops=2.0).coat(coat.id).parameters.stops == 2.0
    assert len(after.duplicated(coat.id).look.coats) == len(after.look.coats) + 1
    with pytest.raises(ValueRefused, match="Stops"):
        after.tuned(coat.id, stops=99.0)
    assert study_json.dump(study) == before


def test_unknown_glazes_are_kept_word_for_word_and_skipped() -> None:
    plain = study_json.dump(Study(look=Look("x", (new_coat("exposure", stops=1.0),))))
    strange = {
        "glaze": "from_tomorrow",
        "v": 3,
        "on": True,
        "strength": 1.0,
        "wild": [1, {"a": None}],
    }
    newer = {**plain["look"]["coats"][0], "v": 99, "knob": 1}
    plain["look"]["coats"] += [strange, newer]
    study = study_json.load(plain)
    assert isinstance(study.look.coats[1].parameters, UnknownGlaze)
    again = study_json.dump(study)["look"]["coats"]
    assert again[1].items() >= strange.items()
    assert again[2]["knob"] == 1
    x = cube_colours(10)
    alone = attrs.evolve(study, look=Look("x", study.look.coats[:1]))
    np.testing.assert_array_equal(study.transform().apply(x), alone.transform().apply(x))


@pytest.mark.parametrize(
    "damage",
    [
        lambda p: p.pop("look"),
        lambda p: p.update(working="Nonsense"),
        lambda p: p.update(sfumato=99),
        lambda p: p["look"].update(strength=9),
        lambda p: p.update(grid=1),
        lambda p: p["look"]["coats"].append({"glaze": "exposure", "v": 1, "stops": "NaN"}),
        lambda p: p["look"]["coats"].append(
            {"glaze": "curves", "v": 1, "master": [[1, 0], [0, 1]]}
        ),
        lambda p: p.update(span=["view", "source"]),
        lambda p: p.update(shots="none"),
    ],
)
def test_damaged_studies_are_refused_in_words(damage, tmp_path) -> None:
    plain = study_json.dump(Study())
    damage(plain)
    file = tmp_path / "bad.sfumato"
    file.write_text(json.dumps(plain))
    with pytest.raises(StudyError) as caught:
        study_store.open_study(file)
    assert caught.value.where == str(file)


@given(data=st.binary(max_size=200))
def test_any_bytes_are_refused_as_a_study(data: bytes, tmp_path_factory) -> None:
    file = tmp_path_factory.mktemp("s") / "a.sfumato"
    file.write_bytes(data)
    with pytest.raises(StudyError):
        study_store.open_study(file)


def test_the_path_is_what_its_parts_say() -> None:
    study = Study(
        working="Tarn Log",
        view=View(encoding="BT.1886"),
        look=Look("x", (new_coat("cdl", saturation=0.5),)),
    )
    rgb = cube_colours(300)
    whole = study.transform().apply(rgb)
    graded = study.transform(("Tarn Log", "Tarn Log")).apply(rgb)
    plain = attrs.evolve(study, look=Look())
    np.testing.assert_allclose(plain.transform().apply(graded), whole, atol=1e-6)
    from_cct = study.transform(("ACEScct", "BT.1886"))
    import sfumato

    np.testing.assert_allclose(
        from_cct.apply(sfumato.to_encoding(rgb, "Tarn Log", "ACEScct")), whole, atol=2e-4
    )
    # For pictures that are shown already the View is undone first: with no Look nothing changes.
    shown = plain.transform(("sRGB", "sRGB"))
    inner = rgb * 0.9 + 0.05
    apart = np.abs(shown.apply(inner) - inner).max(axis=-1)
    assert np.percentile(apart, 99) < 2e-6
    assert apart.max() < 0.03  # on the very edge of the gamut
    display = attrs.evolve(study, working="sRGB", view=View(encoding="sRGB"))
    with pytest.raises(ValueRefused, match="working encoding"):
        display.transform(("sRGB", "ACEScct"))


def test_ground_enters_the_lut_only_when_the_span_says_so() -> None:
    shot = Shot("/x.tif", "x", "Tarn Log", 0, (new_coat("exposure", stops=1.0),), "s")
    study = Study(shots=(shot,), working="Tarn Log", view=View(encoding="BT.1886"))
    rgb = cube_colours(100)
    bare = attrs.evolve(study, shots=())
    np.testing.assert_array_equal(study.transform().apply(rgb), bare.transform().apply(rgb))
    with_ground = attrs.evolve(study, span=Span(Joint.SOURCE, Joint.VIEW))
    assert (
        np.abs(with_ground.transform(shot="s").apply(rgb) - study.transform().apply(rgb)).max()
        > 0.05
    )
    with pytest.raises(SfumatoError, match="no shot is named"):
        with_ground.transform()


@pytest.mark.parametrize("grid", [2, 3, 17, 33, 65, 129])
def test_a_finer_grid_is_nearer_and_nodes_are_exact(grid: int) -> None:
    study = Study(
        working="sRGB",
        view=View(encoding="sRGB"),
        look=Look("x", (new_coat("contrast", slope=1.6),)),
    )
    transform = study.transform()
    lut = baked(transform, grid)
    found = difference(transform, lut, cube_colours(3000), encoding("sRGB"))
    assert found.mean < 30 / grid**1.5
    nodes = lut.table.values[:: max(1, grid - 1), 0, 0]
    np.testing.assert_allclose(nodes, transform.apply([[0, 0, 0], [1, 0, 0]]), atol=1e-6)


@pytest.mark.parametrize("grid", [1, 130, 100000])
def test_impossible_grids_are_refused(grid: int) -> None:
    with pytest.raises(ValueRefused, match="points"):
        baked(Study().transform(), grid)
