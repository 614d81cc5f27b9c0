"""How often the assay is right: `python -m bench.assay`. Made-up looks, clean and damaged, by seed.

Prints faults and warnings on a hundred clean looks, and for each damage how many were named.
"""

from __future__ import annotations

import io
import sys
from collections import Counter
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
from PIL import Image, ImageFilter

ROOT = Path(__file__).resolve().parents[1]


def clean(count: int) -> Iterator[tuple[str, object]]:
    """Yield names and transforms: stacks of glazes as hands set them, on grids and depths in use."""
    from attrs import evolve, fields

    from sfumato.core.controls import Number
    from sfumato.core.glaze import glazes
    from sfumato.core.lut.recast import sampled
    from sfumato.core.lut.table import Table3D
    from sfumato.core.lut.transform import Transform
    from sfumato.core.study.coat import new_coat
    from sfumato.core.study.study import LOOK, Study

    kinds = [k for k in glazes() if k not in ("lut", "encoding_change", "nudges")]
    for seed in range(count):
        dice = np.random.default_rng(seed)
        study = Study(working="sRGB")
        names = []
        for key in dice.choice(kinds, dice.integers(1, 4), replace=False):
            coat = new_coat(str(key))
            for field in fields(type(coat.parameters)):
                kind = field.metadata.get("control") or field.metadata.get("kind")
                if isinstance(kind, Number) and dice.random() < 0.6:
                    now = getattr(coat.parameters, field.name)
                    reach = 0.12 * (kind.most - kind.least) * dice.normal()
                    value = float(np.clip(now + reach, kind.least, kind.most))
                    value = round(value) if isinstance(now, int) else value
                    coat = evolve(coat, parameters=evolve(coat.parameters, **{field.name: value}))
            study = study.added(LOOK, coat)
            names.append(str(key))
        made = sampled(study.transform(), int(dice.choice([17, 33, 33, 65])))
        bits = int(dice.choice([0, 10, 12, 16]))
        if bits:
            peak = 2**bits - 1
            values = np.round(np.clip(made.table.values, 0, 1) * peak) / peak
            made = Transform((Table3D(np.float32(values)),))
        yield f"{'+'.join(names)} {made.table.size} points, {bits or 'float'}", made


def main() -> None:
    sys.path.insert(0, str(ROOT / "tests"))
    from unit.core.measure.test_assay import DISPLAY, made_up

    from sfumato.core.carrier import arrange
    from sfumato.core.lut.recast import sampled
    from sfumato.core.lut.table import Table3D
    from sfumato.core.lut.transform import Transform
    from sfumato.core.measure.assay import assay
    from sfumato.core.measure.checks.findings import Level
    from sfumato.formats.parts import registry
    from sfumato.work.luts.batch import stored_of

    said: Counter[str] = Counter()
    for name, made in clean(100):
        for finding in assay(made, DISPLAY).faults():
            said[finding.level.value] += 1
            print(f"  {finding.level.value}: {finding.title} ({finding.figure:.3g}) in {name}")
    print(f"100 clean looks: {said['fault']} faults, {said['warning']} warnings")

    def table(seed: int) -> np.ndarray:
        return np.array(sampled(made_up(seed), 33).table.values)

    def node(seed: int) -> np.ndarray:
        v, dice = table(seed), np.random.default_rng(seed)
        at = tuple(dice.integers(1, 32, 3))
        v[at] = np.clip(v[at] + dice.choice([-1, 1]) * dice.uniform(0.15, 0.6, 3), 0, 1)
        return v

    damages: dict[str, tuple[Callable[[int], np.ndarray], str]] = {
        "gamma twice, lighter": (lambda s: table(s) ** (1 / 2.2), "gamma"),
        "gamma twice, darker": (lambda s: table(s) ** 2.2, "gamma"),
        "one wrong node": (node, "nodes"),
        "red and blue exchanged": (lambda s: table(s).transpose(2, 1, 0, 3), "axes"),
        "8 bit": (lambda s: np.round(table(s) * 255) / 255, "quantised"),
    }

    def strip(layout: str, change: Callable[[Image.Image], Image.Image]) -> Callable[[int], int]:
        """Return how to send the strip of a seed through a picture program: 1 when that is named."""

        def hit(seed: int) -> int:
            values = sampled(made_up(seed), 32).table.values
            pixels = (arrange.arranged(values, layout) * 255 + 0.5).astype(np.uint8)
            out = io.BytesIO()
            change(Image.fromarray(pixels)).save(out, "png")
            read = registry.read(out.getvalue(), "x.png", key="strip")
            facts = assay(read.transform, DISPLAY, stored_of(read)).findings
            return any(f.level is Level.FAULT and f.key in ("filtered", "grain") for f in facts)

        return hit

    def jpeg(image: Image.Image) -> Image.Image:
        out = io.BytesIO()
        image.save(out, "jpeg", quality=90, subsampling=0)
        return Image.open(out).convert("RGB")

    def resized(image: Image.Image) -> Image.Image:
        small = image.resize(
            (image.width * 3 // 4, image.height * 3 // 4), Image.Resampling.BICUBIC
        )
        return small.resize(image.size, Image.Resampling.BICUBIC)

    ways: dict[str, Callable[[Image.Image], Image.Image]] = {
        "resized": resized,
        "sharpened": lambda i: i.filter(ImageFilter.UnsharpMask(1.0, 60, 0)),
        "through JPEG": jpeg,
    }
    for layout in ("row", "square"):
        for name, change in ways.items():
            hits = sum(map(strip(layout, change), range(100, 120)))
            print(f"strip in a {layout} {name}: {hits} of 20 named")
    for name, (make, key) in damages.items():
        hits = 0
        for seed in range(20):
            values = np.asarray(make(seed + 100), np.float32)
            found = assay(Transform((Table3D(values),)), DISPLAY)
            hits += any(f.key == key and f.level is not Level.GOOD for f in found.findings)
        print(f"{name}: {hits} of 20 named")


if __name__ == "__main__":
    main()
