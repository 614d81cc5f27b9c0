"""Studies of older versions keep their picture and can be drawn anew; the noise floor; curves that shrink."""

from __future__ import annotations

import json

import attrs
import numpy as np
import pytest
from conftest import DEMO
from PySide6.QtWidgets import QPushButton

from sfumato.app.controls.curve_field import CurveField
from sfumato.app.rooms.look.coat_row import CoatRow
from sfumato.core.colour.encodings import code_of, encoding
from sfumato.core.path.laying import matte
from sfumato.core.study.view import View
from sfumato.work.frames import WHOLE
from sfumato.work.preview.asks import MATTE, Ask
from sfumato.work.stores.study_store import open_study


def test_an_older_study_says_so_and_is_drawn_anew_in_one_step(hand, tmp_path) -> None:
    plain = json.loads(DEMO.read_text())
    for name in ("hue_by", "threshold", "noise"):
        del plain["view"][name]
    plain["view"]["hue"] = 0.35
    for coat in plain["look"]["coats"]:
        coat["v"] = 1
    for shot in plain["shots"]:
        shot["path"] = str(DEMO.parent / shot["path"])
    file = tmp_path / "older.sfumato"
    file.write_text(json.dumps(plain))
    before = open_study(file)
    assert before.is_former
    hand.window.files.open_file(file)
    hand.settle()
    assert hand.study == before
    row = hand.find(CoatRow, f"coat.{before.look.coats[1].id}")
    assert "older version" in row.toolTip()
    strip = hand.window.strip
    assert "older version" in strip.text()
    hand.click(hand.find(QPushButton, "notice.button"))
    hand.settle()
    assert not hand.study.is_former
    assert hand.study.view == attrs.evolve(View(), encoding="BT.1886")
    assert [c.version for c in hand.study.look.coats] == [0] * len(hand.study.look.coats)
    assert not hand.window.actions_table.by_id["use_new_way"].isEnabled()
    hand.act("undo")
    assert hand.study == before
    hand.settle()


def test_the_noise_floor_is_measured_when_shots_come_and_when_asked(hand) -> None:
    hand.window.rooms["look"].shot_edits.bring_in_files([DEMO.parent / "portrait.tif"])
    hand.settle()
    shot = hand.study.shots[0]
    hand.window.model.commit("It is log", hand.study.with_shot(shot.id, encoding="Tarn Log"))
    hand.settle()
    hand.act("measure_noise")
    hand.settle()
    assert hand.study.view.noise == pytest.approx(11.8, abs=0.6)  # it is a clean picture
    hand.act("undo")
    assert hand.study.view.noise == View().noise


def test_a_new_contrast_turns_about_grey(demo) -> None:
    demo.click(demo.find(QPushButton, "look.add"))
    demo.menu("add.contrast")
    demo.settle()
    coat = demo.study.look.coats[-1]
    grey = code_of(0.18, encoding(demo.study.working))
    assert coat.parameters.pivot == pytest.approx(grey, abs=1e-3)


def test_a_click_between_many_near_points_leaves_one(demo) -> None:
    """Points that lie nearer than the new one may go; the chosen one was among them."""
    coat = demo.study.coat("l-curves")
    near = (0.5, 0.506, 0.512, 0.518, 0.524)
    points = ((0.0, 0.0), *((x, x) for x in near), (1.0, 1.0))
    parameters = attrs.evolve(coat.parameters, master=points)
    demo.window.model.commit("Near", demo.study.set_coat(coat.id, parameters=parameters))
    demo.click(demo.find(CoatRow, f"coat.{coat.id}"))
    curve = demo.find(CurveField, "curve")
    curve.choose(6)
    demo.click(curve, curve.place(0.512, 0.8))
    demo.settle()
    made = demo.study.coat("l-curves").parameters.master
    assert len(made) < len(points)
    assert 0 <= curve.chosen < len(curve.points)


def test_a_panel_speaks_for_its_own_glaze_alone(demo) -> None:
    """A list that stays open, or a drag that goes on, while another glaze is chosen or this one goes."""
    ledger = demo.window.rooms["look"].ledger
    first, second = (demo.study.coat(i) for i in ("l-contrast", "l-colour"))
    demo.click(demo.find(CoatRow, f"coat.{first.id}"))
    panel = ledger.unfolded
    demo.window.view.set(coat=second.id)
    panel.edited.emit("slope", 1.9)
    panel.laid.emit({"tone_to": 0.5})
    assert demo.study.coat(first.id).parameters.slope == 1.9
    assert demo.study.coat(first.id).laying.tone_to == 0.5
    assert demo.study.coat(second.id) == second
    demo.window.model.commit("Gone", demo.study.removed(first.id))
    before = demo.study
    panel.edited.emit("slope", 1.2)
    panel.laid.emit({"tone_to": 0.3})
    assert demo.study == before
    demo.settle()


def test_the_matte_on_the_easel_is_what_the_glaze_takes_at_this_noise_floor(demo) -> None:
    """It was drawn at the usual floor, whatever the study's was."""
    study = demo.study
    laying = attrs.evolve(study.coat("l-colour").laying, hue=40.0, hue_width=60.0)
    study = study.set_coat("l-colour", laying=laying)
    shot = next(s for s in study.shots if s.name == "jetty")
    seen = {}
    for noise in (16.0, 7.0):
        at = attrs.evolve(study, view=attrs.evolve(study.view, noise=noise))
        ask = Ask(at, shot, b=MATTE, coat="l-colour")
        previewer = demo.window.desk.previewer
        code = previewer.working(ask, 96, 54, WHOLE)
        drawn = previewer.side(ask, MATTE)(code)[..., :1]
        entering = previewer.entering(ask, code)
        working = encoding(at.working)
        np.testing.assert_allclose(
            drawn, matte(laying, entering, working, at.view.noise_floor), atol=1e-6
        )
        seen[noise] = float(drawn.mean())
    assert seen[16.0] > seen[7.0] + 0.02


def test_reset_draws_a_glaze_as_new_ones_are(demo) -> None:
    coat = attrs.evolve(demo.study.coat("l-contrast"), version=1)
    demo.window.model.commit("Older", demo.study.set_coat(coat.id, version=1))
    demo.click(demo.find(CoatRow, f"coat.{coat.id}"))
    demo.act("reset_glaze")
    assert not demo.study.coat(coat.id).is_former
    demo.settle()
