"""Baking a Look of twelve glazes of the heaviest kinds, against a fixed piece of arithmetic."""

from __future__ import annotations

import numpy as np
from heavy import heavy_coats

from sfumato.core.lut.table import lattice_colours
from sfumato.core.study.study import Look, Study
from sfumato.work.tiles import bake_tiled, run_tiled


def test_twelve_glazes(turns) -> None:
    look = Look("heavy", heavy_coats())
    study = Study(working="Tarn Log", look=look)
    into, whole = study.transform(("Tarn Log", "Tarn Log")), study.transform(("Tarn Log", "sRGB"))
    nodes = lattice_colours(65).reshape(-1, 3)
    mix = np.float32([[0.9, 0.1, 0.0], [0.0, 0.9, 0.1], [0.1, 0.0, 0.9]])

    def arithmetic(rgb):
        for _ in range(12):
            rgb = np.exp2(np.log2(np.abs(rgb @ mix) + np.float32(0.01)) * np.float32(1.01))
        return rgb

    turns(
        rounds=15,
        arithmetic_65=lambda: run_tiled(arithmetic, nodes),
        bake_33=lambda: bake_tiled(into, 33),
        bake_65=lambda: bake_tiled(into, 65),
        bake_33_with_view=lambda: bake_tiled(whole, 33),
        bake_65_with_view=lambda: bake_tiled(whole, 65),
    )
