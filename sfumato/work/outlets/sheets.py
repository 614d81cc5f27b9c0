"""Pictures for packs, drawn without a window: before and after, a contact sheet, a strip of samples."""

from __future__ import annotations

import io
import time
from functools import lru_cache
from importlib import resources
from typing import Any

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from sfumato.core.arrays import Array

_PAPER, _INK, _PALE = (250, 250, 250), (40, 40, 40), (120, 120, 120)
_ACROSS, _SIDE, _GAP = 4, 400, 24
_STRIP = (1600, 420)
_WHEN = time.gmtime(1_577_836_800)
_MOST = 400  # looks on a sheet


@lru_cache(maxsize=8)
def font_of(size: int) -> Any:
    """Return the window's typeface in a size, for drawing without a window."""
    file = resources.files("sfumato.app") / "fonts" / "IBMPlexSans-Regular.ttf"
    with resources.as_file(file) as place:
        return ImageFont.truetype(str(place), size)


def _png(image: Image.Image) -> bytes:
    out = io.BytesIO()
    image.save(out, "png")
    return out.getvalue()


def _cut(draw: ImageDraw.ImageDraw, words: str, size: int, room: float) -> str:
    """Return words that fit into a room."""
    if draw.textlength(words, font=font_of(size)) <= room:
        return words
    while words and draw.textlength(f"{words}…", font=font_of(size)) > room:
        words = words[:-1]
    return f"{words}…"


def before_after(before: Array, after: Array, name: str) -> bytes:
    """Return a PNG with a picture (h, w, 3 uint8) as it was at the left and as it became at the right."""
    height, width = before.shape[:2]
    image = Image.new("RGB", (2 * width + 8, height + 40), _PAPER)
    image.paste(Image.fromarray(before), (0, 0))
    image.paste(Image.fromarray(after), (width + 8, 0))
    draw = ImageDraw.Draw(image)
    draw.text((8, height + 9), "before", _PALE, font=font_of(18))
    words = _cut(draw, name, 18, width - 16)
    draw.text((width + 16, height + 9), words, _INK, font=font_of(18))
    return _png(image)


def contact_sheet(title: str, seen: list[tuple[str, Array]], suffix: str) -> bytes:
    """Return pictures with their names in rows, as PNG or PDF by the suffix."""
    shown = seen[:_MOST]
    height = round(_SIDE * shown[0][1].shape[0] / shown[0][1].shape[1])
    rows = -(-len(shown) // _ACROSS)
    size = (
        _ACROSS * (_SIDE + _GAP) + _GAP,
        90 + rows * (height + 44) + _GAP,
    )
    image = Image.new("RGB", size, _PAPER)
    draw = ImageDraw.Draw(image)
    draw.text((_GAP, 26), _cut(draw, title, 34, size[0] - 2 * _GAP), _INK, font=font_of(34))
    for i, (name, pixels) in enumerate(shown):
        x = _GAP + (i % _ACROSS) * (_SIDE + _GAP)
        y = 90 + (i // _ACROSS) * (height + 44)
        image.paste(
            Image.fromarray(pixels).resize((_SIDE, height), Image.Resampling.LANCZOS), (x, y)
        )
        draw.text((x, y + height + 6), _cut(draw, name, 20, _SIDE), _INK, font=font_of(20))
    if suffix == ".pdf":
        out = io.BytesIO()
        when = {"creationDate": _WHEN, "modDate": _WHEN}  # the same looks give the same bytes
        image.save(out, "pdf", resolution=150.0, title=title, producer="Sfumato", **when)
        return out.getvalue()
    return _png(image)


def sample_strip(before: Array, seen: list[tuple[str, Array]]) -> bytes:
    """Return one picture in upright slices: as it was, then each look."""
    width, height = _STRIP
    slices = [before, *(p for _name, p in seen)]
    whole = [
        np.asarray(Image.fromarray(p).resize((width, height), Image.Resampling.LANCZOS))
        for p in slices
    ]
    edges = np.linspace(0, width, len(whole) + 1).round().astype(int)
    out = np.empty((height, width, 3), np.uint8)
    for picture, left, right in zip(whole, edges[:-1], edges[1:], strict=True):
        out[:, left:right] = picture[:, left:right]
    return _png(Image.fromarray(out))
