"""Instruments in the real window: scales, zoom, picks and bands, the cube, windows of their own."""

from __future__ import annotations

from pathlib import Path

import attrs
import imagecodecs
import numpy as np
from PIL import ImageCms
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox, QLabel, QPushButton

from sfumato.app.controls.tick import Tick
from sfumato.app.services.settings import Settings
from sfumato.app.views.scope import ScopeView, instruments
from sfumato.app.window.main_window import MainWindow
from sfumato.core.colour.encodings import encoding
from sfumato.core.colour.ranges import LEGAL
from sfumato.core.colour.screen import KNEE, on_screen
from sfumato.core.colour.surround import PHONE, ROOM
from sfumato.core.lut.difference import delta_e
from sfumato.core.lut.table import lattice_colours
from sfumato.core.lut.transform import Transform
from sfumato.core.measure import scopes
from sfumato.core.measure.graticule import CODE, STOPS, marks
from sfumato.core.measure.named_colours import in_working
from sfumato.core.measure.scopes import Band, chroma_place, in_band
from sfumato.core.path import path
from sfumato.media.parts.contract import as_float
from sfumato.work.screen import screen_of


def choose(hand, name: str, key: str) -> None:
    box = hand.find(QComboBox, name)
    index = box.findData(key) if box.findData(key) >= 0 else box.findText(key)
    box.setCurrentIndex(index)
    box.activated.emit(index)
    box.textActivated.emit(box.currentText())
    hand.settle()


def scale_of(scope: ScopeView):
    """Return the marks that the part of the levels which is seen has."""
    seen = scope.seen_part()
    return marks(scope.unit, scope.space, seen.top(), seen.top() + seen.height())


def kinds(hand, *wanted: str) -> list[ScopeView]:
    """Let these instruments stand in the window."""
    panel = hand.window.rooms["look"].instruments
    while len(panel.boxes) < len(wanted):
        hand.click(hand.find(QPushButton, "scopes.more"))
    while len(panel.boxes) > len(wanted):
        hand.click(hand.find(QPushButton, "scopes.less"))
    hand.wait(20)
    for i, kind in enumerate(wanted):
        choose(hand, f"instrument.{i}", kind)
    hand.settle()
    return panel.scopes


def test_every_instrument_shows_something_and_zooms(demo) -> None:
    for kind in instruments():
        scope = kinds(demo, kind, "parade")[0]
        first = scope.grab().toImage()
        assert len({first.pixel(x, y) for x in range(60, 240, 3) for y in range(20, 120, 3)}) > 5
        scope.setFocus()
        QTest.keyClick(scope, Qt.Key.Key_Plus)
        QTest.keyClick(scope, Qt.Key.Key_Plus)
        nearer = scope.grab().toImage()
        assert nearer != first, kind
        QTest.keyClick(scope, Qt.Key.Key_0)
        assert scope.zoom == 1.0
    scope = kinds(demo, "waveform", "parade", "histogram", "oklab")[0]
    assert len(demo.window.rooms["look"].instruments.scopes) == 4
    before = [m.words for m in scale_of(scope)]
    scope.zoom_by(8.0, QPointF(scope.area().center().x(), scope.area().bottom()))
    assert scope.seen_part().top() == 0  # what was under the hand stays there
    assert scale_of(scope)[-1].at < 0.13
    demo.drag(scope, QPointF(60, 60), QPointF(60, 60))
    choose(demo, "scopes.unit", CODE)
    assert {"0", "64"} <= {m.words for m in scale_of(scope)}
    choose(demo, "scopes.unit", STOPS)
    scope.reset()
    assert "white" in [m.words for m in scale_of(scope)]
    choose(demo, "side.b", "source")  # levels of the camera's log: stops from grey
    grey = next(m for m in scale_of(scope) if m.words == "grey")
    assert abs(grey.at - 0.4) < 1e-3
    assert [m.words for m in marks("percent", encoding("sRGB"))] == before


