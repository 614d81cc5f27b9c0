"""Camera raw, developed to linear light."""

from __future__ import annotations

import io

import numpy as np

from sfumato.core.errors import MediaError
from sfumato.media.parts import tags
from sfumato.media.parts.contract import FrameFacts, MediaSpec, Still
from sfumato.media.parts.upright import check_size
from sfumato.raster import tiff

_HEADS = (b"II*\0", b"MM\0*", b"IIU\0", b"IIRO", b"IIRS", b"MMOR", b"FUJIFILM", b"\0MRM", b"FOVb")
ENCODING = "Linear BT.2020"


def sniff(head: bytes) -> bool:
    return head.startswith(_HEADS) or head[4:11] == b"ftypcrx"


def read(data: bytes, _frame: int) -> Still:
    """Develop: white as the camera set it, no brightening, no curve; 1.0 is where the sensor clips.

    Raises:
        MediaError: it is damaged, too large, or of a camera that is not known.
    """
    import rawpy

    tiff.check_negative(data)
    try:
        with rawpy.imread(io.BytesIO(data)) as raw:
            check_size(raw.sizes.width, raw.sizes.height)
            pixels = raw.postprocess(
                use_camera_wb=True,
                no_auto_bright=True,
                gamma=(1, 1),
                output_bps=16,
                output_color=rawpy.ColorSpace.Rec2020,
                adjust_maximum_thr=0.0,  # scaled by what the sensor holds, not by this picture
            )
    except MediaError:
        raise
    except (rawpy.LibRawError, ValueError, RuntimeError, OSError, MemoryError) as error:
        raise MediaError(
            "the raw file cannot be developed: damaged, cut short, or of an unknown camera",
            hint="turn it into a DNG or TIFF first",
        ) from error
    return Still(
        np.ascontiguousarray(pixels),
        FrameFacts(
            "16 bit, camera raw",
            ENCODING,
            "developed from camera raw, white as shot",
            exif=tags.kept_of_tiff(data),
        ),
    )


SPEC = MediaSpec(
    "raw",
    "Camera raw",
    (".dng", ".cr2", ".cr3", ".nef", ".arw", ".raf", ".rw2", ".orf", ".pef", ".srw"),
    sniff,
    read,
    named=True,
)
