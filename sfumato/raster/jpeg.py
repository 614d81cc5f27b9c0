"""JPEG: 8 bit, colour and grey."""

from __future__ import annotations

import io

import numpy as np
from PIL import Image

from sfumato.core.errors import MediaError
from sfumato.raster.samples import Samples, SizeRule, damaged

SIGNATURE = b"\xff\xd8\xff"


def decode(data: bytes, check: SizeRule) -> Samples:
    """Decode a JPEG; grey comes back as colour, CMYK is refused.

    Raises:
        MediaError: it is cut short, damaged, CMYK, or of a size that `check` refuses.
    """
    try:
        with Image.open(io.BytesIO(data)) as image:
            check(*image.size)
            if image.mode not in ("RGB", "L"):
                raise MediaError(f"the JPEG is {image.mode}", hint="save it as RGB")
            is_colour = image.mode == "RGB"
            return Samples(np.asarray(image if is_colour else image.convert("RGB")), is_colour)
    except (OSError, SyntaxError, ValueError, Image.DecompressionBombError) as error:
        raise damaged("JPEG") from error
