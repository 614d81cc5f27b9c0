"""Simulated monitors on disk: places and cards that survive what happens to them, takes, looks burnt in."""

from __future__ import annotations

import json
import shutil
import threading
from pathlib import Path

import attrs
import av
import numpy as np
import pytest
from conftest import DEMO, ROOT

from sfumato.core.bench.monitor import EMPTIES, MONITORS, RECORDING, Monitor, held, through_monitor
from sfumato.core.bench.signal import from_signal, to_signal
from sfumato.core.errors import ExportError, FormatError, MediaError, SfumatoError, StudyError
from sfumato.core.study.shot import Shot
from sfumato.media.parts.contract import as_float
from sfumato.work.bench import burnt, cards, devices, mounting, places, takes
from sfumato.work.bench.coding import coded
from sfumato.work.bench.devices import STATE, Rig
from sfumato.work.bench.feeds import feed_of, signal_of
from sfumato.work.bench.monitors import proof
from sfumato.work.cancel import Cancel, Cancelled
from sfumato.work.frames import Frames, open_still
from sfumato.work.stores.study_store import open_study

LOOK = ROOT / "demo" / "luts" / "low_tide_33.cube"
CLIP = Shot(str(ROOT / "demo" / "jetty.mov"), "jetty", "Tarn Log")
FRAMES = Frames()


@pytest.fixture
def rig(tmp_path: Path) -> Rig:
    """The stubborn device, with the look on its card under a name that it takes and one that it does not."""
    found, faults = devices.rigs(tmp_path / "bench")
    assert not faults
    assert [r.folder.name for r in found] == ["generous", "stubborn", "usual"]
    rig = found[1]
    assert rig.card is not None
    for name in ("LOWTIDE.cube", "low_tide.cube"):
        shutil.copy(LOOK, rig.card / name)
    return rig


def test_places_survive_are_moved_renamed_cleared_and_brought_back(rig: Rig) -> None:
    assert rig.card is not None
    rig, refused = places.load(rig, rig.card / "LOWTIDE.cube", 2)
    assert refused is None
    assert rig.state.chosen == 2
    again = devices.read_rig(rig.folder)  # switched off and on
    assert again.state == rig.state
    assert np.array_equal(
        places.ready(again, again.state.places[2]).kept.values,
        held(rig.monitor, places.ready(again, again.state.places[2]).transform.table).values,
    )
    rig = places.rename(places.move(rig, 2, 5), 5, "NIGHT")
    assert [i for i, p in enumerate(rig.state.places) if p] == [5]
    assert rig.state.places[5].name == "NIGHT"
    with pytest.raises(SfumatoError, match="no such name"):
        places.rename(rig, 5, "night")
    before, files = rig.state.places, places.held_files(rig)
    rig = places.clear(rig, 5)
    assert not any(rig.state.places)
    assert not list((rig.folder / "places").iterdir())
    rig = places.restored(rig, before, files)
    assert places.ready(rig, rig.state.places[5]).name == "NIGHT"


def test_a_refused_file_leaves_or_empties_the_place_and_is_written_right(rig: Rig) -> None:
    assert rig.card is not None
    assert rig.monitor.dislikes == EMPTIES
    rig, _ = places.load(rig, rig.card / "LOWTIDE.cube", 0)
    rig, refused = places.load(rig, rig.card / "low_tide.cube", 0)
    assert refused is not None
    assert refused.word == "BAD NAME"
    assert rig.state.places[0] is None
    usual = devices.read_rig(rig.folder.parent / "usual")
    usual, _ = places.load(usual, rig.card / "LOWTIDE.cube", 0)
    (rig.card / "broken.cube").write_bytes(LOOK.read_bytes()[:3000])
    usual, refused = places.load(usual, rig.card / "broken.cube", 0)
    assert refused is not None
    assert refused.word == "FILE ERROR"
    assert usual.state.places[0] is not None
    small = rig.card / "small.3dl"
    shutil.copy(ROOT / "demo" / "luts" / "monitor_a.3dl", small)
    states = {f.file.name: f.says[0] for f in cards.on_card(rig)}
    assert states == {
        "LOWTIDE.cube": "can be loaded",
        "broken.cube": "name refused",
        "low_tide.cube": "name refused",
        "small.3dl": "name refused",
    }
    for name in ("low_tide.cube", "small.3dl"):
        made = cards.written_right(rig, rig.card / name)
        rig, refused = places.load(rig, made.place, 1)
        assert refused is None, refused
    with pytest.raises(FormatError):
        cards.written_right(rig, rig.card / "broken.cube")


