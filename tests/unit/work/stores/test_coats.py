"""What a file becomes as a glaze: a CDL where one fits, else the LUT that it is."""

from __future__ import annotations

from pathlib import Path

import attrs
import numpy as np
import pytest

from sfumato.core.colour import span_note
from sfumato.core.colour.encodings import encoding
from sfumato.core.errors import SfumatoError
from sfumato.core.glazes.lut import AS_IT_IS, AS_NUMBERS, THROUGH
from sfumato.core.lut.difference import delta_e
from sfumato.core.lut.stages import CdlStage
from sfumato.core.lut.table import Table1D, Table3D, lattice_colours
from sfumato.core.lut.transform import Transform
from sfumato.core.path import path
from sfumato.core.study import coat_json
from sfumato.core.study.coat import new_coat
from sfumato.core.study.study import LOOK, Study
from sfumato.work.luts.deliver import deliver
from sfumato.work.luts.swatches import Cache, Swatch, Swatchbook, ends_of
from sfumato.work.luts.target import Target
from sfumato.work.stores.coats import coat_of

CDL = CdlStage(
    slope=(1.1, 1.0, 0.9), offset=(0.02, 0.0, -0.01), power=(1.0, 1.1, 0.95), saturation=0.8
)
STUDY = attrs.evolve(Study().suited_to("Tarn Log"), working="Tarn Log")
CODES = np.random.default_rng(3).uniform(0, 1, (200, 3)).astype(np.float32)


@pytest.mark.parametrize("clamp", [True, False])
def test_a_cdl_file_becomes_a_cdl_that_does_the_same(clamp: bool, tmp_path: Path) -> None:
    stage = attrs.evolve(CDL, clamp=clamp)
    made = deliver(Transform((stage,)), Target("clf"), tmp_path / "warm.clf")
    coat = coat_of(tmp_path / "warm.clf", STUDY)
    assert coat.spec.key == "cdl"
    assert (coat.parameters.slope, coat.parameters.saturation) == (stage.slope, 0.8)
    np.testing.assert_allclose(
        path.through_coats((coat,), CODES, "BT.1886"), made.transform.apply(CODES), atol=2e-5
    )


def test_what_is_more_than_a_cdl_or_beyond_its_controls_becomes_a_lut(tmp_path: Path) -> None:
    grid = Table3D(lattice_colours(5) * np.float32(0.5))
    note = (span_note.written("Tarn Log", "BT.1886"),)
    deliver(Transform((CDL, grid), comments=note), Target("clf"), tmp_path / "more.clf")
    more = coat_of(tmp_path / "more.clf", STUDY)
    assert (more.spec.key, more.name) == ("lut", "more")
    wild = attrs.evolve(CDL, slope=(90.0, 1.0, 1.0))
    deliver(Transform((wild,)), Target("clf"), tmp_path / "wild.clf")
    assert coat_of(tmp_path / "wild.clf", STUDY).spec.key == "lut"
    deliver(Transform((grid,), comments=note), Target("cube"), tmp_path / "said.cube")
    said = coat_of(tmp_path / "said.cube", STUDY).parameters
    assert (said.expects, said.gives) == ("Tarn Log", "BT.1886")
    (tmp_path / "torn.cube").write_text("LUT_3D_SIZE 2\n0 0\n")
    with pytest.raises(SfumatoError):
        coat_of(tmp_path / "torn.cube", STUDY)


def to_display(study: Study) -> Transform:
    """Return a lattice that does what the study's View does: log in, display out."""
    nodes = path.through_view(study, lattice_colours(33))
    return Transform((Table3D(np.clip(nodes, 0, 1)),))


INNER = path.from_view(STUDY, np.random.default_rng(5).uniform(0.1, 0.9, (300, 3)).astype("f4"))


