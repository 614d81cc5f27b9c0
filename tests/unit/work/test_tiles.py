"""Work in tiles: the same as in one piece, and never waiting for itself."""

from __future__ import annotations

import threading

import numpy as np
import pytest

from sfumato.core.lut.bake import baked
from sfumato.core.lut.transform import Function, Transform
from sfumato.work import tiles
from sfumato.work.cancel import Cancel, Cancelled
from sfumato.work.tiles import bake_tiled, pool, run_tiled, spread, workers

PIXELS = np.random.default_rng(6).random((40, 50, 3)).astype(np.float32)


def test_tiles_within_tiles_run_in_place() -> None:
    """As many tiles as there are threads, each with tiles of its own, come to an end."""

    def outer(_part: int) -> tuple[str, set[str]]:
        names = set(spread(lambda _i: threading.current_thread().name, range(8)))
        inner = run_tiled(lambda c: c * 2, PIXELS, tile=100)
        np.testing.assert_array_equal(inner, PIXELS * 2)
        return threading.current_thread().name, names

    found: list[tuple[str, set[str]]] = []
    waiting = threading.Thread(
        target=lambda: found.extend(spread(outer, range(4 * workers()))), daemon=True
    )
    waiting.start()
    waiting.join(60)
    assert not waiting.is_alive(), "tiles wait for tiles"
    assert all(names == {own} and own.startswith("tile") for own, names in found)
    assert len(found) == 4 * workers()


def test_results_keep_their_order_and_faults_come_through() -> None:
    assert spread(lambda i: i * i, range(50)) == [i * i for i in range(50)]

    def broken(i: int) -> int:
        if i == 7:
            raise ValueError("seven")
        return i

    with pytest.raises(ValueError, match="seven"):
        spread(broken, range(20))
    assert pool().submit(lambda: 1).result(5) == 1
    cancel = Cancel()
    cancel.set()
    with pytest.raises(Cancelled):
        run_tiled(np.copy, PIXELS, cancel, tile=100)


def test_baking_in_tiles_equals_baking_at_once() -> None:
    bent = Transform((Function("bent", lambda c: c * c[..., [1, 2, 0]] * np.float32(3)),))
    np.testing.assert_array_equal(bake_tiled(bent, 17).values, baked(bent, 17).table.values)
    held = bake_tiled(bent, 17, node_range=(0.0, 1.0)).values
    assert (held.min(), held.max()) == (0, 1)
    nan = Transform((Function("nan", lambda c: np.where(c > 0.5, np.nan, c)),))
    assert np.isfinite(bake_tiled(nan, 9).values).all()


class Late(Cancel):
    """The first tile that looks whether it is wanted waits until others have ended."""

    def __init__(self) -> None:
        super().__init__()
        self.first, self.others_ended = threading.Lock(), threading.Event()

    def check(self) -> None:
        if self.first.acquire(blocking=False):
            self.others_ended.wait(5)


@pytest.mark.skipif(workers() < 2, reason="one tile waits for others")
@pytest.mark.parametrize("are_long", [True, False])
def test_tiles_that_take_long_are_done_in_parts_and_nothing_is_left_out(
    are_long: bool, monkeypatch
) -> None:
    monkeypatch.setattr(tiles, "_LONG", 0.0 if are_long else 1e9)
    late, sizes = Late(), []

    def run(part: np.ndarray) -> np.ndarray:
        sizes.append(len(part))
        if len(sizes) == 9:  # by now others have found that tiles are long
            late.others_ended.set()
        return part + 1

    pixels = np.random.default_rng(2).random((12 * tiles.CHUNK + 5, 3)).astype(np.float32)
    np.testing.assert_array_equal(run_tiled(run, pixels, late), pixels + 1)
    assert sum(sizes) == len(pixels)
    assert (len(sizes) > 13) == are_long
