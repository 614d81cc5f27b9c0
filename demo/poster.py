"""Make the demo's page: a poster of the film in CMYK of the Saltglass press, its words in black ink alone.

    python demo/poster.py

Needs the package installed. The same versions of the libraries give the same pixels.
"""

from __future__ import annotations

from pathlib import Path

import imagecodecs
import numpy as np
import tifffile
from PIL import Image, ImageDraw, ImageFont

from sfumato.media.parts.printed import RELATIVE
from sfumato.raster.icc.shipped import shipped

HERE = Path(__file__).parent
FONTS = HERE.parent / "sfumato" / "app" / "fonts"
SIZE = (600, 840)
BAND = 560  # pixels of the picture, from the top
WORDS = (
    ("Saltglass", "IBMPlexSans-SemiBold.ttf", 84, 590),
    ("a film in six shots, one night and one morning", "IBMPlexSans-Regular.ttf", 21, 694),
    ("furnace · sill · causeway · fog · jetty · portrait", "IBMPlexSans-Regular.ttf", 18, 736),
    ("at low tide only", "IBMPlexSans-Medium.ttf", 18, 768),
)


def poster() -> np.ndarray:
    """Return the page as ink codes of 8 bit, (h, w, 4)."""
    width, height = SIZE
    source = Image.open(HERE / "previews" / "jetty.png").convert("RGB")
    across = round(source.height * width / BAND)
    left = (source.width - across) // 2 + 60
    picture = source.crop((left, 0, left + across, source.height)).resize(
        (width, BAND), Image.Resampling.LANCZOS
    )
    light = np.asarray(picture, np.float32) / 255
    rgb = np.asarray(
        np.clip(light**0.6, 0, 1) * 255 + 0.5, np.uint8
    )  # paper shows less than a screen
    inks = imagecodecs.cms_transform(
        rgb,
        imagecodecs.cms_profile("srgb"),
        shipped(),
        colorspace="rgb",
        outcolorspace="cmyk",
        intent=RELATIVE,
        flags=imagecodecs.CMS.FLAGS.BLACKPOINTCOMPENSATION,
    )
    page = np.zeros((height, width, 4), np.uint8)
    page[:BAND] = inks
    black = Image.new("L", SIZE)
    draw = ImageDraw.Draw(black)
    for words, font, size, y in WORDS:
        draw.text((36, y), words, 255, ImageFont.truetype(FONTS / font, size))
    for i in range(11):  # a wedge of black alone
        draw.rectangle(
            (width - 36 - (11 - i) * 16, 806, width - 37 - (10 - i) * 16, 818), round(i * 25.5)
        )
    page[BAND:, :, 3] = np.asarray(black)[BAND:]
    return page


if __name__ == "__main__":
    tifffile.imwrite(
        HERE / "poster.tif",
        poster(),
        photometric="separated",
        compression="deflate",
        compressionargs={"level": 9},
        predictor=True,
        iccprofile=shipped(),
        resolution=(150, 150),
        resolutionunit=2,
        metadata=None,
        software="Sfumato",
    )