def test_a_pick_and_a_band_are_seen_on_both_sides(demo) -> None:
    hand, window = demo, demo.window
    scopes = kinds(hand, "parade", "waveform", "vectorscope", "histogram")
    bare = [s.grab().toImage() for s in scopes]
    easel = window.rooms["look"].easel_panel.easel
    QTest.mouseMove(easel, hand.easel_place(960, 300).toPoint())
    hand.settle()
    assert all(s.grab().toImage() != b for s, b in zip(scopes, bare, strict=True))
    shown = np.array([float(v) for v in hand.find(QLabel, "readout.b").text()[2:].split()])
    assert np.abs(scopes[0].pick.shown - shown).max() < 1e-3
    assert abs(scopes[0].pick.across - 0.5) < 1e-3
    x, y = chroma_place(tuple(shown))
    assert np.hypot(x, y) > 0.05
    easel.left.emit()
    assert scopes[0].pick is None

    def words() -> str:
        return hand.find(QLabel, "readout.clipping").text()

    scope = scopes[1]
    low, high = scope.place(0, 0.4), scope.place(0, 0.6)
    plain = hand.picture()
    hand.drag(scope, QPointF(80, low.y()), QPointF(120, high.y()))
    band = window.view.now.band
    assert (band.channel, round(band.low[0], 1), round(band.high[0], 1)) == ("luma", 0.4, 0.6)
    share = in_band(hand.shown[-1].b, band).mean()
    assert 0.005 < share < 0.5
    assert f"in the band {share * 100:.1f} %" in words()
    assert hand.picture() != plain
    scope.setFocus()
    QTest.keyClick(scope, Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
    assert abs(window.view.now.band.low[0] - band.low[0] - 0.05) < 1e-9
    hand.click(scope)
    assert window.view.now.band is None
    assert words() == ""
    # A trace of the parade marks its channel, a box of the vectorscope its colours.
    x, w = scopes[0].spec.columns(scopes[0])[2]
    hand.drag(scopes[0], QPointF(x + w / 2, low.y()), QPointF(x + w / 2, high.y()))
    assert window.view.now.band.channel == "blue"
    centre = scopes[2].area().center()
    hand.drag(scopes[2], centre, centre + QPointF(40, -40))
    box = window.view.now.band
    assert box.plane == "vectorscope"
    assert box.low[0] < 0.05 < box.high[0]
    red = np.full((4, 4, 3), (120, 60, 60), np.uint8)
    assert in_band(red, Band("", (-0.3, 0.1), (0.1, 0.5), "vectorscope")).all()
    assert not in_band(red, Band("", (0.1, 0.1), (0.5, 0.5), "vectorscope")).any()
    scopes[3].setFocus()
    QTest.keyClick(scopes[3], Qt.Key.Key_B)
    assert window.view.now.band is None
    QTest.keyClick(scopes[3], Qt.Key.Key_B)
    assert window.view.now.band.channel == "any channel"


def test_limits_and_gamut_are_marked(demo) -> None:
    hand, window = demo, demo.window
    kinds(hand, "parade", "waveform")
    hand.act("toggle_clipping")
    hand.click(hand.find(Tick, "scopes.limits"), QPointF(10, 10))
    hand.settle()
    picture = hand.shown[-1].b
    above = (picture > round(LEGAL[1] * 255)).any(axis=-1).mean() * 100
    text = hand.find(QLabel, "readout.clipping").text()
    assert f"above legal {above:.1f} %" in text
    assert above > 1
    # With the gamut not eased, colours leave it; a narrower display shows more of that.
    window.model.commit(
        "Raw", attrs.evolve(hand.study, view=attrs.evolve(hand.study.view, ease=False))
    )
    window.view.set(b="exact")
    window.view.set(shot="sill")
    hand.settle()
    shown = hand.shown[-1]
    shot = hand.study.shot("sill")
    code = window.desk.frames.proxy(shot, shown.ask.width, shown.ask.height)
    graded = path.through_look(hand.study, path.through_ground(shot, hand.study, code))
    out = (path.through_view(hand.study, graded) < -0.004).any(axis=-1)
    assert out.mean() > 0.002
    np.testing.assert_array_equal(shown.outside, out)
    said = hand.find(QLabel, "readout.clipping").text()
    assert f"out of gamut {out.mean() * 100:.1f} %" in said
    # Marks and the split line lie on the picture: a theme changes neither.
    easel = window.rooms["look"].easel
    window.view.set(mode="split")
    hand.settle()

    def seen() -> np.ndarray:
        hand.act("toggle_clipping")
        hand.act("toggle_clipping")
        hand.settle()
        image = easel.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)
        pixels = np.frombuffer(image.constBits(), np.uint8).copy()
        return pixels.reshape(image.height(), image.width(), 4)[40:-40]  # below the tags A and B

    dark = seen()
    hand.act("toggle_theme")
    hand.settle()
    np.testing.assert_array_equal(seen(), dark)


