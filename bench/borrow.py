"""What borrowed looks reach: `./dev bench accuracy borrow [pairs] [references]`.

Pairs: grades of our own and of FFmpeg's filters on the demo's pictures, saved as named; CIEDE2000 mean / 99 % on the
picture itself, on another one and over the cube, what the glazes explain, and of the nodes the share that
lies within the stated band. References: thirty pairs of pictures of unlike contents, by amount.
"""

from __future__ import annotations

import io
import itertools
import sys
import time
from collections.abc import Callable
from pathlib import Path

import av
import numpy as np
from av.filter import Graph
from PIL import Image
from scipy import ndimage

from bench.accuracy import grades
from sfumato.core.arrays import Rgb
from sfumato.core.borrow import explain, pair, reference
from sfumato.core.borrow.matched import matched
from sfumato.core.borrow.reference import Link
from sfumato.core.colour.encodings import encoding
from sfumato.core.compiled import load_kernels
from sfumato.core.lut.difference import cube_colours, delta_e
from sfumato.core.lut.table import lattice_colours
from sfumato.core.study.loan import Amounts
from sfumato.core.study.view import View

PICTURES = Path(__file__).resolve().parents[1] / "demo" / "previews"
DISPLAY, VIEW = encoding("BT.1886"), View(encoding="BT.1886")
OWN = ("gentle", "strong", "teal and orange")
FILTERS = {
    "curves preset": ("curves", "preset=vintage"),
    "levels": ("colorlevels", "rimin=0.03:gimin=0.02:bimin=0.05:rimax=0.95:bimax=0.92"),
    "vibrance": ("vibrance", "intensity=0.5"),
    "colorbalance": ("colorbalance", "rs=0.15:bs=-0.1:gm=0.05:bh=0.15"),
    "channel mixer": ("colorchannelmixer", "0.9:0.1:0:0:0.05:0.9:0.05:0:0:0.15:0.85"),
}
Grade = Callable[[Rgb], Rgb]


def by_filter(name: str, values: str) -> Grade:
    """Return what a filter of FFmpeg does to display codes, in 16 bit RGB where it can."""

    def run(rgb: Rgb) -> Rgb:
        flat = np.clip(rgb, 0, 1).reshape(-1, rgb.shape[-2] if rgb.ndim == 3 else 1, 3)
        codes = np.ascontiguousarray((flat * 255 + 0.5).astype(np.uint8))
        graph = Graph()
        source = graph.add_buffer(
            width=codes.shape[1],
            height=codes.shape[0],
            format=av.VideoFormat("rgb24"),
            time_base="1/25",
        )
        last = source
        for each, how in (("format", "gbrp"), (name, values), ("format", "rgb24")):
            step = graph.add(each, how)
            last.link_to(step)
            last = step
        sink = graph.add("buffersink")
        last.link_to(sink)
        graph.configure()
        source.push(av.VideoFrame.from_ndarray(codes, format="rgb24"))
        out = sink.pull().to_ndarray(format="rgb24").astype(np.float32) / 255
        return out.reshape(rgb.shape)

    return run


def all_grades() -> dict[str, Grade]:
    def own(name: str) -> Grade:
        transform = grades()[name].transform()
        return lambda x: np.clip(transform.apply(np.ascontiguousarray(x, np.float32)), 0, 1)

    return {n: own(n) for n in OWN} | {n: by_filter(*how) for n, how in FILTERS.items()}


def picture(name: str) -> Rgb:
    return np.asarray(Image.open(PICTURES / f"{name}.png").convert("RGB"), np.float32) / 255


def _codes(x: Rgb, bits: int = 8) -> np.ndarray:
    kind, peak = (np.uint8, 255) if bits == 8 else (np.uint16, 65535)
    return np.round(np.clip(x, 0, 1) * peak).astype(kind)


def _jpeg(x: Rgb, quality: int) -> np.ndarray:
    held = io.BytesIO()
    Image.fromarray(_codes(x)).save(held, "JPEG", quality=quality, subsampling=2)
    return np.asarray(Image.open(io.BytesIO(held.getvalue())))


def _turned(x: Rgb) -> Rgb:
    """Rotated by 2 degrees, 3 pixels aside, 85 % in size."""
    high, wide = x.shape[:2]
    size = int(high * 0.85), int(wide * 0.85)
    a = np.radians(2)
    row, column = np.mgrid[: size[0], : size[1]].astype(float)
    row, column = (row - (size[0] - 1) / 2) / 0.85, (column - (size[1] - 1) / 2) / 0.85
    u = np.cos(a) * column - np.sin(a) * row + (wide - 1) / 2 + 3
    v = np.sin(a) * column + np.cos(a) * row + (high - 1) / 2
    soft = ndimage.gaussian_filter(x, (0.31, 0.31, 0))
    planes = [
        ndimage.map_coordinates(soft[..., c], [v, u], order=3, mode="nearest") for c in range(3)
    ]
    return np.clip(np.stack(planes, -1), 0, 1).astype(np.float32)


