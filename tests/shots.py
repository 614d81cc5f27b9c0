"""Pictures of the main views on the demo study, 1280 x 800, into docs/screenshots: `./dev shots`."""

from __future__ import annotations

import os
import shutil
import sys
import tempfile
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
ROOT = Path(__file__).resolve().parents[1]
TARGET = ROOT / "docs" / "screenshots"


def main() -> None:
    folder = Path(tempfile.mkdtemp())
    os.environ["XDG_STATE_HOME"] = str(folder / "state")
    os.environ["XDG_DATA_HOME"] = str(folder / "data")
    os.environ["HOME"] = str(folder)
    import attrs
    import numpy as np
    from PIL import Image, ImageFilter
    from PySide6.QtCore import QEventLoop, QTimer
    from PySide6.QtGui import QPainter

    from sfumato.app import theme
    from sfumato.app.controls.curve_field import CurveField
    from sfumato.app.main import application
    from sfumato.app.services.settings import Settings
    from sfumato.app.window.main_window import MainWindow
    from sfumato.core.study.study import Study
    from sfumato.raster import tiff
    from sfumato.work.bench import devices
    from sfumato.work.bench.engines import Look
    from sfumato.work.bench.places import load
    from sfumato.work.files import write_bytes
    from sfumato.work.luts.deliver import write_lut
    from sfumato.work.stores import presets
    from sfumato.work.stores.study_store import demo_study
    from sfumato.work.trip.returns import read_return
    from sfumato.work.warm import choose_cache

    choose_cache()
    app = application()
    theme.install(app)
    window = MainWindow(Settings(folder / "s.ini"), demo=demo_study())
    window.resize(1280, 800)
    window.show()

    def settle() -> None:
        quiet = 0
        while quiet < 4:
            loop = QEventLoop()
            QTimer.singleShot(40, loop.quit)
            loop.exec()
            quiet = 0 if window.is_busy else quiet + 1

    def pause(ms: int) -> None:
        loop = QEventLoop()
        QTimer.singleShot(ms, loop.quit)
        loop.exec()

    def shot(name: str) -> None:
        settle()
        TARGET.mkdir(parents=True, exist_ok=True)
        window.grab().save(str(TARGET / f"{name}.png"))
        print(f"docs/screenshots/{name}.png")

    def look(**values: object) -> None:
        window.view.set(**values)

    def study_with(name: str) -> Study:
        """Return the study with a look that ships in the place of its own."""
        look = presets.read_preset(presets.shipped_folder() / f"{name}.look").as_look()
        return attrs.evolve(window.model.study, look=look)

    shot("first_run")
    window.files.open_demo()
    settle()
    panel = window.rooms["look"].easel_panel
    look(shot="sill", mode="split", a="ground", b="lut", coat="l-curves")
    look(instruments=("parade", "neutral"))
    settle()
    window.findChild(CurveField, "curve").choose(1)
    panel._on_hovered(812, 344)
    shot("look_split")
    from sfumato.core.colour.user_encoding import Gamut, LogCurve, UserEncoding
    from sfumato.core.measure.scopes import Band

    window.encodings.open_encodings()
    editor = window.encodings.sheet
    tarn = LogCurve(2.0, 5.0, 0.06, 0.0779, 0.40459)
    own = Gamut("by numbers", 0.72, 0.285, 0.185, 0.86, 0.115, -0.025)
    editor.take(UserEncoding("Harbour Log", "the maker's paper", curve=tarn, gamut=own))
    settle()
    editor.grab().save(str(TARGET / "encodings.png"))
    editor.close()
    look(coat="", shot="sill", mode="one", instruments=("cloud", "loss", "oklab", "waveform"))
    look(limits=True, scope_unit="stops", band=Band("luma", (0.62,), (0.72,)))
    window.rooms["look"].view_edits.tear_instruments()
    settle()
    panel._on_hovered(812, 344)
    settle()
    window.rooms["look"].view_edits.torn.windows["instruments"].grab().save(
        str(TARGET / "instruments.png")
    )
    window.rooms["look"].view_edits.tear_instruments()
    look(limits=False, scope_unit="percent", band=None)
    panel._clear_readout()
    look(coat="", shot="jetty", mode="all", instruments=("parade", "vectorscope"))
    window.rooms["look"].shot_edits.bring_in_files([ROOT / "demo" / "causeway.mov"])
    settle()
    look(mode="one")
    window.rooms["look"].ledger.edits.encoding(window.desk.shot.id, "Tarn Log")
    settle()
    window.strip.hide()
    window.rooms["look"].shot_edits.set_range(6, 41)
    window.rooms["look"].shot_edits.set_frame(30)
    window.rooms["look"].shot_edits.frames_released()
    shot("clip")
    while window.model.undo_stack.undoText() != "Bring in causeway":
        window.undo()
    window.undo()
    settle()
    # A page in inks, as it is printed: the sheet of the press over the window.
    shutil.copy(ROOT / "demo" / "poster.tif", folder / "poster.tif")
    window.rooms["look"].shot_edits.bring_in_files([folder / "poster.tif"])
    settle()
    look(shot=window.model.study.shots[-1].id, mode="split", a="exact")
    window.actions_table.run("show_printed")
    printing = attrs.evolve(window.model.study.printing, ink_limit=230.0)
    window.model.commit("Ink limit", attrs.evolve(window.model.study, printing=printing))
    look(instruments=("lab", "inks"), clipping=True, split=0.42)
    settle()
    sheet = window.rooms["look"].prints.sheet
    whole = window.grab()
    painter = QPainter(whole)
    painter.drawPixmap(900, 150, sheet.grab())
    painter.end()
    whole.save(str(TARGET / "print.png"))
    print("docs/screenshots/print.png")
    sheet.close()
    look(clipping=False, b="lut", instruments=("parade", "vectorscope"))
    for _ in range(2):
        window.undo()
    settle()
    book = window.rooms["swatchbook"].model
    window.rooms["swatchbook"].edits.add_folders(
        [ROOT / "sfumato" / "looks", ROOT / "demo" / "luts"]
    )
    look(shot="causeway", room="swatchbook")
    window.strip.hide()

    def rest() -> None:
        settle()
        while book.is_busy:
            settle()

    rest()
    named = {book.name(s): s for s in book.swatches}
    for name in ("Lamp oil", "Morning print"):
        book.set_remark(named[name], mark="kept")
    book.set_remark(named["Lamp oil"], note="for the dusk scenes, back it off indoors")
    book.choose(named["Cobalt hour"])
    book.hold()
    book.choose(named["Lamp oil"])
    book.set_share(0.3)
    book.show(order="warmth")
    rest()
    shot("swatchbook")
    book.files.undo_stack.setClean()
    look(room="look")
    window.rooms["look"].shot_edits.bring_in_files([ROOT / "demo" / "furnace.mov"])
    settle()
    window.rooms["look"].ledger.edits.encoding(window.model.study.shots[-1].id, "Tarn Log")
    look(room="apply")
    room, place = window.rooms["apply"].shots_page, window.rooms["apply"].shots_page.settings.folder
    place.setText(str(folder / "results"))
    rest()
    room.apply.click()
    state = room.table.item(len(window.model.study.shots) - 1, 3)
    for _ in range(3000):
        pause(10)
        state = room.table.item(len(window.model.study.shots) - 1, 3)
        if "frames" in state.text() and not state.text().startswith("0 %"):
            break
    window.strip.hide()
    place.blockSignals(True)
    place.setText("~/saltglass/results")
    pause(30)
    window.grab().save(str(TARGET / "apply.png"))
    print("docs/screenshots/apply.png")
    settle()
    room.table.setCurrentCell(1, 0)
    window.rooms["apply"].paint_edits.paint_still()
    paint = window.rooms["apply"].paint_model

    def at_rest() -> None:
        settle()
        while window.rooms["apply"].paint_edits.is_busy:
            settle()

    def stroke(size: float, *points: tuple[float, float]) -> None:
        paint.set_brush(attrs.evolve(paint.brush, size=size))
        paint.begin(*points[0], 1.0)
        for x, y in points[1:]:
            paint.move(x, y, 1.0)
        paint.end()
        at_rest()

    at_rest()
    window.rooms["apply"].paint_edits.add_layers([ROOT / "demo" / "luts" / "low_tide_33.cube"])
    at_rest()
    paint.set_coat("Strength", strength=0.7)
    stroke(9.0, (0.36, 0.47), (0.4, 0.43), (0.46, 0.5), (0.44, 0.66), (0.36, 0.66), (0.36, 0.47))
    paint.choose(0)
    paint.fill(False)
    at_rest()
    stroke(16.0, (0.05, 0.62), (0.3, 0.6), (0.6, 0.66), (0.95, 0.62), (0.9, 0.8), (0.1, 0.84))
    window.rooms["apply"].paint_page.show_mask.setChecked(True)
    window.strip.hide()
    shot("paint")
    while window.model.undo_stack.canUndo():
        window.undo()
    at_rest()
    # Carriers go out, and stand-ins for other programs send them back: graded, and more than that.
    trips = folder / "saltglass" / "trips"
    trips.mkdir(parents=True)
    look(shot="sill", room="trip")
    settle()
    room = window.rooms["trip"]

    def send(kind: str, name: str) -> Path:
        form = room.carriers.form
        form.to.setCurrentText(kind)
        form.to.activated.emit(form.to.currentIndex())
        settle()
        order = form.order()
        assert order is not None
        room.edits.send_to(order, trips / name)
        settle()
        return trips / name

    def graded(codes: np.ndarray) -> np.ndarray:
        warm = np.clip(codes, 0, 1) ** np.array([0.92, 1.0, 1.12])
        return np.clip(warm * 1.12 - 0.12 * warm.mean(-1, keepdims=True) + 0.01, 0, 1)

    def back(sent: Path, name: str, darker: float = 0.0) -> None:
        codes = graded(read_return(sent).pixels)
        y, x = np.mgrid[: codes.shape[0], : codes.shape[1]]
        far = (x / codes.shape[1] - 0.5) ** 2 + (y / codes.shape[0] - 0.5) ** 2
        codes = codes * (1 - darker * far)[..., None]
        write_bytes(trips / name, tiff.encode((codes * 65535 + 0.5).astype(np.uint16)))

    neutral = send("photo editor that opens TIFF and JPEG only", "neutral for May.tif")
    send("phone filter: tiles", "sill for the phone.jpg")
    framed = send("editing program: frame and strip", "sill with tiles.png")
    window.strip.hide()
    back(framed, "sill with tiles graded.tif", 0.3)
    picture = Image.fromarray((graded(read_return(neutral).pixels) * 255 + 0.5).astype(np.uint8))
    sharp = picture.filter(ImageFilter.UnsharpMask(1, 80, 0))
    sharp.save(folder / "x.png")
    os.replace(folder / "x.png", trips / "neutral for May, dusk.png")
    settle()
    journeys = room.model.study.journeys
    room.model.choose(next(j.id for j in journeys if j.name == "neutral for May"))
    settle()
    window.strip.hide()
    shot("trip_back")
    while window.model.undo_stack.canUndo():
        window.undo()
    at_rest()
    # A look out of a picture and its original, after a reference, and shots brought to one.
    pairs = folder / "saltglass" / "stills"
    pairs.mkdir(parents=True)
    original = Image.open(ROOT / "demo" / "previews" / "causeway.png").convert("RGB")
    original.save(pairs / "causeway.png")
    pixels = (graded(np.asarray(original) / 255) ** 1.15 * 255 + 0.5).astype(np.uint8)
    pixels[40:110, 60:360] = (236, 226, 204)  # a caption
    Image.fromarray(pixels).save(pairs / "causeway, dusk.jpg", quality=92)
    look(shot="causeway")
    room.show_page("Borrow")
    room.loan_edits.take([pairs / "causeway.png", pairs / "causeway, dusk.jpg"])
    settle()
    window.strip.hide()
    shot("borrow_pair")
    look(shot="portrait")
    room.loans.edit("A reference", mode="reference")
    room.loan_edits.take([ROOT / "demo" / "previews" / "causeway.png"])
    settle()
    room.loan_edits.tie_part((0.62, 0.02, 0.98, 0.25), (0.6, 0.02, 0.98, 0.3))
    room.loan_edits.tie_colour((0.8, 0.7), (0.1, 0.5))
    settle()
    window.strip.hide()
    shot("borrow_reference")
    while window.model.undo_stack.canUndo():
        window.undo()
    room.show_page("Carriers")
    at_rest()
    from sfumato.core.study.coat import new_coat

    study = window.model.study
    portrait = study.shot("portrait")
    odd = [
        attrs.evolve(
            portrait,
            id=f"take {i}",
            name=f"take {i}",
            ground=(
                new_coat("exposure", stops=stops),
                new_coat("white_balance", temperature=mired),
            ),
        )
        for i, (stops, mired) in enumerate(((1.1, 60.0), (-1.2, -40.0), (0.4, -90.0)), 2)
    ]
    shots = (*study.shots, *odd)
    window.model.commit("More takes", attrs.evolve(study, shots=shots))
    look(room="look", shot="portrait", marked_shots=tuple(s.id for s in odd), mode="all")
    settle()
    window.actions_table.run("match_marked")
    settle()
    shot("shots_matched")
    while window.model.undo_stack.canUndo():
        window.undo()
    at_rest()
    # One look at nine outlets, one of whose folders is a card that was taken out.
    from sfumato.work.outlets.templates import TEMPLATES

    places = {
        "editing33": "luts/edit",
        "photo_hald": "photo",
        "monitor33": "CARD_A",
        "engine32": "game/art",
        "phone512": "filter",
        "pipeline_clf": "show/luts",
        "shader_glsl": "game/shaders",
        "ocio_config": "show/ocio",
        "print_abstract": "CARD_B/print",
    }
    outlets = []
    for key, place in places.items():
        there = folder / "saltglass" / place
        if not place.startswith("CARD_B"):
            there.mkdir(parents=True)
        outlets.append(attrs.evolve(TEMPLATES[key], folder=str(there)))
    study = attrs.evolve(window.model.study, outlets=tuple(outlets))
    window.model.commit("Outlets", study)
    look(shot="sill", room="send")
    settle()
    sending = window.rooms["send"]
    sending.edits.send_all()
    settle()
    window.strip.hide()
    shot("send_results")
    sending.edits.send_accord()
    settle()
    sending.page.accord.show_pair(3, 2)
    window.strip.hide()
    shot("send_accord")
    while window.model.undo_stack.canUndo():
        window.undo()
    at_rest()
    look(shot="sill", room="convert")
    window.strip.hide()
    luts = ROOT / "demo" / "luts"
    window.rooms["convert"].edits.add_demo_luts()
    settle()
    bench = window.rooms["convert"].model
    bench.choose(luts / "returned_hald8.png")
    bench.commit("Folder", attrs.evolve(bench.bench, folder=str(folder / "out")))
    settle()
    window.rooms["convert"].page.targets.folder.setText("~/saltglass/out")
    shot("convert_assay")
    # The Bench: the jetty in a stubborn monitor, a walk through two zones, a filter on a phone.
    look(shot="jetty", room="bench")
    settle()
    room = window.rooms["bench"]
    room.card_edits.bench_send()
    settle()
    monitors = room.monitors
    rig = monitors.rig
    shutil.copy(rig.card / "LOW_TIDE.cube", rig.card / "low_tide_night.cube")
    shutil.copy(luts / "pack_017.cube", rig.card / "SALTDAY.cube")
    cold = study_with("cobalt_hour")
    write_lut(
        cold.bake(33, (cold.working, cold.view.encoding)), rig.card / "COLDKILN.cube", format="cube"
    )
    grey = study_with("graphite")
    write_lut(
        grey.bake(33, (grey.working, grey.view.encoding)), rig.card / "GRAPHITE.cube", format="cube"
    )
    for place, name in enumerate(("LOW_TIDE", "COLDKILN", "", "GRAPHITE")):
        if name:
            monitors.take(load(monitors.rig, rig.card / f"{name}.cube", place)[0])
    monitors.take(devices.with_state(monitors.rig, chosen=2))
    settle()
    monitors.choose_file("low_tide_night.cube")
    room.monitor_edits.bench_load()
    settle()
    monitors.take(devices.with_state(monitors.rig, chosen=0, use="half"))
    window.strip.hide()
    shot("bench_monitor")
    room.bench_engine()
    settle()
    engine = room.engine
    engine.set_look(1, Look(luts / "salt_day.ktx2"))
    engine.clock.go_to(31)
    settle()
    engine.edit_import("srgb", True)
    settle()
    Image.fromarray(engine.sight.drawn.codes).save(folder / "level 3.png")
    engine.look_into(folder / "level 3.png")
    settle()
    window.strip.hide()
    shot("bench_engine")
    room.bench_filter()
    settle()
    room.filter.set(file_kind="JPEG", quality=80)
    window.strip.hide()
    shot("bench_filter")
    window.model.undo_stack.setClean()
    window.close()


if __name__ == "__main__":
    sys.exit(main())