def test_cloud_and_loss_show_the_lut_that_is_written(demo) -> None:
    hand, window = demo, demo.window
    cloud, loss = kinds(hand, "cloud", "loss")
    shown = hand.shown[-1]
    table = window.desk.previewer.written_table(shown.ask)
    places = shown.instruments["cloud"].places.reshape(17, 17, 17, 3)
    np.testing.assert_allclose(places, np.clip(table.values[::2, ::2, ::2], -0.3, 1.3), atol=1e-6)
    inputs = shown.instruments["loss"].places
    exact = hand.study.transform().apply(inputs)
    apart = delta_e(exact, Transform((table,)).apply(inputs), encoding("BT.1886"))
    assert f"{apart.max():.2f} ΔE at worst" in shown.instruments["loss"].words
    hottest = shown.instruments["loss"].colours[int(apart.argmax())]
    assert hottest.max() > shown.instruments["loss"].colours[int(apart.argmin())].max() + 60
    for scope in (cloud, loss):
        before = scope.grab().toImage()
        centre = QPointF(scope.rect().center())
        hand.drag(scope, centre, centre + QPointF(60, 10))
        assert scope.grab().toImage() != before
        scope.setFocus()
        turn = scope.cube.turn
        QTest.keyClick(scope, Qt.Key.Key_Left)
        assert scope.cube.turn != turn
    window.model.commit("Coarse", attrs.evolve(hand.study, grid=5))
    hand.settle()
    assert (
        hand.shown[-1].instruments["loss"].colours.mean() > shown.instruments["loss"].colours.mean()
    )


def test_named_colours_and_the_mesh_show_what_the_look_does(demo) -> None:
    hand, window = demo, demo.window
    named, mesh = kinds(hand, "named", "mesh")
    study = hand.study
    code = in_working(encoding(study.working))
    before = path.through_view(study, code)
    after = path.through_view(study, path.through_look(study, code))
    expected = delta_e(before, after, encoding(study.view.encoding))
    assert expected.shape == (4, 6)
    assert expected.max() > 2
    np.testing.assert_allclose(named.data.apart, expected, atol=1e-4)
    assert np.ptp(named.data.before[0].astype(int), axis=-1).max() <= 1, "greys are grey before"
    picture = named.grab().toImage()
    red = [round(named.place(x, 1 - 2.3 / 4).x()) for x in (0.02, 0.13)]
    tones = [picture.pixelColor(x, round(named.place(0, 1 - 2.3 / 4).y())) for x in red]
    for tone, side in zip(tones, (named.data.before, named.data.after), strict=True):
        assert [tone.red(), tone.green(), tone.blue()] == list(side[2, 0])

    begins, ends = mesh.data.edges.T
    assert len(begins) == 3 * 9 * 9 * 8
    lattice = lattice_colours(9).reshape(-1, 3)
    assert np.allclose(np.sort(np.abs(lattice[ends] - lattice[begins]), axis=-1), [0, 0, 1 / 8])
    table = window.desk.previewer.written_table(hand.shown[-1].ask)
    places = mesh.data.places.reshape(9, 9, 9, 3)
    np.testing.assert_allclose(places, np.clip(table.values[::4, ::4, ::4], -0.3, 1.3), atol=1e-6)
    area = mesh.area()
    at = mesh.cube.project(mesh.data.places, area.width(), area.height())[:, :2]
    longest = int(np.abs(at[ends] - at[begins]).max(axis=1).argmax())
    middle = (at[begins[longest]] + at[ends[longest]]) / 2 + [area.left(), area.top()]
    x, y = (round(v) for v in middle)
    around = [(x + i, y + j) for i in (-1, 0, 1) for j in (-1, 0, 1)]
    assert max(mesh.grab().toImage().pixelColor(*a).value() for a in around) > 60  # the well: 38

    window.model.commit("Off", study.with_look(strength=0.0))
    hand.settle()
    assert np.abs(named.data.apart).max() < 1e-3


def test_a_pinned_shot_lies_under_the_instruments(demo) -> None:
    hand, window = demo, demo.window
    scopes = kinds(hand, "parade", "waveform", "histogram", "oklab")
    window.view.set(shot="portrait")
    hand.settle()
    hand.act("pin_shot")
    window.view.set(shot="jetty")
    hand.settle()
    assert set(hand.shown[-1].reference) == {"parade", "waveform", "histogram", "oklab"}
    both = [s.grab().toImage() for s in scopes]
    hand.act("pin_shot")
    hand.act("pin_shot") if window.view.now.pinned else None
    hand.settle()
    assert hand.shown[-1].reference == {}
    assert all(s.grab().toImage() != b for s, b in zip(scopes, both, strict=True))


