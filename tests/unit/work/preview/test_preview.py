"""Previews: dragging is near what rest shows, rest is what the file does, kept work is never stale."""

from __future__ import annotations

from functools import partial

import attrs
import numpy as np
import peers
import pytest
from conftest import DEMO

from sfumato.core.colour.encodings import encoding
from sfumato.core.glaze import glazes
from sfumato.core.lut.difference import delta_e
from sfumato.core.lut.transform import Transform
from sfumato.core.path import path
from sfumato.core.path.span import Joint, Span
from sfumato.core.study.coat import new_coat
from sfumato.core.study.study import LOOK, Study
from sfumato.work.cancel import Cancel, Cancelled
from sfumato.work.frames import Frames
from sfumato.work.luts import proof, readers
from sfumato.work.preview import drag
from sfumato.work.preview.asks import Ask, to_bytes
from sfumato.work.preview.measures import smears
from sfumato.work.preview.preview import Previewer
from sfumato.work.stores.study_store import open_study

SHOT = {"width": 240, "height": 135}


@pytest.fixture(scope="module")
def frames() -> Frames:
    return Frames()


@pytest.fixture
def study() -> Study:
    return open_study(DEMO)


def _ask(study: Study, shot: str = "furnace", **values) -> Ask:
    return Ask(study, study.shot(shot), **{**SHOT, **values})


@pytest.mark.parametrize("shot", ["furnace", "sill", "jetty"])
def test_a_drag_shows_nearly_what_rest_shows(study: Study, frames: Frames, shot: str) -> None:
    previewer = Previewer(frames)
    rest = previewer.show(_ask(study, shot, b="exact"), Cancel())
    drag = previewer.show(_ask(study, shot, b="exact", dragging=True), Cancel())
    display = encoding(study.view.encoding)
    apart = delta_e(rest.b / np.float32(255), drag.b / np.float32(255), display)
    assert 0 < apart.mean() < 0.6
    assert np.percentile(apart, 99) < 3


def test_the_lut_side_is_the_written_table(study: Study, frames: Frames, tmp_path) -> None:
    previewer = Previewer(frames)
    """For every usual Span, and as two other parties read the file that is written."""
    shot = study.shot("furnace")
    spans = [choice.span(study, shot) for choice in path.SPANS]
    spans += [
        Span(Joint.SOURCE, Joint.VIEW),
        Span(entry="ACEScct", leave="sRGB"),
        Span(Joint.GROUND, Joint.LOOK, leave="ACEScct"),
    ]
    for i, span in enumerate(spans):
        spanned = attrs.evolve(study, span=span)
        ask = _ask(spanned, b="lut")
        shown = previewer.show(ask, Cancel())
        table = Transform((previewer.written_table(ask),))
        (found,) = (c for s, c in proof.entry_colours(spanned, frames, 240) if s.id == "furnace")
        expected = to_bytes(proof.viewed(spanned, table.apply(found)))
        assert np.abs(shown.b.astype(int) - expected).max() <= 1
        file = tmp_path / f"{i}.cube"
        made = proof.export_look(spanned, frames, file, shot=shot if span.with_ground else None)
        assert made.off == 0
        words = f"expects {path.span_names(spanned, shot)[0]} ("
        assert made.transform.comments[0].startswith(words)
        ours = table.apply(found)
        for theirs in (readers.ffmpeg(file, found), peers.opencolorio(file, found)):
            assert np.abs(theirs - ours).max() < 2e-6, span


def test_a_written_table_follows_the_ground_that_it_holds(study: Study, frames: Frames) -> None:
    """Only a Span that begins before the Ground changes with it, or with the shot."""
    previewer = Previewer(frames)

    def table(one: Study, span: Span, shot: str = "furnace") -> np.ndarray:
        ask = _ask(attrs.evolve(one, span=span, grid=9), shot, b="lut")
        previewer.show(ask, Cancel())
        kept = previewer.written_table(ask).values
        np.testing.assert_array_equal(kept, Previewer(frames).written_table(ask).values)
        return kept

    brighter = study.tuned("g-furnace-exp", stops=-1.0)
    for whole in (Span(Joint.SOURCE), Span(Joint.SOURCE, Joint.LOOK)):
        assert np.abs(table(study, whole) - table(brighter, whole)).max() > 0.02
        assert np.abs(table(study, whole) - table(study, whole, "sill")).max() > 0.02
    between = Span(Joint.GROUND)
    np.testing.assert_array_equal(table(study, between), table(brighter, between))


