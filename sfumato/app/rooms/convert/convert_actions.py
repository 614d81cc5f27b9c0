"""The commands of the Convert room."""

from __future__ import annotations

from sfumato.app.services.actions import ActionSpec

ACTIONS = (
    ActionSpec("add_luts", "Add LUT files…", "Convert", "Ctrl+L"),
    ActionSpec("add_lut_folder", "Add a folder of LUT files…", "Convert"),
    ActionSpec("compare_luts", "Compare the LUT with…", "Convert", "Ctrl+Shift+D", "has_lut"),
    ActionSpec(
        "convert_files", "Convert the files", "Convert", "Ctrl+Return", "has_lut", section=1
    ),
)
