"""Encodings of the user's own and other people's configs, in the real window."""

from __future__ import annotations

import json
from pathlib import Path

import attrs
import numpy as np
import PyOpenColorIO as ocio
import pytest
from conftest import DEMO
from gui.test_glazes import typed
from PySide6.QtCore import QPointF, Qt
from PySide6.QtWidgets import QDialog, QLabel, QLineEdit, QPushButton

import sfumato
from sfumato.app.controls.scrub import ScrubNumber
from sfumato.app.controls.tick import Tick
from sfumato.core.colour import user_encoding
from sfumato.core.colour.encodings import drop_encodings, encoding, encodings, shipped
from sfumato.core.colour.user_encoding import Gamut, LogCurve, UserEncoding
from sfumato.core.errors import FormatError, StudyError, ValueRefused
from sfumato.core.lut.stages import Matrix
from sfumato.core.lut.table import Table1D
from sfumato.core.lut.transform import Transform
from sfumato.core.path import path
from sfumato.work.stores import encoding_store
from sfumato.work.stores.study_store import open_study, save_study

TARN = {  # as its maker publishes it
    "lin_slope": 5.0,
    "lin_offset": 0.06,
    "log_slope": 0.0779,
    "log_offset": 0.40459,
}


@pytest.fixture(autouse=True)
def _only_what_ships():
    yield
    drop_encodings([n for n in encodings() if not shipped(n)])


def test_a_camera_defined_by_its_numbers_is_used_and_travels(demo, tmp_path: Path) -> None:
    hand, window = demo, demo.window
    look_at = window.desk.previewer.thumbnail
    before = look_at(hand.study, hand.study.shots[0], 240, 135)
    hand.act("open_encodings")
    sheet = window.encodings.sheet
    sheet.name.setText("Harbour Log")
    sheet.name.editingFinished.emit()
    for field, value in TARN.items():
        typed(hand, sheet.findChild(ScrubNumber, field), str(value))
    box = sheet._panels["gamut"].editors[0].box
    box.setCurrentText("Tarn Wide")
    box.textActivated.emit("Tarn Wide")
    words = [label.text() for label in sheet.findChildren(QLabel, "encodings.check")]
    assert "✓ 18 % grey at 0.4000 (409 of 1023)" in words
    assert all(w.startswith("✓") for w in words)
    # A step of the draft can be undone and done again; a corner at the break is said.
    hand.click(sheet.findChild(Tick, "own_slope"), QPointF(10, 10))
    assert sheet.draft.curve.linear_slope == pytest.approx(9.366, abs=1e-3)
    typed(hand, sheet.findChild(ScrubNumber, "linear_slope"), "4")
    assert any("corner" in c.text() for c in sheet.findChildren(QLabel, "encodings.check"))
    for _ in range(2):
        sheet.undo()
    assert not sheet.draft.curve.own_slope
    sheet.redo()
    sheet.undo()
    hand.click(sheet.findChild(QPushButton, "encodings.use"))
    hand.settle()
    shot = hand.study.shots[0]
    assert shot.encoding == "Harbour Log"
    mine, theirs = encoding("Harbour Log"), encoding("Tarn Log")
    code = np.random.default_rng(3).uniform(-0.1, 1.1, (2000, 3)).astype(np.float32)
    np.testing.assert_allclose(mine.decode(code), theirs.decode(code), rtol=1e-6, atol=1e-6)
    after = look_at(hand.study, shot, 240, 135)
    assert np.abs(after.astype(int) - before).max() <= 1  # the picture stays as it was
    # It cannot be deleted while the study uses it; the study brings it to where it is unknown.
    hand.click(sheet.findChild(QPushButton, "encodings.remove"))
    assert "is used in this study" in hand.notices[-1]
    file = tmp_path / "far.sfumato"
    save_study(hand.study, file)
    hand.act("undo")
    hand.settle()
    hand.click(sheet.findChild(QPushButton, "encodings.remove"))
    assert "Harbour Log" not in encodings()
    assert open_study(file).shots[0].encoding == "Harbour Log"
    assert encoding("Harbour Log").definition == mine.definition
    # Where the name means something else, it gets a name of its own.
    drop_encodings(["Harbour Log"])
    encoding_store.keep(UserEncoding("Harbour Log"))
    elsewhere = open_study(file)
    assert elsewhere.shots[0].encoding == "Harbour Log 2"
    assert encoding("Harbour Log 2").definition.curve == mine.definition.curve
    sheet.close()


