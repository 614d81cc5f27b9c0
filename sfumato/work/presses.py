"""Makes the press profiles that ship: `python -m sfumato.work.presses`; takes half a minute."""

from __future__ import annotations

from importlib import resources
from pathlib import Path

from sfumato.core.print.press import SALTGLASS
from sfumato.raster.icc.press import press_profile
from sfumato.raster.icc.shipped import VERSIONS, file_name
from sfumato.work.files import write_bytes

if __name__ == "__main__":
    folder = Path(str(resources.files("sfumato.press")))
    for version in VERSIONS:
        write_bytes(folder / file_name(version), press_profile(SALTGLASS, version))
