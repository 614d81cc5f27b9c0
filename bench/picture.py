"""What each glaze does to noisy pictures over the travel of its controls: `./dev bench picture [ENCODING …]`.

Prints for every glaze and encoding the worst of all its settings: the 99.9 % local gain on the demo
shots with sensor-like noise, how noise of neutral patches grows (black, five stops under grey, grey,
bright), the cast that it gives to black, how much of the cube folds, how many greys fall, and which
setting was the worst for noise. A `!` stands where colours of up to 1e30 do not stay numbers.
"""

from __future__ import annotations

import sys

from bench.opened import ROOT

sys.path.insert(0, str(ROOT / "tests"))

from picture import ENCODINGS, PATCHES, measured, settings

from sfumato.core.glaze import glazes


def main() -> None:
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


if __name__ == "__main__":
    main()