def test_an_encoding_file_is_shared_and_hostile_ones_are_refused(demo, tmp_path: Path) -> None:
    hand = demo
    own = UserEncoding("Shared", "a paper", curve=LogCurve(**TARN), gamut=Gamut("Tarn Wide"))
    file = tmp_path / "Shared.encoding.json"
    encoding_store.write_encoding(own, file)
    hand.drop(file)
    sheet = hand.window.encodings.sheet
    assert sheet.draft == own
    hand.click(sheet.findChild(QPushButton, "encodings.keep"))
    assert encoding_store.read_encoding(encoding_store.library() / file.name) == own
    drop_encodings(["Shared"])
    assert encoding_store.load_library() == []
    assert encoding("Shared").definition == own
    plain = user_encoding.dump(own)
    for change in (
        {"curve": {"lin_offset": -1.0}},
        {"name": "Tarn Log" * 20},
        {"kind": "Cursed"},
        {"primaries": {"named": "by numbers", "white_y": 0.0}},
        {"curve": {"base": "two"}},
        {"decoder": {"low": 0, "high": 1, "matrix": [0] * 9, "values": [[0, 0, 0], [1, 1, 1]]}},
        {"sfumato_encoding": 9},
    ):
        file.write_text(json.dumps({**plain, **change}))
        with pytest.raises(StudyError) as caught:
            encoding_store.read_encoding(file)
        assert str(file) in caught.value.where
    for data in (b"\xff\xfe", b"[" * 100000, b"{"):
        file.write_bytes(data)
        hand.drop(file)
        assert "an encoding" in hand.notices[-1]
    with pytest.raises(ValueRefused, match="comes with Sfumato"):
        encoding_store.keep(attrs.evolve(own, name="srgb"))
    sheet.close()


def test_a_lut_file_serves_as_decoder(demo, tmp_path: Path, ports) -> None:
    hand = demo
    tarn = encoding("Tarn Log")
    codes = np.repeat(np.linspace(0, 1, 4096, dtype=np.float32)[:, None], 3, 1)
    curve = Transform((Table1D(tarn.decode(codes)),))
    sfumato.write(curve, tmp_path / "decode.cube")
    hand.act("open_encodings")
    sheet = hand.window.encodings.sheet
    ports.luts = [tmp_path / "decode.cube"]
    sheet.kind.textActivated.emit("Decoder file")
    assert not sheet.keep.isEnabled()  # nothing is chosen yet
    hand.click(sheet.findChild(QPushButton, "encodings.decoder"))
    hand.settle()
    assert "4096 entries" in sheet.decoder.text()
    line = sheet.findChild(QLineEdit, "encodings.name")
    line.setText("By table")
    line.editingFinished.emit()
    hand.click(sheet.keep)
    mine = encoding("By table")
    inner = np.random.default_rng(4).uniform(0.02, 1, (500, 3)).astype(np.float32)
    np.testing.assert_allclose(mine.decode(inner), tarn.decode(inner), rtol=2e-4)
    np.testing.assert_allclose(mine.encode(mine.decode(inner)), inner, atol=2e-6)
    # A curve and a matrix in one CLF are a decoder too; a look is none.
    matrix = np.array([[0.8, 0.15, 0.05], [0.1, 0.85, 0.05], [0.0, 0.2, 0.8]])
    both = Transform((Table1D(tarn.decode(codes)), Matrix(matrix)))
    sfumato.write(both, tmp_path / "both.clf")
    found = encoding_store.read_decoder(tmp_path / "both.clf").coder()
    np.testing.assert_allclose(found.decode(inner), both.apply(inner), rtol=2e-3, atol=2e-4)
    np.testing.assert_allclose(found.encode(found.decode(inner)), inner, atol=2e-5)
    with pytest.raises(FormatError, match="mixes channels"):
        encoding_store.read_decoder(DEMO.parent / "luts" / "low_tide_33.cube")
    sheet.close()


