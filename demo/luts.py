"""Makes demo/luts: LUT files of the Saltglass production, good ones and faulty ones. Run: python demo/luts.py."""

from __future__ import annotations

from pathlib import Path

import attrs
import numpy as np

from sfumato.core.lut.recast import legal_out, limited, sampled, shaped
from sfumato.core.lut.stages import CdlStage, Matrix
from sfumato.core.lut.table import Table1D, Table3D
from sfumato.core.lut.transform import Transform
from sfumato.formats.parts import picture
from sfumato.work.luts.deliver import write_lut
from sfumato.work.luts.proof import span_words
from sfumato.work.stores.study_store import demo_study, open_study

HERE = Path(__file__).resolve().parent
FOLDER = HERE / "luts"


def main() -> None:
    FOLDER.mkdir(exist_ok=True)
    study = demo_study()
    assert study is not None
    opened = open_study(study)
    look = opened.transform()
    titled = attrs.evolve(look, title="Low tide", comments=span_words(opened))

    def write(name: str, transform: Transform, **options: object) -> None:
        write_lut(transform, FOLDER / name, force=True, is_look=True, **options)

    def plain(rgb: np.ndarray) -> np.ndarray:
        """Grade display values: a soft curve, warm lights, cool shadows."""
        x = np.clip(np.asarray(rgb, np.float64), 0, 1)
        y = x + 0.35 * (x * x * (3 - 2 * x) - x)
        luma = y @ [0.2126, 0.7152, 0.0722]
        warm = (luma - 0.45)[..., None] * np.array([0.08, 0.01, -0.09])
        return np.asarray(luma[..., None] + 0.92 * (y - luma[..., None]) + warm, np.float32)

    from sfumato.core.lut.transform import Function

    day = Transform((Function("day", plain),), "Salt day")
    write("low_tide_33.cube", titled, grid=33)
    write("monitor_a.3dl", titled, grid=17)
    write("stage_b.csp", shaped(titled, 1024, 17))
    write("tiles_32.png", day, format="strip", layout="row, green up")
    write("salt_day.ktx2", day, grid=17)
    write("salt_day_link.icc", day, grid=17)
    tone = Table1D(np.linspace(0, 1, 256)[:, None] ** [0.95, 1.0, 1.06])
    chain = Transform((Matrix(((0.98, 0.02, 0), (0.01, 0.97, 0.02), (0, 0.03, 0.97))), tone))
    chain = attrs.evolve(chain, title="Kiln balance", comments=("for the furnace scenes",))
    write("kiln_balance.clf", chain)
    table = sampled(day, 17).table
    assert table is not None
    swapped = Table3D(table.values.transpose(1, 0, 2, 3))
    write("pack_017.cube", Transform((swapped,), "Pack 17"))
    write("camera_legal.cube", legal_out(sampled(limited(day), 17)), grid=17)
    corrections = [
        CdlStage((1.05, 1.0, 0.95), (0.01, 0.0, -0.01), (1.0, 1.0, 1.05), 0.9, id=f"SG_0{i}0")
        for i in (1, 2, 3)
    ]
    body = "".join(
        f'<ColorCorrection id="{c.id}"><Description>scene {i}</Description><SOPNode>'
        f"<Slope>{c.slope[0] + i / 50:g} 1 0.95</Slope><Offset>0.01 0 -0.01</Offset>"
        "<Power>1 1 1.05</Power></SOPNode><SatNode><Saturation>0.9</Saturation></SatNode>"
        "</ColorCorrection>"
        for i, c in enumerate(corrections, 1)
    )
    head = '<?xml version="1.0" encoding="UTF-8"?>\n<ColorCorrectionCollection>'
    (FOLDER / "furnace.ccc").write_text(f"{head}{body}</ColorCorrectionCollection>\n")
    lattice = np.clip(sampled(day, 64).stages[0].values, 0, 1)  # type: ignore[union-attr]
    grain = np.random.default_rng(3).normal(0, 1.6 / 255, (512, 512, 3))
    returned = np.asarray(picture.arranged(lattice, picture.HALD) + grain, np.float32)
    (FOLDER / "returned_hald8.png").write_bytes(picture.encoded(returned, "8", ".png"))
    lines = (FOLDER / "pack_017.cube").read_text().splitlines()
    lines[811] = " ".join(lines[811].split()[:2])
    (FOLDER / "broken.cube").write_text("\n".join(lines) + "\n")


if __name__ == "__main__":
    main()
