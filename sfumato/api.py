"""The verbs for scripts, as `import sfumato` offers them; heavy parts load on first use."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

from sfumato.core.arrays import Rgb
from sfumato.core.colour.encodings import Encoding
from sfumato.core.colour.encodings import convert as _convert
from sfumato.core.colour.encodings import encodings as encodings
from sfumato.core.errors import FormatError as FormatError
from sfumato.core.errors import MediaError as MediaError
from sfumato.core.errors import SfumatoError as SfumatoError
from sfumato.core.errors import StudyError as StudyError
from sfumato.core.glaze import GlazeSpec
from sfumato.core.glaze import glazes as _glazes
from sfumato.core.lut.difference import Difference, cube_colours, difference
from sfumato.core.lut.transform import Transform
from sfumato.core.study.study import Study

if TYPE_CHECKING:
    from sfumato.core.carrier.recover import Recovered


def read(path: str | Path) -> Transform:
    """Read any LUT file.

    Raises:
        FormatError: it cannot be read; carries line and column.
    """
    from sfumato.work.luts.lut_files import read_lut

    return read_lut(path).transform


def write(transform: Transform, path: str | Path, **options: Any) -> Transform:
    """Write a transform to a LUT file; returns what the file holds, as it reads back.

    Args:
        options: `format`, `grid`, `bits`, `layout`, `shaper`, `fitted`, `domain`, `title`, `force`,
            as in the command `convert`.
    """
    from sfumato.work.luts.deliver import write_lut

    return write_lut(transform, path, **options).transform


def open_study(path: str | Path) -> Study:
    """Open a study file.

    Raises:
        StudyError: it cannot be read or is none.
    """
    from sfumato.work.stores.study_store import open_study as opened

    return opened(path)


def proof(a: Transform, b: Transform, on: Any = None, display: str = "BT.1886") -> Difference:
    """Measure what two transforms do to colours, as `display` shows the results.

    Args:
        on: (..., 3) input colours; None for a fixed set that fills the cube.
    """
    colours = cube_colours() if on is None else on
    return difference(a, b, colours, encodings()[display])


def to_encoding(rgb: Any, source: Encoding | str, target: Encoding | str) -> Rgb:
    """Carry (..., 3) colours from one encoding to another, without a tone scale, unclipped."""
    return _convert(rgb, source, target)


def glazes() -> Mapping[str, GlazeSpec]:
    """Return every glaze by key."""
    return _glazes()


def recover(picture: Any, of: str | Path | None = None, grid: int = 0) -> Recovered:
    """Make a LUT of a carrier that came back.

    Args:
        picture: a file, or code values (h, w, 3): uint8, uint16, or float of 0..1.
        of: the carrier that went out.
        grid: points of the LUT; 0 for the carrier's.
    Returns:
        A record with transform, kind, points, faults, covered, witness.

    Raises:
        FormatError: no carrier is in it.
    """
    import numpy as np

    from sfumato.core.carrier.search import Came
    from sfumato.media.parts.contract import as_float
    from sfumato.raster.samples import DEPTHS
    from sfumato.work.trip import returns

    original = None if of is None else returns.read_original(Path(of))
    if isinstance(picture, str | Path):
        back = returns.read_return(Path(picture))
    else:
        pixels = np.asarray(picture)
        if pixels.ndim != 3 or pixels.shape[-1] != 3:
            raise FormatError(f"the picture has the shape {pixels.shape}", hint="give (h, w, 3)")
        depth = DEPTHS.get(pixels.dtype.name, "32f")
        back = returns.Returned(Path("picture"), as_float(pixels), Came(depth))
    return returns.recover(back, original, grid=grid)
