"""What is wrong with a carrier that came back: each fault with its figure, and how to avoid it."""

from __future__ import annotations

from collections.abc import Iterator

from attrs import frozen

from sfumato.core.carrier.traces import Traces

# Limits, set on twenty looks (identity, negative, monochrome, posterised, clipped …), clean and altered.
_MIXED, _TOLD = 0.04, 0.3  # clean: under 0.01 where more than 0.3 is told
_COARSE, _TOLD_COARSE = 2.0, 0.7  # in grain as coarse as this, chance explains up to 0.6
_MIXED_LOSSY = 0.07  # JPEG at quality 90: up to 0.04
_APART = 4e-3  # of tones and colours, to believe a mixture of tones after JPEG
_COLOURS_APART = 0.25  # 4:2:0 mixes half of the other side's colour and none of its tones
_GRAIN = 0.8  # codes; clean 8 bit: up to 0.58; the grain of a film look: 2.6 and more
_LEFT = 0.6  # codes over wide areas; clean: up to 0.41, posterised 4.9
_LEFT_TILES = 0.2  # of tiles; clean: what is left of more is explained to 0.27
_SEAMS = 2.5  # clean: up to 2.0
_SHIFT = 30.0  # clean: up to 19; moved by a pixel: 46 and more
_BOWL = 0.08  # of light lost in the corners; local contrast looks like up to 0.03


@frozen
class Enough:
    """How much of what follows the place a shape must explain, to be named: bowl, around, or either."""

    bowl: float
    around: float
    either: float


# A HALD shows by its seams that something follows the place at all; steps of a look are left too.
ENOUGH = {"hald": Enough(0.9, 0.9, 0.5), "tiles": Enough(0.95, 0.7, 0.7)}
_WITNESS = Enough(0.5, 0.4, 0.26)  # clean: up to 0.24 where much is left


@frozen
class Fault:
    """One thing that was done to a carrier on its way; `amount` is in `unit`."""

    key: str
    amount: float
    unit: str
    words: str
    avoid: str  # what to do in the other program
    mended: bool = False  # whether the result was made good for it, as far as that goes


TITLES = {
    "sharpened": "Sharpening",
    "blurred": "Blur",
    "resized": "Resize",
    "grain": "Grain",
    "vignette": "Vignette",
    "local_contrast": "Local contrast",
    "spatial": "Effect that depends on the place",
    "jpeg": "JPEG",
    "chroma_subsampled": "Colours at less than full size",
    "shifted": "Shift",
    "cropped": "Crop",
    "8_bit": "Steps of 8 bit",
    "clipped": "Clipped ends",
    "legal_range": "Legal range",
    "gamma_twice": "Gamma twice",
    "monochrome": "Monochrome",
    "profile_converted": "Profile was converted",
}
_AVOID = {
    "sharpened": "Switch sharpening and clarity off, in the export too.",
    "blurred": "Switch noise reduction, softening and resizing off.",
    "resized": "Export at the size that went out.",
    "grain": "Switch grain and noise off.",
    "vignette": "Switch vignettes and lens corrections off.",
    "local_contrast": "Switch clarity, texture, local contrast and tone mapping off.",
    "spatial": "Use no masks, gradients or effects that depend on the place.",
    "jpeg": "Save as PNG or TIFF; if it must be JPEG, at the highest quality.",
    "chroma_subsampled": "Save without colour subsampling (4:4:4), or as PNG or TIFF.",
    "shifted": "Do not crop, turn or straighten the carrier.",
    "cropped": "Leave the whole carrier in the picture.",
    "8_bit": "Save with 16 bit.",
    "clipped": "Lower the exposure there a little if the ends should not clip.",
    "legal_range": "Export with full range (0 to 255).",
    "gamma_twice": "Check the profile in which the carrier is opened and saved.",
    "monochrome": "If colour was meant, check that the effect is switched off.",
    "profile_converted": "Save in the profile in which the carrier went out, without conversion.",
}


def fault(key: str, amount: float, unit: str, words: str, *, mended: bool = False) -> Fault:
    """Return a fault with the advice of its kind."""
    return Fault(key, float(amount), unit, words, _AVOID[key], mended)


def of_traces(
    found: Traces,
    *,
    lossy: bool,
    wide: str | None = None,
    seams: float = 0.0,
    shift: float = 0.0,
) -> list[Fault]:
    """Return what the traces in a picture of nodes or in a witness tell.

    Args:
        lossy: the file is compressed with losses: what that leaves is not taken for grain.
        wide: of nodes a key of ENOUGH, "" where wide effects cannot be told from a look (a strip:
            what runs along it runs along the blue of the cube); None for a witness.
        seams, shift: see `measure.checks.carrier`; of nodes.
    """
    mix = found.mix
    least = _TOLD_COARSE if found.grain > _COARSE and not lossy else _TOLD
    faults = list(_mixed(found, lossy=lossy)) if mix.told > least else []
    filtered = any(f.key in ("sharpened", "blurred") for f in faults)
    if shift > _SHIFT and not faults:
        words = f"The end planes bend {shift:.0f} times as much as the rest: pixels lie beside their places."
        faults.append(fault("shifted", shift, "times", words))
    elif not filtered and wide != "":
        faults += _wide(found, wide, seams)
    if not lossy and found.grain > _GRAIN and not filtered:
        faults.append(
            fault("grain", found.grain, "codes of 255", f"Grain of {found.grain:.1f} codes of 255.")
        )
    return faults


def _mixed(found: Traces, *, lossy: bool) -> Iterator[Fault]:
    mix, least = found.mix, _MIXED_LOSSY if lossy else _MIXED
    if mix.colours - max(mix.tones, 0) > _COLOURS_APART:
        words = f"Colours run {100 * mix.colours:.0f} % into their neighbours, tones do not."
        yield fault("chroma_subsampled", mix.colours, "share", words)
    elif lossy and mix.apart < _APART:
        return  # what compression leaves there looks like either
    elif mix.tones < -least:
        words = f"Edges overshoot by {-100 * mix.tones:.0f} %: the picture was sharpened."
        yield fault("sharpened", -mix.tones, "share", words)
    elif mix.tones > least:
        words = f"Pixels hold {100 * mix.tones:.0f} % of their neighbours: blurred, or resized and back."
        yield fault("blurred", mix.tones, "share", words)


def _wide(found: Traces, wide: str | None, seams: float) -> list[Fault]:
    """Name what follows the place: by the shape that explains it best."""
    enough = _WITNESS if wide is None else ENOUGH[wide]
    bowl, around = found.explained
    if found.left <= (_LEFT_TILES if wide == "tiles" else _LEFT):
        return []
    if bowl > max(enough.bowl, around) and found.vignette > _BOWL:
        words = f"The corners are {100 * found.vignette:.0f} % darker than the middle."
        return [fault("vignette", found.vignette, "share", words)]
    is_bowl = bowl > around and found.vignette > _BOWL
    if around > enough.around and not is_bowl and abs(found.local) > 0.05:
        words = f"Large areas differ from their surroundings by {100 * found.local:.0f} % more than before."
        return [fault("local_contrast", found.local, "share", words)]
    if max(bowl, around) > enough.either and (wide != "hald" or seams > _SEAMS):
        words = (
            f"{found.left:.1f} codes of 255 follow the place in the picture instead of the colour."
        )
        return [fault("spatial", found.left, "codes of 255", words)]
    return []
