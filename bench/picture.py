"""What each glaze does to noisy pictures over the travel of its controls: `./dev bench picture [ENCODING …]`.

Prints for every glaze and encoding the worst of all its settings: the 99.9 % local gain on the demo
shots with sensor-like noise, how noise of neutral patches grows (black, five stops under grey, grey,
bright), the cast that it gives to black, how much of the cube folds, how many greys fall, and which
setting was the worst for noise. A `!` stands where colours of up to 1e30 do not stay numbers.

`./dev bench picture ease` prints what easing the gamut from several thresholds changes of colours that lie
inside it (Oklab x 100), and what a table of 33 points loses of the View then (CIEDE2000), sampled.
"""

from __future__ import annotations

import sys

from bench.opened import ROOT

sys.path.insert(0, str(ROOT / "tests"))

import attrs
import numpy as np
from picture import ENCODINGS, PATCHES, SHOTS, as_code, measured, noisy, patch, settings

from sfumato.core.arrays import Rgb
from sfumato.core.colour import oklab
from sfumato.core.colour.adapt import transformed
from sfumato.core.colour.encodings import encoding, light_matrix
from sfumato.core.colour.showing import shown
from sfumato.core.glaze import glazes
from sfumato.core.lut.bake import baked
from sfumato.core.lut.difference import cube_colours, difference
from sfumato.core.lut.transform import Transform
from sfumato.core.path.laying import Laying, matte
from sfumato.core.study.study import Study
from sfumato.core.study.view import View
from sfumato.work.frames import WHOLE, open_still, scaled


def easing() -> None:
    log, display = encoding("Tarn Log"), encoding("BT.1886")
    stills = [open_still(ROOT / "demo" / f"{n}.tif").pixels for n in SHOTS]
    pixels = np.concatenate([scaled(s, WHOLE, 240, 135).reshape(-1, 3) for s in stills])
    inside = transformed(log.decode(pixels), light_matrix(log, display)).min(axis=-1) >= 0

    def lab(view: View) -> Rgb:
        code = np.clip(shown(pixels[inside], log, view), 0, 1)
        return oklab.from_light(display.decode(code), display)

    plain = lab(View(ease=False))
    print("        changed inside              lost on shots         over the cube")
    print("from    mean   99 %  touched        mean  99 %  worst     mean  99 %  worst")
    for threshold in (0.8, 0.85, 0.9, 0.92, 0.95, 0.98):
        view = View(threshold=threshold)
        change = np.linalg.norm(lab(view) - plain, axis=-1) * 100
        study = attrs.evolve(Study(), working=log.name, view=view)
        exact = study.transform((log.name, display.name))
        table = Transform((baked(exact, 33),))
        on, over = (difference(exact, table, c, display) for c in (pixels, cube_colours()))
        print(
            f"{threshold:4.2f} {change.mean():7.2f} {np.percentile(change, 99):6.2f} "
            f"{(change > 0.1).mean():8.1%} {on.mean:11.2f} {on.p99:5.2f} {on.worst:6.1f} "
            f"{over.mean:8.2f} {over.p99:5.2f} {over.worst:6.1f}",
            flush=True,
        )


def reaches(working: str) -> str:
    """Say what a Reach by hue takes of noise at black, and how noisy its matte of lit skin is."""
    space, laying = encoding(working), Laying(hue=55.0, hue_width=50.0)
    taken = matte(laying, patch("black", working), space)
    skin, rng = oklab.to_light(np.float32([[0.65, 0.035, 0.05]]), space), np.random.default_rng(2)
    parts = []
    for stops in (0, -2, -4):
        light = np.repeat(skin * np.float32(2.0**stops), 5000, 0)
        share = matte(laying, as_code(noisy(light, rng), space), space)
        parts.append(f"{stops:+d} stops {share.mean():.2f}, sd {share.std():.3f}")
    return f"Reach by hue: of black noise {taken.mean():.3f}; of skin at {'; '.join(parts)}"


def main() -> None:
    if sys.argv[1:] == ["ease"]:
        easing()
        return
    for working in sys.argv[1:] or ENCODINGS:
        print(f"\n{working:18} {'gain':>7} " + " ".join(f"{p:>7}" for p in PATCHES), end="")
        print("    cast   folds  falling  worst for noise")
        for spec in glazes().values():
            each = {label: measured(spec, p, working) for label, p in settings(spec).items()}
            worst = max(each, key=lambda k: max(each[k].noise.values()))
            found = each.values()
            noise = " ".join(f"{max(m.noise[p] for m in found):7.2f}" for p in PATCHES)
            print(
                f"{spec.key:18} {max(m.gain for m in found):7.2f} {noise} "
                f"{max(m.cast for m in found):7.4f} {max(m.folds for m in found):7.1%} "
                f"{max(m.falling for m in found):7.1%}  {worst}"
                f"{'' if all(m.finite for m in found) else ' !'}",
                flush=True,
            )
        print(reaches(working))


if __name__ == "__main__":
    main()