def test_source_ground_and_difference_sides(study: Study, frames: Frames) -> None:
    previewer = Previewer(frames)
    ask = _ask(study, a="source", b="ground", difference=True)
    shown = previewer.show(ask, Cancel())
    np.testing.assert_array_equal(shown.a, to_bytes(frames.proxy(ask.shot, 240, 135)))
    display = encoding(study.view.encoding)
    rough = delta_e(shown.a / np.float32(255), shown.b / np.float32(255), display)
    assert np.abs(rough - shown.delta).max() < 1.5
    alone = previewer.show(
        _ask(study, a="source", b="ground", difference=True, need_a=False), Cancel()
    )
    np.testing.assert_array_equal(alone.delta, shown.delta)
    plain = previewer.show(_ask(study, a="source", b="ground", need_a=False), Cancel())
    assert plain.a is None
    assert plain.delta is None
    same = previewer.show(_ask(study, a="exact", b="exact", difference=True), Cancel())
    assert same.delta.max() == 0


def test_kept_stages_are_never_stale(study: Study, frames: Frames) -> None:
    """Whatever moves, the staged lattice equals one that starts from nothing."""
    steps, few = drag.Steps(), partial(drag.swatches_in, study.working)
    moves = [
        study,
        study.tuned("l-cdl", saturation=1.3),
        study.tuned("l-wb", temperature=-20.0),
        study.set_coat("l-curves", on=False),
        study.set_coat("l-curves", strength=0.5),
        study.with_look(strength=1.5),
        study.removed("l-contrast"),
        study.added(LOOK, new_coat("exposure", stops=1.0), 0),
        attrs.evolve(study, view=attrs.evolve(study.view, contrast=1.6)),
        study.tuned("g-furnace-exp", stops=-1.0),
        study.suited_to("ACEScct"),
    ]
    for moved in moves:
        stages = drag.stages_of(_ask(moved), True)
        kept, riders = steps.run(stages, few, Cancel())
        fresh = drag.Steps()
        fresh._grid = len(kept)
        anew, ridden = fresh.run(stages, few, Cancel())
        np.testing.assert_array_equal(kept, anew)
        np.testing.assert_array_equal(riders, ridden)


def test_behind_a_moving_glaze_a_long_stack_is_one_table(
    study: Study, frames: Frames, monkeypatch
) -> None:
    """A step computes the moving glaze alone, shows nearly what rest shows, and is never stale."""
    kinds = ("contrast", "colourfulness", "balance", "hue_table", "tints", "curves")
    for i in range(60):
        coat = new_coat(kinds[i % 6], **glazes()[kinds[i % 6]].mild)
        study = study.added(LOOK, attrs.evolve(coat, id=f"n{i}", strength=0.05), None)
    monkeypatch.setattr(drag, "_LONG", 0.0)  # whatever this machine takes for it
    previewer, display = Previewer(frames), encoding(study.view.encoding)

    def show(now: Study, by: Previewer = previewer) -> np.ndarray:
        ask = _ask(now, b="exact", coat="n3", dragging=True, need_a=False)
        return by.show(ask, Cancel()).b / np.float32(255)

    previewer.prepare(_ask(study, b="exact", coat="n3", need_a=False), Cancel())
    before = show(study)
    passed = list[str]()
    through = path.through_coat
    monkeypatch.setattr(
        drag.path, "through_coat", lambda c, *a, **k: (passed.append(c.id), through(c, *a, **k))[1]
    )
    for strength in (0.05, 0.3, 1.0):
        moved = study.set_coat("n3", strength=strength)
        passed.clear()
        quick = show(moved)
        assert set(passed) <= {"n3"}
        plain = show(moved, Previewer(frames))
        change = delta_e(plain, before, display).mean()
        assert delta_e(plain, quick, display).mean() <= change / 4
        assert change > 1.2 or strength < 1
    other = moved.set_coat("n40", on=False)  # what follows is another: that table is not for it
    passed.clear()
    show(other)
    show(other.set_coat("n3", strength=0.5))
    assert len(set(passed)) > 20
    previewer.prepare(_ask(other, b="exact", coat="n3", need_a=False), Cancel())
    np.testing.assert_array_equal(show(other), show(other, Previewer(frames)))


def test_the_drag_grid_suits_the_cost() -> None:
    assert drag._grid_for(1e-9, 33) == 33
    assert drag._grid_for(5e-7, 33) == 25
    assert drag._grid_for(1e-5, 33) == 17
    held = drag.DRAG_SECONDS / 33**3 * 1.2
    assert drag._grid_for(held, 33) == 33  # a little too slow is no reason to change


