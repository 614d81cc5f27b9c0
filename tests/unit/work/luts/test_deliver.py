"""A file is called proved only when its nodes are exact and every reader's result is tolerable."""

from __future__ import annotations

from pathlib import Path

import attrs
import numpy as np
import pytest

import sfumato
from sfumato.core.errors import ExportError, ValueRefused
from sfumato.core.lut.table import Table1D, Table3D, lattice_colours
from sfumato.core.lut.transform import Function, Transform
from sfumato.formats.parts import registry
from sfumato.formats.parts.contract import WriteOptions
from sfumato.work.cancel import Cancel, Cancelled
from sfumato.work.luts import deliver as way_out
from sfumato.work.luts import readers, reading
from sfumato.work.luts.deliver import (
    LEAVE,
    REPLACE,
    VERSION,
    Delivered,
    Reading,
    cube_judge,
    deliver,
    free_place,
)
from sfumato.work.luts.target import Target

BENT = Transform((Table3D(lattice_colours(17) ** np.float32(1.4)),), title="bent")


def written(place: Path, **more) -> Delivered:
    made = deliver(BENT, Target("cube"), place, judge=cube_judge(BENT), **more)
    assert made is not None
    return made


def test_proved_asks_for_exact_nodes_and_close_readers(tmp_path: Path) -> None:
    good = written(tmp_path / "good.cube", second=True)
    assert good.proved
    assert good.second is not None
    assert good.second.reader == "FFmpeg"
    assert len(good.losses) == 2
    bad = cube_judge(BENT)(lambda rgb: np.asarray(rgb, np.float32))
    assert not bad.is_close
    assert bad.main.p99 > 1
    assert not attrs.evolve(good, off=1e-6).proved  # text as floats keeps every bit
    whole = deliver(BENT, Target("3dl", depth="12"), tmp_path / "good.3dl")
    step = whole.target.quantum
    assert 0 < whole.off <= step * 1.01
    assert attrs.evolve(whole, off=step).proved
    assert not attrs.evolve(whole, off=2 * step).proved
    assert not attrs.evolve(good, off=float("inf")).proved
    assert not attrs.evolve(good, own=bad).proved
    assert not attrs.evolve(good, second=Reading("FFmpeg", bad)).proved
    assert attrs.evolve(good, second=Reading("nobody", None, "does not read it")).proved
    assert attrs.evolve(good, second=Reading("FFmpeg", bad)).worst == bad.main.worst


@pytest.mark.parametrize(
    "fault",
    [
        lambda v: v[..., ::-1],
        lambda v: np.swapaxes(v, 0, 2),
        lambda v: v[:9, :9, :9],
        lambda v: np.where(np.arange(v.size).reshape(v.shape) == 77, v + 0.001, v),
    ],
    ids=["channels", "axes", "grid", "one number"],
)
def test_a_writer_that_errs_is_found_out(fault, tmp_path: Path, monkeypatch) -> None:
    """Whatever a format's writer gets wrong shows in the file that is read back."""
    spec = registry.formats()["cube"]
    wrong = Transform((Table3D(np.ascontiguousarray(fault(BENT.table.values))),))
    data = spec.write(wrong, WriteOptions())
    monkeypatch.setattr(way_out, "encoded", lambda *_args: (data, ()))
    made = written(tmp_path / "wrong.cube")
    assert not made.proved
    assert made.off > 1e-4


def test_a_reader_that_errs_or_gives_up_is_told(tmp_path: Path, monkeypatch) -> None:
    swapped = attrs.evolve(readers.READERS[0], apply=lambda _p, rgb: np.asarray(rgb)[:, ::-1])
    monkeypatch.setattr(way_out, "reader_for", lambda *_args: (swapped, ""))
    made = written(tmp_path / "a.cube", second=True)
    assert made.is_exact
    assert not made.proved
    monkeypatch.setattr(way_out, "reader_for", lambda *_args: (None, "nobody reads it"))
    lonely = written(tmp_path / "b.cube", second=True)
    assert lonely.proved
    assert (lonely.second.loss, lonely.second.note) == (None, "nobody reads it")


