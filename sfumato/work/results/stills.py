"""Applying a transform to a whole still and writing it, at the picture's own depth or another."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.colour import span_note
from sfumato.core.colour.encodings import convert
from sfumato.core.colour.encodings import encoding as encoding_of
from sfumato.core.errors import ExportError, NameTaken, ValueRefused
from sfumato.core.lut.sample import Packed, apply_packed, packed
from sfumato.core.lut.table import UNIT
from sfumato.core.lut.transform import Transform
from sfumato.media.parts.contract import MediaSpec, Saving, Still
from sfumato.media.parts.registry import by_suffix
from sfumato.raster.samples import in_codes
from sfumato.work.files import exists, write_bytes
from sfumato.work.tiles import apply_tiled, run_tiled

PLAIN = Saving()
_DTYPES = {8: np.uint8, 16: np.uint16, 32: np.float32}


def rounded(code: Array, bits: int, kind: MediaSpec | None = None, encoding: str = "") -> Array:
    """Turn float code values into the numbers of a file: 8 or 16 bit rounded, 32 = float as it is.

    Kinds that hold light get it, where the encoding of the codes is known: float16 or float32.
    """
    if kind is not None and kind.is_linear:
        light = encoding_of(encoding).decode(code) if encoding else code
        half = np.float16(65504)
        return light.astype(np.float32) if bits == 32 else np.clip(light, -half, half).astype("f2")
    return in_codes(code, "32f" if bits == 32 else str(bits))


def default_bits(still: Still, suffix: str) -> int:
    """Return the depth of the picture itself, as far as the target's kind holds it."""
    own = {"uint8": 8, "uint16": 16}.get(still.pixels.dtype.name, 32)
    held = [int(d.split()[0]) for d in kind_for(Path(f"x{suffix}")).depths]
    return own if own in held else max(held)


@frozen(eq=False)
class Chain:
    """Steps on code values, one after the other; `only` is the lattice where a look-up is all there is."""

    steps: tuple[Callable[[Rgb], Rgb], ...]
    only: Packed | None = None

    def __call__(self, rgb: Rgb) -> Rgb:
        for step in self.steps:
            rgb = step(rgb)
        return rgb


def _one(transform: Transform, interp: str) -> Callable[[Rgb], Rgb]:
    """Return a transform as a function; a 3D table alone is laid out for the kernels once."""
    table = transform.table
    if table is None:
        return lambda rgb: transform.apply(rgb, interp)
    held, how = packed(table), table.interp or interp

    def look_up(rgb: Rgb) -> Rgb:
        pixels = np.ascontiguousarray(rgb, np.float32)
        out = np.empty_like(pixels)
        apply_packed(held, pixels, out, how)
        return out

    return look_up


def chain_of(
    transforms: list[Transform],
    interp: str = "tetrahedral",
    from_encoding: str | None = None,
    to_encoding: str | None = None,
) -> Chain:
    """Return transforms in order as one function on code values.

    Without encodings the numbers of the picture go through as they are. `from_encoding` says what
    the picture is: where a LUT says that it expects another encoding, the colours are carried there
    first. `to_encoding` carries what the last LUT gives on to another encoding.

    Raises:
        ValueRefused: `to_encoding` is asked for and nobody says what the last LUT gives.
    """
    steps: list[Callable[[Rgb], Rgb]] = []

    def carry(source: str, target: str) -> None:
        if source != target:
            steps.append(lambda rgb: convert(rgb, source, target))

    now = from_encoding
    for transform in transforms:
        expects, gives = span_note.read(transform.comments)
        if now is not None and expects is not None:
            carry(now, expects)
        steps.append(_one(transform, interp))
        now = gives
    if to_encoding is not None:
        if now is None:
            raise ValueRefused(
                "the LUT does not say which encoding it gives", hint="leave --to away"
            )
        carry(now, to_encoding)

    table = transforms[0].table if len(steps) == 1 else None
    is_plain = table is not None and (table.interp or interp) == "tetrahedral"
    return Chain(tuple(steps), packed(table) if table is not None and is_plain else None)


def applied(
    transforms: list[Transform],
    still: Still,
    *,
    bits: int,
    interp: str = "tetrahedral",
    from_encoding: str | None = None,
    to_encoding: str | None = None,
    kind: MediaSpec | None = None,
) -> tuple[Array, str]:
    """Return the still through transforms in order (`chain_of`), as numbers of `bits`.

    Beside them the encoding that they are in, "" when neither the caller nor the last LUT says it.
    """
    gives = to_encoding or span_note.read(transforms[-1].comments)[1] or ""
    only = transforms[0].table if len(transforms) == 1 else None
    plain = from_encoding is None and to_encoding is None and only is not None
    plain &= kind is None or not kind.is_linear
    if plain and only is not None and only.domain == UNIT and still.pixels.dtype == _DTYPES[bits]:
        return apply_tiled(packed(only), still.pixels, _DTYPES[bits], interp), gives
    run = chain_of(transforms, interp, from_encoding, to_encoding)
    return rounded(run_tiled(run, still.as_float(), tile=65536), bits, kind, gives), gives


def kind_for(file: Path) -> MediaSpec:
    """Return the kind of picture that the suffix of `file` names.

    Raises:
        ExportError: there is none that can be written.
    """
    kind = by_suffix(file.name)
    if kind is None or kind.write is None:
        raise ExportError(
            "pictures of this kind cannot be written",
            hint="use .png, .tif, .jpg or .exr",
            where=str(file),
        )
    return kind


def write_still(
    pixels: Array, path: str | Path, saving: Saving = PLAIN, *, force: bool = False
) -> tuple[str, ...]:
    """Write a picture; the suffix chooses the kind.

    Returns:
        What the kind cannot keep of `saving`, in words.
    Raises:
        ExportError: the suffix names no kind that can be written, or the place cannot be written.
        MediaError: the kind does not hold that depth.
    """
    file = Path(path)
    kind = kind_for(file)
    if not force and exists(file):
        raise NameTaken(str(file))
    assert kind.write is not None
    write_bytes(file, kind.write(pixels, saving), force=force)
    return kind.unkept(saving)