@pytest.mark.parametrize("stated", [True, False])
def test_a_log_to_display_lut_gives_the_views_tones_once(stated: bool, tmp_path: Path) -> None:
    """Laid into an empty Look, a LUT that is the View shows what the View shows: not its tones twice."""
    note = (span_note.written("Tarn Log", "BT.1886"),) if stated else ()
    made = attrs.evolve(to_display(STUDY), comments=note)
    deliver(made, Target("cube"), tmp_path / "view.cube")
    coat = coat_of(tmp_path / "view.cube", STUDY)
    assert coat.parameters.sure == stated
    laid = STUDY.added(LOOK, coat)
    shown = path.through_view(laid, path.through_look(laid, INNER))
    meant = made.apply(INNER)
    apart = delta_e(shown, meant, encoding("BT.1886"))
    assert np.percentile(apart, 99) < 0.6
    assert np.median(delta_e(shown, path.through_view(STUDY, INNER), encoding("BT.1886"))) < 0.3
    # Whatever the View is made to do, it is undone as it is: the LUT's own picture stays.
    other = attrs.evolve(laid, view=attrs.evolve(laid.view, contrast=1.7, white=5.0))
    np.testing.assert_allclose(
        path.through_view(other, path.through_look(other, INNER)), made.apply(INNER), atol=6e-3
    )
    once_more = attrs.evolve(coat, parameters=attrs.evolve(coat.parameters, way=AS_NUMBERS))
    twice = STUDY.added(LOOK, once_more)
    assert (
        np.median(
            delta_e(
                path.through_view(twice, path.through_look(twice, INNER)),
                meant,
                encoding("BT.1886"),
            )
        )
        > 1.5
    )
    says = [c.spec.says(c.parameters, encoding("Tarn Log"), STUDY.view) for c in (coat, once_more)]
    assert "undone after it" in says[0]
    assert "once more" in says[1]
    assert ("is taken to expect" in says[0]) == (not stated)


def test_a_display_look_meets_what_the_view_shows(tmp_path: Path) -> None:
    look = Transform((Table3D(lattice_colours(17) ** np.float32(1.3)),))
    deliver(look, Target("cube"), tmp_path / "look.cube")
    coat = coat_of(tmp_path / "look.cube", STUDY)
    p = coat.parameters
    assert (p.expects, p.gives, p.sure) == ("BT.1886", "BT.1886", False)
    laid = STUDY.added(LOOK, coat)
    shown = path.through_view(laid, path.through_look(laid, INNER))
    meant = look.apply(np.clip(path.through_view(STUDY, INNER), 0, 1))
    assert np.percentile(delta_e(shown, meant, encoding("BT.1886")), 99) < 0.6


def test_every_way_in_takes_a_file_for_the_same(tmp_path: Path) -> None:
    """Laid in the Look and seen in the Swatchbook: log, display, curves, in log and display studies."""
    curve = Transform((Table1D(np.linspace(0, 1, 33)[:, None].repeat(3, 1) ** 0.8),))
    files = {"log": to_display(STUDY), "display": Transform((Table3D(lattice_colours(9) ** 1.2),))}
    display = Study().suited_to("BT.1886")
    for name, made in {**files, "curve": curve}.items():
        file = tmp_path / f"{name}.cube"
        deliver(made, Target("cube"), file)
        book = Swatchbook(Cache(tmp_path / "cache"))
        facts = book.facts(Swatch(file, "1"))
        for study in (STUDY, display):
            p = coat_of(file, study).parameters
            ends = ends_of(facts, study)
            assert p.sure == ends.sure
            assert (p.expects, p.gives) == (ends.expects or AS_IT_IS, ends.gives or AS_IT_IS)


def test_a_glaze_of_an_older_study_does_what_it_did() -> None:
    """Version 1 knew no way through the View: it is read as plain numbers, and says so."""
    plain = coat_json.dump_coat(new_coat("lut", gives="BT.1886"))
    old = {k: v for k, v in plain.items() if k not in ("way", "sure")}
    coat = coat_json.load_coat({**old, "v": 1})
    assert coat.parameters.way == AS_NUMBERS
    fresh = coat_json.load_coat(coat_json.dump_coat(new_coat("lut", gives="BT.1886")))
    assert fresh.parameters.way == THROUGH


def test_a_changed_encoding_is_said_to_what_follows() -> None:
    change = new_coat("encoding_change", source="Tarn Log", target="sRGB")
    says = change.spec.says
    assert "takes them for Tarn Log" in says(change.parameters, encoding("Tarn Log"), STUDY.view)
    assert says(change.parameters, encoding("sRGB"), STUDY.view) == ""
    assert says(new_coat("encoding_change").parameters, encoding("Tarn Log"), STUDY.view) == ""
