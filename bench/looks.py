"""The shipped looks side by side: `python -m bench.looks [PICTURE]` measures them and paints the sheet.

Prints for each look how far it lies from the untouched picture and from its nearest neighbour (the
mean distance in Oklab x 100 over the demo shots as they are shown), what it makes of fog, of skin, of
fire and of the darkest tenth of a night, and paints all of them on all shots into a picture when one is named.
"""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from sfumato.core.arrays import Rgb
from sfumato.core.colour import oklab
from sfumato.core.colour.encodings import convert, encoding
from sfumato.core.colour.showing import shown
from sfumato.core.path.path import mixed, through_coats
from sfumato.core.study.preset import Preset
from sfumato.core.study.view import View
from sfumato.work.frames import open_still, scaled
from sfumato.work.stores.presets import read_preset, shipped_folder

ROOT = Path(__file__).resolve().parents[1]
SHOTS = ("portrait", "sill", "fog", "furnace", "causeway", "jetty")
LOG, DISPLAY = encoding("Tarn Log"), encoding("sRGB")
_VIEW = View(encoding="sRGB")


def pictures(width: int = 160, height: int = 90) -> dict[str, Rgb]:
    """Return the demo shots in Tarn Log, small."""
    return {
        n: scaled(open_still(ROOT / "demo" / f"{n}.tif").pixels, (0, 0, 1, 1), width, height)
        for n in SHOTS
    }


def graded(look: Preset | None, code: Rgb) -> Rgb:
    """Return how a shot in Tarn Log is shown in sRGB through a look made for log or for display."""
    if look is None:
        return np.clip(shown(code, LOG, _VIEW), 0, 1)
    space = encoding(look.working)
    before = code if space.is_scene else shown(code, LOG, _VIEW)
    before = convert(before, LOG if space.is_scene else DISPLAY, space)
    after = mixed(before, through_coats(look.coats, before, space, _VIEW), look.strength)
    return np.clip(shown(after, space, _VIEW) if space.is_scene else after, 0, 1)


def lab_of(code: Rgb) -> Rgb:
    return oklab.from_light(DISPLAY.decode(code), DISPLAY)


def looks() -> list[Preset]:
    return [read_preset(f) for f in sorted(shipped_folder().glob("*.look"))]


def measured() -> dict[str, tuple[float, str, float]]:
    """Return by look: how far from nothing, its nearest neighbour, and how far that is."""
    shots = pictures()
    found = {n.name: np.stack([lab_of(graded(n, p)) for p in shots.values()]) for n in looks()}
    plain = np.stack([lab_of(graded(None, p)) for p in shots.values()])

    def apart(a: Rgb, b: Rgb) -> float:
        return float(np.linalg.norm(a - b, axis=-1).mean() * 100)

    out = {}
    for name, lab in found.items():
        others = {n: apart(lab, v) for n, v in found.items() if n != name}
        near = min(others, key=lambda n: others[n])
        out[name] = (apart(lab, plain), near, others[near])
    return out


def patches(look: Preset | None, shots: dict[str, Rgb]) -> dict[str, Rgb]:
    """Return the mean Oklab of fog, of lit skin, of fire, and of the darkest tenth of a night."""

    def mean(name: str, box: tuple[float, float, float, float]) -> Rgb:
        lab = lab_of(graded(look, shots[name]))
        h, w = lab.shape[:2]
        part = lab[int(box[1] * h) : int(box[3] * h) + 1, int(box[0] * w) : int(box[2] * w) + 1]
        return np.asarray(part.reshape(-1, 3).mean(0))

    night = lab_of(graded(look, shots["jetty"])).reshape(-1, 3)
    night = night[np.argsort(night[:, 0])[: len(night) // 10]]
    return {
        "fog": mean("fog", (0.3, 0.05, 0.7, 0.3)),
        "skin": mean("portrait", (0.28, 0.48, 0.34, 0.6)),
        "fire": mean("furnace", (0.35, 0.34, 0.43, 0.44)),
        "night": np.asarray(night.mean(0)),
    }


def lch(lab: Rgb) -> tuple[float, float, float]:
    """Return lightness, chroma and hue in degrees."""
    hue = np.degrees(np.arctan2(lab[2], lab[1])) % 360
    return float(lab[0]), float(np.hypot(lab[1], lab[2])), float(hue)


def _facts(look: Preset | None, shots: dict[str, Rgb]) -> str:
    found = {n: lch(v) for n, v in patches(look, shots).items()}
    return " | ".join(f"{n} L{v[0]:.2f} C{v[1]:.3f} h{v[2]:3.0f}" for n, v in found.items())


def sheet(file: Path) -> None:
    """Paint every look on every shot."""
    w, h, columns = 128, 72, 3
    shots = pictures(w, h)
    every: list[Preset | None] = [None, *looks()]
    rows = -(-len(every) // columns)
    cell = (3 * w + 8, 2 * h + 24)
    out = Image.new("RGB", (columns * cell[0] + 8, rows * cell[1] + 8), (38, 38, 38))
    draw = ImageDraw.Draw(out)
    font = ImageFont.load_default(13)
    for i, look in enumerate(every):
        x, y = 8 + i % columns * cell[0], 4 + i // columns * cell[1]
        name = "As shot" if look is None else f"{look.name}, for {look.made_for}"
        draw.text((x, y + 2), name, (225, 225, 225), font)
        for k, code in enumerate(shots.values()):
            picture = (graded(look, code) * 255 + 0.5).astype(np.uint8)
            out.paste(Image.fromarray(picture), (x + k % 3 * w, y + 20 + k // 3 * h))
    out.quantize(256, dither=Image.Dither.FLOYDSTEINBERG).save(file, optimize=True)


def main() -> None:
    shots = pictures()
    print(f"{'as shot':16} {'':33} {_facts(None, shots)}")
    each = measured()
    for look in looks():
        away, near, apart = each[look.name]
        mark = " " if min(away, apart) >= 3 else "!"
        print(
            f"{look.name:16} {away:5.1f} {mark} {apart:5.1f} from {near:14} {_facts(look, shots)}"
        )
    if sys.argv[1:]:
        sheet(Path(sys.argv[1]))


if __name__ == "__main__":
    main()