def _painted(x: Rgb) -> Rgb:
    high, wide = x.shape[:2]
    out = x.copy()
    out[int(0.2 * high) : int(0.516 * high), int(0.5 * wide) : int(0.816 * wide)] = (0.8, 0.3, 0.1)
    return out


WAYS: dict[str, Callable[[Grade, Rgb], np.ndarray]] = {
    "PNG 8": lambda f, x: _codes(f(x)),
    "TIFF 16": lambda f, x: _codes(f(x), 16),
    "JPEG q90 4:2:0": lambda f, x: _jpeg(f(x), 90),
    "sharpened": lambda f, x: _codes(1.6 * f(x) - 0.6 * ndimage.gaussian_filter(f(x), (1, 1, 0))),
    "grain of 8": lambda f, x: _codes(f(x) + np.random.default_rng(1).normal(0, 8 / 255, x.shape)),
    "all of it": lambda f, x: _jpeg(_painted(f(_turned(x))), 85),
}


def _two(a: Rgb, b: Rgb) -> str:
    off = delta_e(np.clip(a, 0, 1), np.clip(b, 0, 1), DISPLAY)
    return f"{off.mean():6.3f} /{np.percentile(off, 99):6.2f}"


def pairs() -> None:
    load_kernels()
    print(
        f"{'grade':16s} {'picture':9s} {'saved as':15s} {'itself':>14s} {'another':>14s} {'cube':>14s}",
        end="",
    )
    print(f" {'nothing':>8s} {'glazes':>7s} {'band':>5s} {'s':>5s}")
    cube, nodes = cube_colours(20000), lattice_colours(33)
    for (name, grade), (one, other) in itertools.product(
        all_grades().items(), (("sill", "causeway"), ("furnace", "sill"))
    ):
        x = picture(one)
        for way, made in WAYS.items():
            after = made(grade, x)
            before = _codes(x, 16) if after.dtype == np.uint16 else _codes(x)
            start = time.perf_counter()
            found = pair.looked([matched(before, after)])
            told = explain.explained(found.pairs, DISPLAY, VIEW, DISPLAY)
            spent = time.perf_counter() - start

            def run(v: Rgb, found: pair.Borrowed = found) -> Rgb:
                return np.clip(found.table.apply(np.ascontiguousarray(v)), 0, 1)

            off = np.sqrt(
                ((run(nodes) - grade(nodes.reshape(-1, 33, 3)).reshape(nodes.shape)) ** 2).sum(-1)
            )
            figures = [_two(run(v), grade(v)) for v in (x, picture(other))]
            figures.append(_two(run(cube), grade(cube.reshape(-1, 100, 3)).reshape(cube.shape)))
            nothing = delta_e(x, grade(x), DISPLAY).mean()
            print(f"{name:16s} {one:9s} {way:15s} {' '.join(figures)} {nothing:8.2f}", end="")
            print(
                f" {100 * told.share:5.0f} % {100 * (off <= found.off).mean():4.0f}% {spent:5.1f}",
                flush=True,
            )


def references() -> None:
    load_kernels()
    names = [f.stem for f in sorted(PICTURES.glob("*.png"))]
    colours = {n: np.ascontiguousarray(picture(n)[::4, ::4]).reshape(-1, 3) for n in names}
    usual = Amounts()
    every = [("usual", usual), ("100 %", Amounts(strength=100)), ("200 %", Amounts(200, 100, 100))]
    print(
        "30 pairs of pictures of unlike contents, CIEDE2000 to the true grade: nothing, and by amount"
    )
    for name in OWN:
        grade = all_grades()[name]
        line, folds = [], 0.0
        for _title, amounts in every:
            off = []
            for one, other in itertools.permutations(names, 2):
                link = [Link(colours[one], grade(colours[other]))]
                told = reference.borrowed(link, DISPLAY, VIEW, DISPLAY, amounts)
                truth = grade(colours[one])
                off.append(
                    delta_e(
                        np.clip(told.run(colours[one], DISPLAY, VIEW), 0, 1), truth, DISPLAY
                    ).mean()
                )
                if amounts is usual:
                    folds = max(folds, folded(lambda v, told=told: told.run(v, DISPLAY, VIEW)))
            line.append(float(np.mean(off)))
        nothing = [delta_e(colours[n], grade(colours[n]), DISPLAY).mean() for n in names]
        amounts_said = ", ".join(f"{t} {v:.2f}" for (t, _), v in zip(every, line, strict=True))
        print(
            f"{name:16s} nothing {np.mean(nothing):.2f}, {amounts_said}; folds as usual at most {100 * folds:.1f} %",
            flush=True,
        )


def folded(run: Callable[[Rgb], Rgb], n: int = 17) -> float:
    """Return the share of the cube's cells that a look turns over."""
    out = run(lattice_colours(n)).reshape(n, n, n, 3).astype(np.float64)
    steps = [np.diff(out, axis=a)[: n - 1, : n - 1, : n - 1] for a in range(3)]
    return float((np.linalg.det(np.stack(steps, -1)) < 0).mean())


def main(which: list[str]) -> None:
    for name, run in (("pairs", pairs), ("references", references)):
        if not which or name in which:
            run()


if __name__ == "__main__":
    main(sys.argv[1:])
