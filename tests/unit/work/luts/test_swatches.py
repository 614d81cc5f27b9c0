"""Looks in folders: which are found, what is known of them, and what the cache gives back."""

from __future__ import annotations

import shutil
from pathlib import Path

import attrs
import numpy as np
import pytest
from PIL import Image

import sfumato
from sfumato.core.colour import span_note
from sfumato.core.lut.table import Table1D, Table3D, lattice_colours
from sfumato.core.lut.transform import Transform
from sfumato.core.study.study import Study
from sfumato.work.luts import swatches
from sfumato.work.luts.deliver import deliver
from sfumato.work.luts.swatches import Cache, Swatchbook, misfit, scan, takes
from sfumato.work.luts.target import Target

LOOKS = Path(sfumato.__file__).parent / "looks"


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    """Looks of several kinds, and files that are none."""
    place = tmp_path / "looks"
    (place / "deep").mkdir(parents=True)
    nodes = lattice_colours(9)
    warm = Transform((Table3D(nodes * np.float32([1.0, 0.9, 0.7])),), "Warm")
    said = attrs.evolve(warm, comments=(span_note.written("Tarn Log", "BT.1886"),))
    deliver(warm, Target("cube"), place / "warm.cube")
    deliver(said, Target("cube"), place / "deep" / "stated.cube")
    ramp = np.repeat(np.linspace(0, 1, 32, dtype=np.float32)[:, None] ** 0.5, 3, axis=1)
    deliver(Transform((Table1D(ramp),)), Target("spi1d"), place / "curve.spi1d")
    shutil.copy(next(LOOKS.rglob("*.look")), place / "shipped.look")
    (place / "broken.cube").write_text("LUT_3D_SIZE nine\n")
    (place / "picture.png").write_bytes(b"\x89PNG")
    (place / ".hidden.cube").write_bytes((place / "warm.cube").read_bytes())
    return place


def test_looks_are_found_in_folders_below_and_nothing_else(folder: Path) -> None:
    found = scan([folder, folder / "deep"])
    assert sorted(s.file.name for s in found) == [
        "broken.cube",
        "curve.spi1d",
        "shipped.look",
        "stated.cube",
        "warm.cube",
    ]
    assert not takes(Path("a.png"))
    assert takes(Path("a.glaze"))
    warm = next(s for s in found if s.file.name == "warm.cube")
    warm.file.write_text(warm.file.read_text() + "\n")
    assert next(s for s in scan([folder]) if s.file == warm.file).key != warm.key


def test_a_second_scan_opens_only_what_has_changed(folder: Path, monkeypatch) -> None:
    strip = folder / "strip.png"
    Image.new("RGB", (64, 8)).save(strip)
    assert strip in {s.file for s in scan([folder])}
    opened: list[Path] = []
    read = swatches.Image.open
    monkeypatch.setattr(swatches.Image, "open", lambda f: opened.append(f) or read(f))
    assert strip in {s.file for s in scan([folder])}
    assert not opened
    Image.new("RGB", (60, 60)).save(strip)  # of that size it is a photograph
    assert strip not in {s.file for s in scan([folder])}
    assert opened == [strip]
    strip.unlink()
    Image.new("RGB", (64, 8)).save(folder / "strip.png")
    assert strip in {s.file for s in scan([folder])}


def test_facts_come_back_from_the_cache_as_they_were(folder: Path, tmp_path: Path) -> None:
    file = tmp_path / "cache" / "swatches.sqlite"
    book = Swatchbook(Cache(file))
    swatches = {s.file.name: s for s in scan([folder])}
    facts = {name: book.facts(s) for name, s in swatches.items()}
    assert (facts["warm.cube"].title, facts["warm.cube"].grid) == ("Warm", 9)
    assert facts["warm.cube"].character.warmth > 0
    assert (facts["stated.cube"].expects, facts["stated.cube"].gives) == ("Tarn Log", "BT.1886")
    assert facts["stated.cube"].log is True
    assert facts["curve.spi1d"].kind.startswith("1D LUT of 32")
    assert facts["shipped.look"].kind == "look"
    assert "broken.cube" in facts["broken.cube"].fault
    assert facts["broken.cube"].character is None
    book.cache.put_facts({swatches[n].key: f for n, f in facts.items()})
    picture = np.full((20, 30, 3), (200, 90, 40), np.uint8)
    book.cache.put_tiles({"tile": picture})
    book.cache.close()

    again = Cache(file)
    known = again.facts([s.key for s in swatches.values()])
    for name, swatch in swatches.items():
        then, now = facts[name], known[swatch.key]
        assert attrs.evolve(now, character=None) == attrs.evolve(then, character=None)
        if then.character is not None:
            for field in ("warmth", "contrast", "colourfulness", "darkness"):
                assert getattr(now.character, field) == getattr(then.character, field)
            np.testing.assert_allclose(now.character.places, then.character.places, atol=1e-6)
    assert np.abs(again.tiles(["tile"])["tile"].astype(int) - picture).max() <= 3
    assert again.facts(["nobody"]) == again.tiles(["nobody"]) == {}
    again.close()
    file.write_bytes(b"no database" * 100)
    anew = Cache(file)
    assert anew.facts([swatches["warm.cube"].key]) == {}
    anew.close()


def test_what_does_not_fit_a_study_is_said(folder: Path) -> None:
    book = Swatchbook(Cache(folder / "c.sqlite"))
    facts = {s.file.name: book.facts(s) for s in scan([folder])}
    log, shown = Study(working="Tarn Log"), Study(working="sRGB")
    assert misfit(facts["stated.cube"], log) == ""
    assert misfit(facts["stated.cube"], shown) == "expects Tarn Log"
    assert misfit(facts["broken.cube"], log) == ""
    look = facts["shipped.look"]
    other = shown if look.made_for == "log" else log
    assert misfit(look, other) == f"made for {look.made_for}"
    assert misfit(facts["warm.cube"], shown, ("Tarn Log", "BT.1886")) == "expects Tarn Log"
    book.cache.close()