def test_a_config_of_others_becomes_encodings_and_views(demo, tmp_path: Path, ports) -> None:
    ocio.SetLoggingLevel(ocio.LOGGING_LEVEL_NONE)
    hand, window = demo, demo.window

    def exact(processor, how=ocio.OPTIMIZATION_NONE):
        # The default processor approximates powers and logarithms, to 2e-5.
        return processor.getOptimizedCPUProcessor(how)

    hand.act("open_config")
    sheet = next(d for d in window.findChildren(QDialog, "config") if d.isVisible())
    where = sheet.list.currentItem().data(Qt.ItemDataRole.UserRole)
    hand.click(sheet.findChild(QPushButton, "config.use"))
    hand.settle()
    assert hand.study.configs == (where,)
    assert "colour spaces are among the encodings" in hand.notices[-1]
    mine = {n: e for n, e in encodings().items() if e.coder is not None}
    config = ocio.Config.CreateFromFile(where)
    short = next(iter(mine)).split(": ")[0]
    colours = np.random.default_rng(7).uniform(0.02, 0.98, (300, 3)).astype(np.float32)
    # Every pair in a row equals the library's own processor, and every view its rendering.
    spaces = [n for n, e in mine.items() if not e.is_view]
    assert len(spaces) > 15
    for a, b in zip(spaces, [*spaces[1:], spaces[0]], strict=True):
        theirs = colours.copy()
        names = [n[len(short) + 2 :] for n in (a, b)]
        exact(config.getProcessor(*names)).applyRGB(theirs)
        ours = sfumato.to_encoding(colours, a, b)
        np.testing.assert_allclose(ours, theirs, rtol=1e-5, atol=1e-5, err_msg=f"{a} to {b}")
    cct = f"{short}: ACEScct"
    np.testing.assert_allclose(
        sfumato.to_encoding(colours, cct, "ACEScct"), colours, atol=5e-5, err_msg="ours and theirs"
    )  # float32 light: a dark channel beside a bright one
    rendered = [n for n, e in mine.items() if e.is_view and "SDR" in n][:4]
    plain = attrs.evolve(hand.study, look=attrs.evolve(hand.study.look, coats=()), working=cct)
    for name in rendered:
        view, _, display = name[len(short) + 2 :].rpartition(", ")
        theirs = colours.copy()
        how = ocio.DisplayViewTransform(src="ACEScct", display=display, view=view)
        exact(config.getProcessor(how), ocio.OPTIMIZATION_LOSSLESS).applyRGB(theirs)
        for working in (cct, "ACEScct"):
            study = attrs.evolve(
                plain, working=working, view=attrs.evolve(plain.view, encoding=name)
            )
            ours = path.through_view(study, colours)
            np.testing.assert_allclose(ours, theirs, atol=2e-4 if working == "ACEScct" else 1e-5)
    # Seen in the window, proved as a file, and back after the study was saved.
    window.rooms["look"].ledger.edits.view("encoding", rendered[0])
    hand.settle()
    assert hand.shown[-1].b.std() > 5
    assert window.rooms["look"].seal._loss.text().strip()
    file = tmp_path / "config.sfumato"
    save_study(hand.study, file)
    drop_encodings(list(mine))
    assert open_study(file).view.encoding == rendered[0]
    # A file of somebody's, and files that are none.
    own = tmp_path / "own.ocio"
    own.write_text(config.serialize())
    hand.drop(own)
    hand.settle()
    assert "own: ACEScct" in encodings()
    for text in ("", "ocio_profile_version: 2\nroles: [", "&a [*a, *a]\n" * 50):
        own.write_text(text)
        hand.drop(own)
        hand.settle()
        assert "this is no OCIO config" in hand.notices[-1]
    missing = attrs.evolve(hand.study, configs=(str(tmp_path / "gone.ocio"),))
    save_study(missing, file)
    with pytest.raises(StudyError, match="OCIO config cannot be opened"):
        open_study(file)
