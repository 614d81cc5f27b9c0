"""The codecs that clips are written with, and what each can hold and say."""

from __future__ import annotations

from pathlib import Path

from attrs import evolve, frozen

from sfumato.core.errors import ExportError, ValueRefused
from sfumato.media.clip import WEIGHTS
from sfumato.work.results.planes import Layout


@frozen
class Codec:
    """How a codec is written: its encoder, the suffixes that hold it, and the depths and samplings it takes."""

    key: str
    title: str
    encoder: str
    suffixes: tuple[str, ...]
    formats: tuple[str, ...]  # pixel formats, the usual one first
    options: tuple[tuple[str, str], ...] = ()
    full: bool = True  # whether it can say that its numbers are of full range
    matrices: tuple[int, ...] = tuple(WEIGHTS)  # of H.273, that it can say
    odd: bool = False  # whether halved chroma may go with an odd width or height
    least: tuple[int, int] = (1, 1)  # pixels, that its encoder takes


CODECS = {
    c.key: c
    for c in (
        Codec(
            "ffv1",
            "FFV1, lossless",
            "ffv1",
            (".mkv",),
            tuple(
                f"yuv{s}p{d}" for d in ("", "10le", "12le", "16le") for s in ("420", "422", "444")
            ),
            (("level", "3"), ("slices", "4"), ("slicecrc", "1")),
            least=(4, 4),
        ),
        Codec(
            "prores",
            "ProRes 422 HQ",
            "prores_ks",
            (".mov",),
            ("yuv422p10le", "yuv444p10le"),
            (("profile", "3"),),
            full=False,
            odd=True,
        ),
        Codec(
            "dnxhr",
            "DNxHR",
            "dnxhd",
            (".mov", ".mkv"),
            ("yuv422p10le", "yuv422p"),
            matrices=(1,),
            odd=True,
            least=(256, 120),
        ),
        Codec(
            "h264",
            "H.264",
            "libx264",
            (".mp4", ".mov", ".mkv"),
            tuple(f"yuv{s}p{d}" for d in ("", "10le") for s in ("420", "422", "444")),
        ),
        Codec(
            "hevc",
            "HEVC",
            "libx265",
            (".mp4", ".mov", ".mkv"),
            tuple(f"yuv{s}p{d}" for d in ("", "10le") for s in ("420", "422", "444")),
            (("x265-params", "log-level=error"),),
            least=(16, 16),
        ),
    )
}
# Presets of the H.264 and HEVC encoders. At one rate factor quick makes about three times the frames a
# second of thorough, at a tenth more error.
EFFORTS = {"quick": "veryfast", "thorough": "medium"}
_USUAL = {".mkv": "ffv1", ".mov": "prores", ".mp4": "h264", ".m4v": "h264"}


def codec_for(target: Path, key: str = "") -> Codec:
    """Return the codec that is written into a file.

    Raises:
        ExportError: the suffix names no kind of clip, or does not hold that codec.
    """
    suffix = target.suffix.lower()
    if suffix not in _USUAL:
        raise ExportError(
            "clips of this kind cannot be written", hint="use .mkv, .mov or .mp4", where=str(target)
        )
    found = CODECS.get(key or _USUAL[suffix])
    if found is None:
        raise ValueRefused(f"there is no codec {key!r}", hint=f"use one of {', '.join(CODECS)}")
    if suffix not in found.suffixes and not (suffix == ".m4v" and ".mp4" in found.suffixes):
        raise ExportError(
            f"{suffix} does not hold {found.title}",
            hint=f"use {' or '.join(found.suffixes)}",
            where=str(target),
        )
    return found


def out_layout(
    source: Layout, codec: Codec, width: int, height: int
) -> tuple[Layout, tuple[str, ...]]:
    """Return the source's layout as near as a codec holds it at that size in pixels, and what changes.

    Raises:
        ExportError: the codec does not hold pictures so small.
    """
    if width < codec.least[0] or height < codec.least[1]:
        across, down = codec.least
        raise ExportError(
            f"{codec.title} holds no pictures under {across} × {down} pixels, "
            f"and this is {width} × {height}",
            hint="choose another codec",
        )
    remarks = []
    if not codec.odd and (width % source.across or height % source.down):
        source = evolve(source, across=1, down=1)
        remarks.append(f"the odd size {width} × {height} is held with full chroma (4:4:4)")
    if source.full and not codec.full:
        source = evolve(source, full=False)
        remarks.append(f"{codec.title} holds legal range only")
    if source.matrix not in codec.matrices:
        source = evolve(source, matrix=codec.matrices[0])
        remarks.append(f"{codec.title} holds the BT.709 matrix only")
    if source.format in codec.formats:
        return source, tuple(remarks)
    wanted = {"420": (2, 2), "422": (2, 1), "444": (1, 1)}

    def layout(name: str) -> Layout:
        across, down = wanted[name[3:6]]
        bits = int(name[7:-2]) if name.endswith("le") else 8
        return Layout(bits, across, down, source.full, source.matrix)

    def cost(held: Layout) -> tuple[int, int, int]:
        # Chroma that is thrown away costs most, then bits, then what is written for nothing.
        coarse = max(held.across - source.across, 0) + max(held.down - source.down, 0)
        size = 4 - held.across - held.down + abs(held.bits - source.bits)
        return coarse, max(source.bits - held.bits, 0), size

    best = min((layout(f) for f in codec.formats), key=cost)
    if best.bits < source.bits:
        remarks.append(f"{codec.title} holds {best.bits} bit of {source.bits}")
    if best.across > source.across or best.down > source.down:
        remarks.append(f"{codec.title} holds less chroma than the source")
    return best, tuple(remarks)
