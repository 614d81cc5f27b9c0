"""Round trips: `python -m bench.trip [accuracy|named|found|speed]`. Looks and alterations are made here.

`accuracy` prints how near a recovered LUT comes to the look, by carrier and file. `named` sends looks
through programs of others (Pillow's and SciPy's filters, encoders) and counts which alterations are
named, and which clean returns are accused. `found` counts in how many scaled, cropped, compressed and
turned pictures a frame carrier is found. `speed` times many returns, and large ones.
"""

from __future__ import annotations

import io
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image, ImageFilter
from scipy import ndimage

ROOT = Path(__file__).resolve().parents[1]
Made = Callable[[Any], Any]
BT709 = np.array([0.2126, 0.7152, 0.0722])


def _luma(x: Any) -> Any:
    return (x @ BT709)[..., None]


def _saturated(x: Any, amount: float) -> Any:
    return _luma(x) + (x - _luma(x)) * amount


def _curved(x: Any, k: float) -> Any:
    low, high = 1 / (1 + np.exp(k / 2)), 1 / (1 + np.exp(-k / 2))
    return (1 / (1 + np.exp(-k * (x - 0.5))) - low) / (high - low)


def _turned(x: Any, angle: float) -> Any:
    axis = np.ones(3) / np.sqrt(3)
    along = (x @ axis)[..., None] * axis
    return along + (x - along) * np.cos(angle) + np.cross(axis, x) * np.sin(angle)


LOOKS: dict[str, Made] = {
    "identity": lambda x: x,
    "strong": lambda x: _saturated(_curved(x, 8), 1.3),
    "gentle": lambda x: _saturated(_curved(x, 3) * 0.95 + 0.02, 1.1),
    "clipped": lambda x: 0.5 + (x - 0.5) * 2.2,
    "monochrome": lambda x: np.repeat(_curved(_luma(x), 5), 3, -1),
    "posterised": lambda x: np.round(x * 6) / 6,
    "cross-processed": lambda x: np.stack(
        [_curved(x[..., 0], 7), x[..., 1] ** 0.8 * 0.95, 0.15 + 0.7 * x[..., 2]], -1
    ),
    "negative": lambda x: 1 - x,
    "split tone": lambda x: x + (_luma(x) - 0.5) * np.array([0.25, 0.02, -0.25]),
    "from log": lambda x: np.clip(10 ** ((x - 0.6) / 0.3) * 0.18, 0, 4) ** (1 / 2.2) * 0.69,
    "bleached": lambda x: _saturated(
        np.where(x < 0.5, 2 * x * _luma(x), 1 - 2 * (1 - x) * (1 - _luma(x))), 0.5
    ),
    "sepia": lambda x: _luma(x) * np.array([1.05, 0.9, 0.7]) + np.array([0.03, 0.01, 0]),
    "high": lambda x: x**0.5,
    "low": lambda x: x**2.2,
    "hues turned": lambda x: _turned(x, 0.7),
    "hues opposed": lambda x: _turned(x, np.pi),
    "colourful": lambda x: _saturated(x, 2),
    "pale": lambda x: _saturated(x, 0.3) * 0.8 + 0.1,
    "solarised": lambda x: np.where(x < 0.6, x / 0.6, (1 - x) / 0.4 * 0.8 + 0.2),
    "warm": lambda x: x * np.array([1.3, 1, 0.8]) + np.array([-0.05, 0.02, 0.1]),
}


def look(name: str) -> Made:
    return lambda x: np.clip(LOOKS[name](np.asarray(x, np.float64)), 0, 1)


def _pillow(change: Callable[[Image.Image], Image.Image]) -> Callable[[Any, Any], Any]:
    def run(v: Any, _dice: Any) -> Any:
        image = Image.fromarray((np.clip(v, 0, 1) * 255 + 0.5).astype(np.uint8))
        return np.asarray(change(image).convert("RGB"), np.float32) / 255

    return run