@pytest.mark.parametrize(("value", "steps"), [(0.5, 1), (0.99, 1), (1.5, 2), (3.0, 4), (-2.5, 4)])
def test_steps_of_floats_grow_with_the_value(value: float, steps: int) -> None:
    flat = np.full((2, 2, 2, 3), value, np.float32)
    written, back = Transform((Table3D(flat),)), Transform((Table3D(flat + np.float32(1e-3)),))
    assert way_out._off(written, back, clips=False) == pytest.approx(1e-3 / steps, rel=1e-3)
    off = way_out._off(written, written, clips=True)  # as if a format that clips had not
    assert (off > 0) == (not 0 <= value <= 1)
    assert way_out._off(Transform((Function("f", np.copy),)), Transform(()), clips=False) == np.inf
    assert way_out._off(written, Transform(()), clips=False) == np.inf


def test_what_is_there_is_refused_left_numbered_or_replaced(tmp_path: Path) -> None:
    place = tmp_path / "look.cube"
    first = written(place)
    stored = place.read_bytes()
    with pytest.raises(ExportError, match="exists already"):
        written(place)
    assert deliver(BENT, Target("cube"), place, LEAVE) is None
    again = deliver(BENT, Target("cube"), place, VERSION)
    assert again.place == tmp_path / "look_2.cube"
    taken = {tmp_path / "look_3.cube"}
    assert free_place(place, VERSION, taken) == tmp_path / "look_4.cube"
    assert tmp_path / "look_4.cube" in taken
    assert place.read_bytes() == stored
    small = deliver(BENT, Target("cube", grid=9), place, REPLACE)
    assert (first.grid, small.grid) == (17, 9)
    assert registry.read(place.read_bytes(), str(place)).transform.table.size == 9


def test_nothing_is_left_when_it_is_refused_or_cancelled(tmp_path: Path) -> None:
    cancel = Cancel()
    cancel.set()
    with pytest.raises(Cancelled):
        deliver(BENT, Target("cube"), tmp_path / "a.cube", cancel=cancel)
    with pytest.raises(ValueRefused):
        deliver(BENT, Target("3dl", layout="with header", grid=20), tmp_path / "b.3dl")
    assert list(tmp_path.iterdir()) == []


def test_only_the_one_way_out_writes_luts() -> None:
    """`FormatSpec.write` is called where a target is encoded, and nowhere else in the package."""
    package = Path(sfumato.__file__).parent
    callers = {
        str(file.relative_to(package))
        for file in package.rglob("*.py")
        if "spec.write(" in file.read_text(encoding="utf-8")
    }
    assert callers == {"work/luts/target.py"}


SHAPED = Transform((Table1D(np.linspace(0, 1, 64)[:, None].repeat(3, 1) ** 0.5), BENT.stages[0]))
WIDE = ((-0.5,) * 3, (1.5,) * 3)
READ_RIGHT = {
    "plain": BENT,
    "to 2": Transform((Table3D(lattice_colours(9) ** np.float32(0.8), ((0.0,) * 3, (2.0,) * 3)),)),
}
MISREAD = {
    "shaper": SHAPED,
    "below 0": Transform((Table3D(lattice_colours(9), WIDE),)),
    "to a half": Transform((Table3D(lattice_colours(9), ((0.0,) * 3, (0.5,) * 3)),)),
}


@pytest.mark.parametrize("name", [*READ_RIGHT, *MISREAD])
def test_what_ffmpeg_misreads_is_said_and_nothing_else(name: str, tmp_path: Path) -> None:
    """FFmpeg itself is the judge: where it shows other colours, the file says so beforehand."""
    lut = {**READ_RIGHT, **MISREAD}[name]
    made = deliver(lut, Target("cube"), tmp_path / "x.cube", judge=cube_judge(lut), second=True)
    colours = np.random.default_rng(1).random((300, 3)).astype(np.float32)
    seen = reading.ffmpeg(tmp_path / "x.cube", colours)
    differs = np.abs(seen - lut.apply(colours)).max() > 0.01
    assert differs == (name in MISREAD)
    assert any("FFmpeg" in words for words in made.said) == differs
    assert made.second.reader == ("OpenColorIO" if differs else "FFmpeg")
    assert made.proved