def test_smears_thumbnails_and_probes_tell_what_a_glaze_does(study: Study, frames: Frames) -> None:
    previewer = Previewer(frames)
    shot = study.shot("furnace")
    rows = smears(study.set_coat("l-contrast", on=False), shot)
    assert set(rows) == {c.id for c in (*shot.ground, *study.look.coats)}
    assert {r.shape for r in rows.values()} == {(2, 17, 3)}
    np.testing.assert_array_equal(*rows["l-contrast"])
    assert np.abs(rows["g-furnace-exp"][0].astype(int) - rows["g-furnace-exp"][1]).max() > 5
    np.testing.assert_array_equal(rows["l-curves"][1], rows["l-colour"][0])
    moving = _ask(study, b="exact", dragging=True)
    previewer.show(moving, Cancel())
    ridden = smears(study, shot, known=previewer.riders(moving))
    walked = smears(study, shot)
    assert list(ridden) == list(walked)
    assert max(np.abs(ridden[i].astype(int) - walked[i]).max() for i in walked) <= 1
    assert previewer.thumbnail(study, shot, 94, 52).shape == (52, 94, 3)
    found = previewer.probe(_ask(study, a="source", b="exact", coat="l-curves"), 5000, 5000)
    assert (found.x, found.y) == (1919, 1079)
    code = study.transform(("Tarn Log", "Tarn Log"))
    assert np.abs(found.a - found.source).max() == 0
    assert found.delta > 1
    assert code.apply(found.source).shape == (3,)
    entry = previewer.entry(_ask(study, coat="l-curves"))
    assert entry.histogram.shape == (3, 128)
    assert entry.histogram.sum() > 0.99 * 3 * 240 * 135
    assert len(entry.lab) == len(entry.colours) > 1000
    assert entry.covers == 1.0


@pytest.mark.parametrize(("width", "height"), [(120, 120), (200, 60)])
def test_a_cut_fills_its_box_with_the_middle_of_the_shot(
    study: Study, frames: Frames, width: int, height: int
) -> None:
    shot = study.shot("sill")
    w, h = frames.still(shot).size
    found = Previewer(frames).cut(study, shot, width, height)
    assert found.shape == (height, width, 3)
    whole = path.to_working(shot, study, frames.proxy(shot, w, h, (0, 0, 1, 1)))
    wide, tall = (h * width / height, h) if width / height < w / h else (w, w * height / width)
    left, top = (w - wide) / 2, (h - tall) / 2
    middle = whole[round(top) : round(top + tall), round(left) : round(left + wide)]
    np.testing.assert_allclose(found.mean((0, 1)), middle.mean((0, 1)), atol=4e-3)
    for rows in (slice(0, 8), slice(-8, None)):
        share = height / tall
        edge = middle[: round(8 / share)] if rows.start == 0 else middle[-round(8 / share) :]
        np.testing.assert_allclose(found[rows].mean((0, 1)), edge.mean((0, 1)), atol=2e-2)


def test_a_cancelled_ask_stops(study: Study, frames: Frames) -> None:
    cancel = Cancel()
    cancel.set()
    with pytest.raises(Cancelled):
        Previewer(frames).show(_ask(study, width=500, height=281), cancel)


def test_an_export_with_a_ground_is_proved_on_its_own_path(
    study: Study, frames: Frames, tmp_path
) -> None:
    spanned = attrs.evolve(study, span=Span(Joint.SOURCE, Joint.LOOK), grid=17)
    steps: list[float] = []
    done = proof.export_look(
        spanned,
        frames,
        tmp_path / "g.cube",
        shot=study.shot("furnace"),
        title="With Ground",
        progress=lambda share, _words: steps.append(share),
    )
    assert done.off == 0
    assert done.transform.title == "With Ground"
    assert "includes the Ground of shot furnace" in done.transform.comments
    assert steps == sorted(steps)
    assert steps[-1] == 1.0
    assert done.second.loss.main.mean == pytest.approx(done.own.main.mean, abs=1e-3)
    # The colours by which it is measured enter as the shot's own; without an encoding, as they are.
    for encoding_name in (study.shot("furnace").encoding, None):
        one = attrs.evolve(study.shot("furnace"), encoding=encoding_name)
        ((_, colours),) = proof.entry_colours(attrs.evolve(spanned, shots=(one,)), frames, 60)
        np.testing.assert_allclose(colours, np.clip(frames.sample(one, 60), 0, 1), atol=1e-6)
    empty = attrs.evolve(study, shots=())
    alone = proof.export_look(empty, frames, tmp_path / "e.cube")
    assert alone.own.shots is None
    assert alone.own.main.count == 20000
