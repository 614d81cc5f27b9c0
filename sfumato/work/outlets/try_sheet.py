"""A try sheet: one test in eight dialects, to find out which ones a target takes and what it makes of them.

Each file turns greys into a colour of its own, so that the picture tells which file was loaded. Bright
colours stay as they are: where red looks blue, the target has swapped the axes. A dark line at a quarter
and at three quarters of the grey ramp tells the range: the chart has marks where it falls for full and
for legal range. What the target shows is read off by the notes beside.
"""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
from attrs import frozen
from PIL import Image, ImageDraw

from sfumato.core.arrays import Rgb
from sfumato.core.colour.ranges import legal_codes
from sfumato.core.errors import ExportError
from sfumato.core.luma import luma
from sfumato.core.lut.table import Table3D, lattice_colours
from sfumato.core.lut.text_style import FIXED, Style
from sfumato.core.lut.transform import Transform
from sfumato.work.cancel import Cancel, Progress, silent
from sfumato.work.files import exists, write_bytes
from sfumato.work.luts.deliver import REFUSE, REPLACE, deliver
from sfumato.work.luts.target import Target
from sfumato.work.outlets.sheets import font_of

CHART, NOTES = "try sheet chart.png", "try sheet.txt"
_LINES = (0.25, 0.75)  # of the grey ramp
_WIDTH, _HEIGHT = 1280, 720


@frozen
class Trial:
    """One file of the sheet: its number, the colour of its greys, and the dialect that it is in."""

    number: int
    colour: str
    rgb: tuple[float, float, float]
    words: str
    target: Target


_SIX = Style(numbers=FIXED, digits=6)
TRIALS = (
    Trial(1, "red", (1.0, 0.35, 0.3), "cube, 33 points", Target("cube", 33)),
    Trial(2, "orange", (1.0, 0.65, 0.2), "cube, 17 points", Target("cube", 17)),
    Trial(
        3, "yellow", (0.95, 0.9, 0.2), "cube, 33 points, six digits", Target("cube", 33, style=_SIX)
    ),
    Trial(
        4,
        "green",
        (0.35, 0.85, 0.35),
        "cube, 33 points, six digits, lines of CR LF",
        Target("cube", 33, style=Style("\r\n", numbers=FIXED, digits=6)),
    ),
    Trial(
        5,
        "turquoise",
        (0.25, 0.85, 0.85),
        "3dl, 17 points, 12 bit, with header",
        Target("3dl", 17, "12", "with header"),
    ),
    Trial(6, "blue", (0.35, 0.5, 1.0), "3dl, 17 points, 12 bit", Target("3dl", 17, "12", "plain")),
    Trial(7, "violet", (0.7, 0.4, 1.0), "3dl, 33 points, 10 bit", Target("3dl", 33, "10", "plain")),
    Trial(
        8, "pink", (1.0, 0.45, 0.8), "HALD of level 6, PNG", Target("hald", 36, "8", suffix=".png")
    ),
)


def trial_lut(trial: Trial) -> Transform:
    """Return the LUT of a trial: greys in its colour, with lines, bright colours as they are."""
    points = trial.target.grid or 33
    x = lattice_colours(points)
    chroma = (x.max(-1) - x.min(-1))[..., None]
    tone = luma(x)[..., None]
    # As bright as the grey was, about; black and white stay near themselves.
    tinted = np.clip(tone * (np.array(trial.rgb, np.float32) * 0.8 + 0.2), 0, 1)
    nearest = [round(line * (points - 1)) / (points - 1) for line in _LINES]
    lined = np.min([np.abs(tone - line) for line in nearest], axis=0) < 0.5 / (points - 1)
    tinted = np.where(lined, 0.04, tinted)
    share = np.clip(1 - chroma / 0.35, 0, 1)
    values: Rgb = np.asarray(share * tinted + (1 - share) * x, np.float32)
    title = f"try {trial.number} {trial.colour}"
    return Transform((Table3D(values),), title, (f"greys become {trial.colour}",))


def chart() -> bytes:
    """Return the picture to look at through the files, as PNG: a grey ramp with marks, and six colours."""
    image = Image.new("RGB", (_WIDTH, _HEIGHT), (118, 118, 118))
    draw = ImageDraw.Draw(image)
    left, right, top = 80, _WIDTH - 80, 120
    for x in range(left, right):
        tone = round(255 * (x - left) / (right - left - 1))
        draw.line((x, top, x, top + 200), (tone, tone, tone))
    black, white = (v / 255 for v in legal_codes(8))
    for line in _LINES:
        for words, share, above in (
            ("full", line, True),
            ("legal", black + line * (white - black), False),
        ):
            x = left + round(share * (right - left - 1))
            y = top - 12 if above else top + 212
            draw.line((x, y - 10, x, y + 10), (20, 20, 20), 3)
            at = (x, y - 26) if above else (x, y + 26)
            draw.text(at, words, (20, 20, 20), font=font_of(18), anchor="mm")
    colours = {
        "red": (230, 20, 20),
        "green": (20, 200, 20),
        "blue": (30, 30, 235),
        "cyan": (20, 215, 215),
        "magenta": (220, 20, 220),
        "yellow": (235, 235, 20),
    }
    for i, (name, rgb) in enumerate(colours.items()):
        x = left + i * (right - left) // 6
        draw.rectangle((x, 440, x + 150, 590), rgb)
        draw.text((x + 75, 615), name, (20, 20, 20), font=font_of(20), anchor="mm")
    out = io.BytesIO()
    image.save(out, "png")
    return out.getvalue()


def notes() -> str:
    """Return the page that tells how the sheet is read."""
    lines = [
        "Try sheet",
        "=========",
        "",
        f"1. Show {CHART} on the target, without any LUT.",
        "2. Load the files one after the other. A file that works turns the greys into its colour:",
        "",
        *(f"   {t.number}  {t.colour:<10} {t.words}" for t in TRIALS),
        "",
        "3. Look at the picture through a file that works:",
        "   - The squares keep their colours. Where red is blue, the target has swapped the axes.",
        "   - Two dark lines stand on the ramp. At the marks above it, the target takes full range;",
        "     at the marks below it, legal range.",
        "   - The ramp ends in black and in the colour of the file. Where an end is flat for more than",
        "     a hair, the target clips there.",
        "",
        "Then make an outlet like the file that worked: Send, Make it like a file.",
        "",
    ]
    return "\r\n".join(lines)


def write_try_sheet(
    folder: Path, *, force: bool = False, cancel: Cancel | None = None, progress: Progress = silent
) -> list[Path]:
    """Write the eight files, the chart and the notes into a folder; return them all.

    Raises:
        ExportError: a file is there and `force` is false, or the folder cannot be written.
    """
    cancel = cancel or Cancel()
    files = [folder / f"TRY_{t.number}{t.target.ending}" for t in TRIALS]
    there = next((f for f in (*files, folder / CHART, folder / NOTES) if exists(f)), None)
    if there is not None and not force:
        raise ExportError(
            "a try sheet is here already", hint="choose another folder", where=str(there)
        )
    for i, (trial, file) in enumerate(zip(TRIALS, files, strict=True)):
        cancel.check()
        progress(i / len(TRIALS), file.name)
        deliver(trial_lut(trial), trial.target, file, REPLACE if force else REFUSE)
    write_bytes(folder / CHART, chart(), force=force)
    write_bytes(folder / NOTES, notes().encode(), force=force)
    return [*files, folder / CHART, folder / NOTES]
