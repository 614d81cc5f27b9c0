"""Makes the press profiles that ship; takes half a minute."""

from __future__ import annotations

from pathlib import Path

from sfumato.core.print.press import SALTGLASS
from sfumato.formats.parts.press_profile import press_profile
from sfumato.press import VERSIONS, file_name
from sfumato.work.files import write_bytes

if __name__ == "__main__":
    for version in VERSIONS:
        write_bytes(Path(__file__).parent / file_name(version), press_profile(SALTGLASS, version))