def _jpeg(quality: int, sampling: int) -> Callable[[Image.Image], Image.Image]:
    def run(image: Image.Image) -> Image.Image:
        out = io.BytesIO()
        image.save(out, "jpeg", quality=quality, subsampling=sampling)
        return Image.open(io.BytesIO(out.getvalue()))

    return run


def _vignette(v: Any, dice: Any) -> Any:
    height, width = v.shape[:2]
    y, x = np.mgrid[:height, :width]
    radius = (((x + 0.5) / width - 0.5) ** 2 + ((y + 0.5) / height - 0.5) ** 2) * 2
    return v * (1 - dice.uniform(0.15, 0.5) * radius)[..., None]


def _gradient(v: Any, dice: Any) -> Any:
    wave = np.sin(np.linspace(0, dice.uniform(2, 5), v.shape[1]))
    return v + dice.uniform(0.05, 0.15) * wave[None, :, None]


def _moved(v: Any, dice: Any) -> Any:
    by = int(dice.integers(1, 3))
    return np.pad(v, ((0, 0), (by, 0), (0, 0)), mode="edge")[:, :-by]


def _small_and_back(image: Image.Image) -> Image.Image:
    small = image.resize((image.width * 3 // 4, image.height * 3 // 4), Image.Resampling.BICUBIC)
    return small.resize(image.size, Image.Resampling.BICUBIC)


# What is done, and the keys that name it.
WAYS: dict[str, tuple[Callable[[Any, Any], Any], tuple[str, ...]]] = {
    "sharpened": (_pillow(lambda i: i.filter(ImageFilter.UnsharpMask(1.0, 60, 0))), ("sharpened",)),
    "blurred": (_pillow(lambda i: i.filter(ImageFilter.GaussianBlur(0.8))), ("blurred",)),
    "resized and back": (_pillow(_small_and_back), ("blurred", "resized")),
    "grain": (lambda v, d: v + d.normal(0, d.uniform(2, 8) / 255, (*v.shape[:2], 1)), ("grain",)),
    "vignette": (_vignette, ("vignette",)),
    "local contrast": (
        lambda v, d: v + d.uniform(0.3, 0.6) * (v - ndimage.gaussian_filter(v, (25, 25, 0))),
        ("local_contrast",),
    ),
    "gradient": (_gradient, ("spatial", "vignette")),
    "moved": (_moved, ("shifted",)),
    "legal range": (lambda v, _d: (v * 219 + 16) / 255, ("legal_range",)),
    "gamma twice": (lambda v, _d: v ** (1 / 2.2), ("gamma_twice",)),
}
FILES: dict[str, tuple[int, tuple[str, ...]]] = {
    "JPEG 4:4:4": (0, ("jpeg",)),
    "JPEG 4:2:0": (2, ("chroma_subsampled",)),
}
_HARMLESS = {
    "8_bit",
    "clipped",
    "monochrome",
    "resized",
    "jpeg",
}  # true of looks and files themselves
_GAMMAS = {"high", "low"}  # looks that are a gamma and nothing else
# What cannot be told: along a strip runs blue, which a look may change; a frame's marks move with it.
_HIDDEN = {
    "strip of 32": {"vignette", "local contrast", "gradient"},
    "frame": {"moved"},
}


def _scene(width: int, height: int, seed: int) -> Any:
    """Return a made-up picture: soft areas of colour, edges and texture."""
    dice = np.random.default_rng(seed)
    y, x = np.mgrid[:height, :width] / height
    out = np.stack([0.5 + 0.4 * np.sin(4 * x * dice.random() + 5 * y + k) for k in range(3)], -1)
    for _ in range(40):
        cx, cy, r = dice.uniform(0, width / height), dice.random(), dice.uniform(0.02, 0.15)
        out[(x - cx) ** 2 + (y - cy) ** 2 < r * r] = dice.uniform(0.05, 0.95, 3)
    texture = ndimage.gaussian_filter(dice.normal(0, 0.2, (height, width)), 1.5)
    return np.clip(out + texture[..., None] * 0.3, 0, 1).astype(np.float32)


def _carriers() -> dict[str, tuple[Any, Any]]:
    """Return five carriers, and the picture beside the nodes where there is one."""
    from sfumato.work.trip.carriers import Carrier, neutral

    scene = _scene(960, 540, 3)
    return {
        "HALD level 8": (neutral(Carrier(64))[0], None),
        "HALD level 6": (neutral(Carrier(36))[0], None),
        "strip of 32": (neutral(Carrier(32, "row"))[0], None),
        "tiles of 64": (neutral(Carrier(64, "square"))[0], None),
        "frame": (neutral(Carrier(33, "wrapped"), scene)[0], scene),
    }


def _one_look(seed: int, name: str, title: str) -> tuple[dict[str, str], list[str]]:
    """Send one look through every way: what was named instead, by way, "" where it was named; false alarms."""
    from sfumato.core.carrier.recover import recovered
    from sfumato.core.carrier.search import Came
    from sfumato.core.colour.encodings import encoding
    from sfumato.core.errors import FormatError

    display = encoding("BT.1886")
    out, sent = _carriers()[title]

    def tried(v: Any, came: Any) -> set[str]:
        try:
            return {f.key for f in recovered(v, came, display, sent=sent).faults}
        except FormatError as error:
            return {error.summary}

    told: dict[str, str] = {}
    wrong: list[str] = []
    graded = look(name)(out).astype(np.float32)
    eight = np.round(graded * 255).astype(np.float32) / 255
    harmless = _HARMLESS | ({"gamma_twice"} if name in _GAMMAS else set())
    for depth, v in (("16", graded), ("8", eight)):
        wrong += [f"{key} in {name}, {depth} bit" for key in tried(v, Came(depth)) - harmless]
    for way, (change, keys) in WAYS.items():
        dice = np.random.default_rng(seed)
        v = np.round(np.clip(change(graded, dice), 0, 1) * 255).astype(np.float32) / 255
        keys_told = tried(v, Came("8"))
        told[way] = "" if keys_told & set(keys) else f"{name}: {' '.join(sorted(keys_told))}"
    for way, (sampling, keys) in FILES.items():
        v = _pillow(_jpeg(90, sampling))(graded, None)
        keys_told = tried(v, Came("8", lossy=True, sampling="4:2:0" if sampling else "4:4:4"))
        told[way] = "" if keys_told & set(keys) else f"{name}: {' '.join(sorted(keys_told))}"
        wrong += [f"{key} in {name}, {way}" for key in keys_told - harmless - set(keys)]
    return told, wrong


def named() -> None:
    """Print, for a hundred looks on carriers, how often each alteration is named, and false alarms."""
    whole: Counter[str] = Counter()
    of: Counter[str] = Counter()
    with ProcessPoolExecutor() as pool:
        for title in _carriers():
            titles = [title] * len(LOOKS)
            answers = list(pool.map(_one_look, range(len(LOOKS)), LOOKS, titles))
            print(title)
            for way in (w for w in (*WAYS, *FILES) if w not in _HIDDEN.get(title, ())):
                missed = [told[way] for told, _wrong in answers if told[way]]
                whole[way] += len(LOOKS) - len(missed)
                of[way] += len(LOOKS)
                print(f"  {way}: {len(LOOKS) - len(missed)} of {len(LOOKS)} named")
                print(*(f"      {m}" for m in missed), sep="\n", end="\n" if missed else "")
            wrong = [w for _told, each in answers for w in each]
            whole["false alarms"] += len(wrong)
            print(f"  false alarms: {len(wrong)}", *wrong, sep="\n      ", flush=True)
    print("of all:", *(f"{way} {whole[way]} of {of[way]}" for way in of), sep="\n  ")
    print(
        f"  false alarms {whole['false alarms']} in {2 * len(LOOKS) * len(_carriers())} clean returns"
    )


def found() -> None:
    from sfumato.core.carrier import locate
    from sfumato.work.trip.carriers import Carrier, neutral

    names = list(LOOKS)
    hits = total = 0
    ways = [
        (s, crop, turn) for s in (0.5, 0.73, 1.41, 2.0) for crop in (0, 1) for turn in (None, 2, 4)
    ]
    for number in range(100):
        dice = np.random.default_rng(number)
        width, height = int(dice.integers(640, 1921)), int(dice.integers(400, 1081))
        whole, plan = neutral(Carrier(33, "wrapped"), _scene(width, height, number))
        graded = look(names[number % len(names)])(whole)
        image = Image.fromarray((graded * 255 + 0.5).astype(np.uint8))
        scale, crop, turn = ways[number % len(ways)]
        image = image.resize(
            (round(image.width * scale), round(image.height * scale)), Image.Resampling.LANCZOS
        )
        if crop:
            image = image.crop((0, image.height // 20, image.width, image.height))
        if turn is not None:
            image = image.transpose(Image.Transpose(turn))
        v = _pillow(_jpeg(85, 2))(np.asarray(image, np.float32) / 255, None)
        placed = locate.found(v)
        good = placed is not None and placed.plan == plan
        hits, total = hits + good, total + 1
        if not good:
            print(
                f"  not found: {names[number % len(names)]} {width}x{height} {scale} {crop} {turn}"
            )
    print(f"frame carriers found: {hits} of {total}")


def accuracy() -> None:
    from sfumato.core.carrier.frame import WRAPPED
    from sfumato.core.colour.encodings import encoding
    from sfumato.core.lut.difference import cube_colours, difference_of
    from sfumato.core.lut.table import Table3D, lattice_colours
    from sfumato.core.lut.transform import Transform
    from sfumato.raster import png, tiff
    from sfumato.work.trip.carriers import Carrier, write_carrier
    from sfumato.work.trip.returns import read_original, read_return, recover

    folder = Path(tempfile.mkdtemp())
    lut = Transform((Table3D(look("strong")(lattice_colours(33)).astype(np.float32)),))
    colours = cube_colours(20000)
    truth = np.clip(lut.apply(colours), 0, 1)
    frame = np.round(_scene(1920, 1080, 1) * 65535).astype(np.float32) / 65535

    def save(file: Path, v: Any, quality: int = 0, sampling: int = 0) -> None:
        if quality:
            Image.fromarray((v * 255 + 0.5).astype(np.uint8)).save(
                file, quality=quality, subsampling=sampling
            )
            return
        deep = file.stem.endswith("16")
        pixels = (v * (65535 if deep else 255) + 0.5).astype(np.uint16 if deep else np.uint8)
        file.write_bytes(png.encode(pixels) if file.suffix == ".png" else tiff.encode(pixels))

    rows: list[tuple[str, Carrier, str, str, int, int, Any]] = [
        ("HALD level 8, TIFF 16", Carrier(64), "c.tif", "16.tif", 0, 0, None),
        ("strip of 32, PNG 16", Carrier(32, "row"), "c.png", "16.png", 0, 0, None),
        ("frame with tiles of 33, TIFF 16", Carrier(33, WRAPPED), "c.tif", "16.tif", 0, 0, frame),
        ("HALD level 8, PNG 8", Carrier(64, depth="8"), "c.png", "8.png", 0, 0, None),
        ("HALD level 12, PNG 8", Carrier(144, depth="8"), "c.png", "8.png", 0, 0, None),
    ]
    for quality in (95, 90):
        for words, sampling in (("4:4:4", 0), ("4:2:0", 2)):
            title = f"HALD level 8, JPEG q{quality} {words}"
            rows.append((title, Carrier(64, depth="8"), "c.png", "j.jpg", quality, sampling, None))
    rows.append(
        (
            "frame with tiles of 33, JPEG q90 4:2:0",
            Carrier(33, WRAPPED),
            "c.png",
            "j.jpg",
            90,
            2,
            frame,
        )
    )
    print(
        "| carrier and file | ΔE mean / 99 % / worst over the cube | on the frame | seconds |\n|---|---|---|---|"
    )
    for title, carrier, out, back, quality, sampling, shot in rows:
        write_carrier(folder / out, carrier, shot, force=True)
        sent = read_return(folder / out)
        save(folder / back, np.clip(lut.apply(sent.pixels), 0, 1), quality, sampling)
        start = time.perf_counter()
        told = recover(read_return(folder / back), read_original(folder / out))
        took = time.perf_counter() - start
        seen = np.clip(told.transform.apply(colours), 0, 1)
        d = difference_of((truth, seen), colours, encoding("BT.1886"))
        w = told.witness.difference if told.witness else None
        on = f"{w.mean:.3f} / {w.p99:.2f} / {w.worst:.2f}" if w else ""
        print(
            f"| {title} | {d.mean:.3f} / {d.p99:.2f} / {d.worst:.2f} | {on} | {took:.1f} |",
            flush=True,
        )


def speed() -> None:
    """Print how long thirty returns of one carrier take, a large frame carrier, and a large picture without one."""
    from sfumato.core.compiled import load_kernels
    from sfumato.core.errors import SfumatoError
    from sfumato.core.study.journey import Journey
    from sfumato.work.cancel import Cancel, silent
    from sfumato.work.trip.arrivals import arrived
    from sfumato.work.trip.carriers import Carrier, neutral, write_carrier
    from sfumato.work.trip.examined import Returns
    from sfumato.work.trip.returns import read_original, read_return, recover

    load_kernels()
    folder = Path(tempfile.mkdtemp())
    names = list(LOOKS)
    sent = write_carrier(folder / "neutral.png", Carrier(64, depth="8"))
    codes = read_return(sent.file).pixels
    files = []
    for i in range(30):
        files.append(folder / f"{i}.png")
        graded = look(names[i % len(names)])(codes) * (1 - 0.005 * i)
        Image.fromarray((graded * 255 + 0.5).astype(np.uint8)).save(files[-1])
    journey = Journey(str(sent.file), "neutral", points=64, layout="HALD")
    start = time.perf_counter()
    came = arrived(files, [journey], Returns(), Cancel(), silent, all_meant=True)
    good = sum(not a.back.fault for a in came)
    print(f"30 returns of level 8, PNG 8: {time.perf_counter() - start:.1f} s, {good} looks")
    scene = _scene(6000, 3000, 5)
    whole, _plan = neutral(Carrier(33, "wrapped", 6), scene)
    print(f"a frame carrier of {whole.shape[0] * whole.shape[1] / 1e6:.0f} megapixels")
    for back, what in ((look("strong")(whole), "with it"), (scene, "a picture without one")):
        Image.fromarray((np.clip(whole, 0, 1) * 255 + 0.5).astype(np.uint8)).save(folder / "c.png")
        Image.fromarray((np.clip(back, 0, 1) * 255 + 0.5).astype(np.uint8)).save(folder / "b.jpg")
        original = read_original(folder / "c.png")
        start = time.perf_counter()
        try:
            recover(read_return(folder / "b.jpg"), original)
        except SfumatoError:
            what += ", refused"
        print(f"  {what}: {time.perf_counter() - start:.1f} s")


def main() -> None:
    sys.path.insert(0, str(ROOT))
    ways = {"accuracy": accuracy, "named": named, "found": found, "speed": speed}
    for name in sys.argv[1:] or list(ways):
        ways[name]()


if __name__ == "__main__":
    main()