def test_two_windows_on_one_device_lose_nothing_of_each_others(rig: Rig) -> None:
    assert rig.card is not None
    card = rig.card
    for i in range(8):
        shutil.copy(LOOK, card / f"L{i}.cube")
    old = [devices.read_rig(rig.folder) for _ in range(8)]  # all as they were before
    threads = [
        threading.Thread(target=places.load, args=(old[i], card / f"L{i}.cube", i))
        for i in range(8)
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    now = devices.read_rig(rig.folder)
    assert [p.name for p in now.state.places] == [f"L{i}" for i in range(8)]
    for place in now.state.places:
        places.ready(now, place)


@pytest.mark.parametrize(
    "damage",
    [
        b"",
        b"[]",
        b'{"places": 3}',
        b'{"places": [{}]}',
        b'{"places": [{"name": "X", "file": "../../etc/passwd"}]}',
        b'{"chosen": 99}',
        b'{"line": NaN}',
        b'{"use": "x"}',
        b'{"card": 5}',
        b'{"run": 1e999}',
        b"\xff\xfe",
        b'{"zebra": [1]}',
    ],
)
def test_a_damaged_device_is_told_and_harms_no_other(rig: Rig, damage: bytes) -> None:
    (rig.folder / STATE).write_bytes(damage)
    with pytest.raises(StudyError):
        devices.read_rig(rig.folder)
    found, faults = devices.rigs(rig.folder.parent)
    assert [r.folder.name for r in found] == ["generous", "usual"]
    assert len(faults) == 1
    assert STATE in str(faults[0])


def test_devices_of_ones_own(rig: Rig) -> None:
    root = rig.folder.parent
    own = devices.added(root, Monitor(title="Zwo Plätze", places=2, cube="17", codec="FFV1"))
    assert own.folder.name not in MONITORS
    after = devices.changed_record(own, attrs.evolve(own.monitor, places=1))
    assert len(after.state.places) == 1
    carried = root.parent / "elsewhere" / "carried"
    shutil.copytree(own.folder, carried)
    assert devices.read_rig(carried).monitor.title == "Zwo Plätze"
    with pytest.raises(ExportError):
        devices.changed_record(rig, rig.monitor)


# --- takes ---------------------------------------------------------------------------------------
def recorded(rig: Rig, count: int = 6, ends=None, **more) -> takes.Recorded:
    feed = feed_of(CLIP, FRAMES)
    lut = places.ready(rig, rig.place) if rig.place is not None else None
    stop = ends or (lambda n: "" if n >= count else None)
    return takes.record(rig, feed, lambda n: signal_of(feed, n, FRAMES), lut, stop, **more)


@pytest.mark.parametrize("codec", ["ProRes", "FFV1"])
def test_takes_hold_the_signal_with_timecode_and_a_note(rig: Rig, codec: str) -> None:
    assert rig.card is not None
    own = devices.added(rig.folder.parent, Monitor(title="R", codec=codec, cube="33"))
    own, _ = places.load(own, rig.card / "LOWTIDE.cube", 0)
    natural = recorded(own)
    own = devices.with_state(devices.read_rig(own.folder), use=RECORDING)
    graded = recorded(own)
    assert natural.on_card
    assert (natural.take.look, natural.take.encoding) == ("", "Tarn Log")
    assert (graded.take.look, graded.take.encoding) == ("LOWTIDE", "BT.1886")
    assert takes.take_of(graded.file) == graded.take
    assert (natural.take.timecode, graded.take.timecode) == ("01:00:00:00", "01:00:00:06")
    with av.open(str(natural.file)) as clip:
        stream = clip.streams.video[0]
        held_in = {
            k.lower(): v for s in (stream, *clip.streams.data, clip) for k, v in s.metadata.items()
        }
        assert held_in["timecode"].startswith("01:00:00:00")
        assert stream.codec_context.pix_fmt == "yuv422p10le"
        assert sum(1 for _ in clip.decode(stream)) == 6
    feed = feed_of(CLIP, FRAMES)
    sent = signal_of(feed, 3, FRAMES)
    table = places.ready(own, own.place).kept
    for made, wanted in ((natural, sent), (graded, through_monitor(own.monitor, table, sent))):
        rgb = as_float(open_still(made.file, 3).pixels)
        off = np.abs(rgb - from_signal(coded(wanted, codec)))
        assert off.mean() < (1e-5 if codec == "FFV1" else 1e-3)
    found = proof(
        own.monitor,
        places.ready(own, own.place).transform,
        from_signal(sent).clip(0, 1),
        recorded=True,
    )
    shares = dict(found.shares)
    assert list(shares) == ["interpolation", "lattice", "bits", "sampling", "codec"]
    assert abs(shares["codec"]) < 1e-4 if codec == "FFV1" else shares["codec"] > 0.01
    assert sum(shares.values()) == pytest.approx(found.off.mean, abs=1e-3)


def test_a_card_that_is_pulled_or_full_and_a_device_switched_off_cost_no_take(
    rig: Rig, tmp_path
) -> None:
    assert rig.card is not None
    card, away = rig.card, tmp_path / "pocket"

    def pulled(number: int) -> str | None:
        if number == 13:
            card.rename(away)
        return "" if number > 40 else None

    found = recorded(rig, ends=pulled)
    assert not found.on_card
    assert "pulled" in found.take.ended
    assert 13 <= found.take.frames <= 24
    assert takes.take_of(found.file) == found.take
    rig = mounting.mount(devices.read_rig(rig.folder), away)  # it comes back: the take goes onto it
    assert (away / found.file.name).is_file()
    assert not list((rig.folder / "buffer").glob("TAKE*"))

    small = devices.added(rig.folder.parent, Monitor(title="S", card_mb=4.0))
    full = recorded(small, ends=lambda n: "" if n > 200 else None)
    assert "full" in full.take.ended
    assert full.take.frames < 60
    assert sum(1 for _ in av.open(str(full.file)).decode(video=0)) == full.take.frames
    with pytest.raises(MediaError, match="card is full"):
        recorded(small)
    full.file.unlink()
    off = recorded(small, ends=lambda n: "the device was switched off" if n == 5 else None)
    assert off.take.frames == 5
    assert "switched off" in off.take.ended
    assert mounting.copied_onto(small, LOOK).name == LOOK.name
    tiny = devices.added(rig.folder.parent, Monitor(title="T", card_mb=1.0))
    with pytest.raises(ExportError, match="card is full"):
        mounting.copied_onto(tiny, LOOK)
    tiny.card.rename(tmp_path / "gone")
    with pytest.raises(ExportError, match="pulled"):
        mounting.copied_onto(tiny, LOOK)
    assert not list((tmp_path / "gone").iterdir())
    before = sorted(p.name for p in small.folder.rglob("*"))
    stop = Cancel()
    with pytest.raises(Cancelled):
        recorded(small, ends=lambda n: stop.set() if n == 4 else None, cancel=stop)
    with pytest.raises(MediaError, match="nothing was recorded"):
        recorded(small, ends=lambda _n: "")
    assert sorted(p.name for p in small.folder.rglob("*")) == before


def test_notes_of_takes_are_read_with_care(tmp_path: Path) -> None:
    clip = tmp_path / "a.mov"
    note = takes.note_of(clip)
    good = {"sfumato take": 1, **attrs.asdict(takes.Take("d", "s", "L", "Tarn Log", "t", 3))}
    note.write_text(json.dumps(good))
    assert takes.take_of(clip).look == "L"
    for name, value in (
        ("frames", -1),
        ("look", 5),
        ("encoding", "x" * 400),
        ("rate", True),
        ("device", None),
    ):
        note.write_text(json.dumps({**good, name: value}))
        assert takes.take_of(clip) is None
    note.write_text(json.dumps({**good, "encoding": "of another world"}))
    assert takes.take_of(clip).encoding == ""
    note.write_bytes(b"\xff{")
    assert takes.take_of(clip) is None


def test_a_look_that_is_burnt_in_is_told_by_another_shot_of_the_scene(rig: Rig) -> None:
    study = open_study(DEMO)
    table = held(MONITORS["usual"], study.bake(33, ("Tarn Log", study.view.encoding)).table)
    natural = attrs.evolve(CLIP, frame=20)
    rgb = as_float(FRAMES.still(natural).pixels)
    seen = from_signal(through_monitor(MONITORS["usual"], table, to_signal(rgb)))
    from PIL import Image

    file = rig.folder / "burnt.png"
    Image.fromarray(np.asarray(np.clip(seen, 0, 1) * 255 + 0.5, np.uint8)).save(file)
    shot = Shot(str(file), "burnt", None)
    with_scene = study.brought_in((natural,))
    found = burnt.carried(shot, with_scene, FRAMES, Cancel())
    assert found is not None
    assert (found.look, found.of) == (study.look.name, "jetty")
    assert found.with_look < 1.0 < found.without
    for other in (*study.shots, natural):  # no shot that carries nothing is accused
        assert burnt.carried(other, with_scene, FRAMES, Cancel()) is None
    plain = attrs.evolve(with_scene, look=attrs.evolve(study.look, coats=()))
    assert burnt.carried(shot, plain, FRAMES, Cancel()) is None


def test_send_writes_to_a_device_and_accord_measures_through_it(rig: Rig, monkeypatch) -> None:
    from sfumato.work.outlets.engines import engine_for
    from sfumato.work.outlets.looks import of_study
    from sfumato.work.outlets.order import suited
    from sfumato.work.outlets.sending import send

    study, outlet = open_study(DEMO), cards.outlet_for(rig)
    row, _look = next(iter(send([of_study(study)], [outlet], FRAMES, "2026-01-02")))
    assert row.files[0].parent == rig.card.resolve()
    rig, refused = places.load(rig, row.files[0], 0)
    assert refused is None
    monkeypatch.setattr(devices, "library", lambda: rig.folder.parent)
    engine = engine_for(outlet, row.files, suited(study, outlet))
    assert engine.says == "Stubborn monitor · on the Bench"
    assert not engine.is_real
    flat = np.random.default_rng(3).random((400, 3)).astype(np.float32)
    whole = np.repeat(flat[:, None], 4, 1)  # of one colour along a line, 4:2:2 loses nothing
    kept = places.ready(rig, rig.place).kept
    wanted = from_signal(through_monitor(rig.monitor, kept, to_signal(whole)))[:, 1]
    assert np.abs(np.clip(engine.apply(flat), 0, 1) - np.clip(wanted, 0, 1)).max() < 2 / 876
    gone = attrs.evolve(outlet, bench="no such device")
    with pytest.raises(SfumatoError, match="no such device"):
        engine_for(gone, row.files, study)