def test_easel_and_instruments_stand_in_windows_of_their_own(demo, tmp_path: Path, qtbot) -> None:
    hand, window = demo, demo.window
    hand.act("tear_easel")
    hand.act("tear_instruments")
    hand.settle()
    torn = window.rooms["look"].view_edits.torn.windows
    assert window.rooms["look"].easel_panel.window() is torn["easel"] is not window
    assert window.rooms["look"].page.easel_gone.isVisible()
    torn["easel"].resize(1400, 900)
    hand.settle()
    assert hand.shown[-1].b.shape[1] > 1200  # rendered for its own size
    before = hand.shown[-1].b.mean()
    coat = hand.study.look.coats[0].id
    window.model.commit("Off", hand.study.set_coat(coat, on=False))
    hand.settle()
    assert hand.shown[-1].b.mean() != before  # it follows the study
    assert window.actions_table.by_id["undo"] in torn["easel"].actions()
    # Closed with the program, they stand there again at the next start.
    window.keep()
    again = MainWindow(Settings(tmp_path / "sfumato.ini"), hand.ports, None)
    again.show()
    qtbot.waitUntil(
        lambda: set(again.rooms["look"].view_edits.torn.windows) == {"easel", "instruments"},
        timeout=60_000,
    )
    again.close()
    again.deleteLater()
    torn["instruments"].close()
    hand.act("tear_easel")
    hand.settle()
    assert (
        window.rooms["look"].easel_panel.window()
        is window.rooms["look"].instruments.window()
        is window
    )
    column = window.rooms["look"].page.column
    order = [column.itemAt(i).widget() for i in range(column.count())]
    assert order == [
        window.rooms["look"].shots,
        window.rooms["look"].easel_panel,
        window.rooms["look"].instruments,
        window.rooms["look"].page.easel_gone,
    ]
    assert not window.rooms["look"].page.easel_gone.isVisible()


def test_the_picture_is_mapped_to_the_screen_and_says_so(demo, tmp_path: Path, ports) -> None:
    hand, window = demo, demo.window
    window.view.set(b="exact")
    window.rooms["look"].ledger.edits.view("encoding", "BT.2100 PQ")
    hand.settle()
    label = hand.find(QLabel, "readout.screen")
    assert label.text() == "mapped to sRGB"
    assert f"above {KNEE * 203:.0f} cd/m²" in label.toolTip()
    shown = hand.shown[-1]
    pq, srgb = encoding("BT.2100 PQ"), encoding("sRGB")
    code = path.through_view(hand.study, np.full((1, 3), 0.4, np.float32))
    grey = on_screen(code, pq, srgb)[0]
    assert np.abs(grey - srgb.encode(np.float32([0.18] * 3))).max() < 2e-3  # grey stays grey
    assert shown.on_screen[1].max() > 240 > 160 > shown.b.max()  # white is 58 % of PQ's codes
    hand.act("screen_plain")
    hand.settle()
    np.testing.assert_array_equal(hand.shown[-1].on_screen[1], hand.shown[-1].b)
    assert label.text() == ""
    # A profile of the screen's own; a file that is none is told.
    profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    assert screen_of(profile).name == "sRGB"
    wide = imagecodecs.cms_profile(
        "rgb",
        whitepoint=[0.3127, 0.329, 1.0],
        primaries=[0.68, 0.32, 1.0, 0.265, 0.69, 1.0, 0.15, 0.06, 1.0],
        gamma=1.8,
    )
    bright = np.random.default_rng(2).uniform(0.05, 0.8, (200, 3)).astype(np.float32)
    light = bright @ np.linalg.solve(encoding("P3-D65").to_xyz, encoding("BT.1886").to_xyz).T
    meant = np.clip(light, 0, 1) ** (1 / 1.8)
    code = encoding("BT.1886").encode(bright)
    assert np.abs(on_screen(code, encoding("BT.1886"), screen_of(wide)) - meant).max() < 4e-3
    ports.profile = tmp_path / "wide.icc"
    ports.profile.write_bytes(wide)
    hand.act("screen_profile")
    hand.settle()
    assert window.settings.get("screen") == str(ports.profile)
    assert label.text().startswith("mapped to ")
    ports.profile = tmp_path / "none.icc"
    ports.profile.write_bytes(b"no profile")
    hand.act("screen_profile")
    assert "profile" in hand.notices[-1]
    ports.profile = next(Path(__file__).parents[2].glob("demo/luts/*.icc"))
    hand.act("screen_profile")
    assert "RGB screen" in hand.notices[-1] or "cannot be used" in hand.notices[-1]


