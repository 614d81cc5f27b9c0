"""A brush on a 24-megapixel still: what one move of the hand costs, beside the whole picture made anew."""

from __future__ import annotations

import time
from pathlib import Path

import attrs
import numpy as np
import pytest
import tifffile

from sfumato.core.study.mask import WHOLE, Brush, Mask, Stroke
from sfumato.core.study.shot import Shot
from sfumato.work.cancel import Cancel
from sfumato.work.frames import Frames
from sfumato.work.preview.painting import Canvas, CanvasAsk
from sfumato.work.preview.preview import Previewer
from sfumato.work.stores.study_store import demo_study, open_study
from sfumato.work.warm import warm

SIZE = (6000, 4000)
SEEN = (1600, 1000)


@pytest.fixture(scope="module")
def still(tmp_path_factory: pytest.TempPathFactory) -> Path:
    file = tmp_path_factory.mktemp("still") / "large.tif"
    y, x = np.mgrid[0 : SIZE[1], 0 : SIZE[0]].astype(np.float32)
    planes = [np.sin(x / (300 + 70 * c) + y / 400) * 0.25 + 0.45 for c in range(3)]
    tifffile.imwrite(file, (np.stack(planes, -1) * 65535).astype(np.uint16), photometric="rgb")
    return file


# The whole picture on a screen of 1600 x 1000, and one pixel to one, with brushes from fine to huge.
@pytest.mark.parametrize("zoom", ["fit", "actual"])
@pytest.mark.parametrize("size", [2.0, 12.0, 50.0])
def test_a_move_of_the_brush(benchmark, still: Path, zoom: str, size: float) -> None:
    warm()
    demo = demo_study()
    assert demo is not None
    shot = Shot(str(still), "large", "Tarn Log", mask=Mask(full=False))
    study = attrs.evolve(open_study(demo), shots=(shot,))
    width, height = SEEN
    region = WHOLE if zoom == "fit" else (0.3, 0.3, 0.3 + width / SIZE[0], 0.3 + height / SIZE[1])
    if zoom == "fit":
        width = 1500
    canvas = Canvas(Previewer(Frames()), CanvasAsk(study, shot, width, height, region), Cancel())
    x0, y0, x1, y1 = region
    points: list[tuple[float, float, float]] = []
    times = []

    for i in range(60):
        share = i / 59
        points.append(
            (x0 + (x1 - x0) * (0.1 + 0.8 * share), y0 + (y1 - y0) * (0.3 + 0.4 * share), 1.0)
        )
        stroke = Stroke(Brush(size), tuple(points))
        start = time.perf_counter()
        canvas.lay(0, stroke, number=0)
        times.append(time.perf_counter() - start)
    move = sorted(times)[len(times) // 2]
    start = time.perf_counter()
    canvas._repair(0, (0, 0, width, height))
    again = time.perf_counter() - start
    print(
        f"\n24 MP, {zoom}, brush {size:g} %: {move * 1e3:.1f} ms a move (median), "
        f"{max(times) * 1e3:.1f} at most; the whole view anew {again * 1e3:.0f} ms"
    )
    benchmark.extra_info["ratio"] = again / move
    benchmark.pedantic(lambda: None, rounds=1)