def test_a_picture_is_seen_as_elsewhere_without_changing_it(demo) -> None:
    hand, window = demo, demo.window
    window.view.set(b="exact", shot="portrait")
    hand.settle()
    label = hand.find(QLabel, "readout.screen")
    study, plain, said = hand.study, hand.shown[-1], label.text()
    display, srgb = encoding(study.view.encoding), encoding("sRGB")
    light = display.decode(as_float(plain.b)) / np.float32(display.reference)
    phone_and_room = []
    for action, surround in (("see_on_phone", PHONE), ("see_in_room", ROOM)):
        hand.act(action)
        window.strip.hide()  # which takes from the picture's height
        hand.settle()
        seen = hand.shown[-1]
        assert label.text() == f"on sRGB, {surround.title}"
        assert surround.title in hand.notices[-1]
        np.testing.assert_array_equal(seen.b, plain.b)  # what is measured and written
        # The luminance by BT.709, raised and scaled here by hand.
        veiled = (light + surround.veil) / (1 + surround.veil)
        luminance = (veiled @ np.float32([0.2126, 0.7152, 0.0722]))[..., None]
        wanted = srgb.encode(np.clip(veiled * luminance ** (surround.weight / 0.59 - 1), 0, 1))
        assert np.abs(seen.on_screen[1] - wanted * 255).mean() < 0.7
        phone_and_room.append(seen.on_screen[1])
    phone, room = phone_and_room
    assert np.percentile(phone, 1) > np.percentile(plain.on_screen[1], 1) + 8, (
        "a veil on the blacks"
    )
    assert np.median(room) > np.median(plain.on_screen[1]) + 4, "flatter"
    hand.act("see_in_room")
    hand.settle()
    np.testing.assert_array_equal(hand.shown[-1].on_screen[1], plain.on_screen[1])
    assert label.text() == said
    assert hand.study is study


def test_the_picture_of_every_room_is_seen_as_elsewhere_at_once(demo) -> None:
    rooms, sides = demo.window.rooms, []
    rooms["swatchbook"].model.seen.connect(sides.append)
    pictures = {
        "room_swatchbook": lambda: sides[-1][-1],
        "room_apply": lambda: rooms["apply"].paint_page._model.canvas.picture,
        "bench_monitor": lambda: rooms["bench"].monitors.shown.picture,
        "bench_engine": lambda: rooms["bench"].engine.sight.picture,
        "bench_filter": lambda: rooms["bench"].filter.sight.picture,
    }
    for action, picture in pictures.items():
        demo.act(action)
        if action == "room_apply":
            rooms["apply"].shots_page.table.setCurrentCell(1, 0)
            demo.click(demo.find(QPushButton, "apply.paint"))
        demo.settle()
        assert demo.sees_elsewhere(picture), action


def test_traces_of_another_shot_lie_under_in_grey_alone(qtbot) -> None:
    """Where both are drawn the pixel is no other colour than the two: a parade over the same in grey."""
    rng = np.random.default_rng(3)
    picture = np.asarray(rng.integers(40, 220, (90, 160, 3)), np.uint8)
    counts = scopes.counted("parade", picture)
    data, grey = scopes.drawn("parade", counts), scopes.drawn("parade", counts, reference=True)
    view = ScopeView("parade")
    qtbot.addWidget(view)
    view.resize(420, 260)
    seen = []
    for reference in (None, grey):
        view.show_data("parade", data, reference)
        image = view.grab().toImage().convertToFormat(QImage.Format.Format_RGB888)
        rows = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), -1)
        seen.append(rows[:, : 3 * image.width()].reshape(image.height(), -1, 3).astype(int))
    alone, both = seen
    assert (both >= alone - 1).all(), "what lies beside lightens, and takes nothing away"
    assert (both - alone).max() > 20
    assert (both <= np.maximum(alone, 152)).all()
