"""The commands of the Swatchbook."""

from __future__ import annotations

from sfumato.app.services.actions import ActionSpec

ACTIONS = (
    ActionSpec("swatch_add_folder", "Add a folder of looks…", "Swatchbook"),
    ActionSpec(
        "swatch_put",
        "Put what side B shows into the Look",
        "Swatchbook",
        when="has_swatch",
        help="A look that expects something else is converted to working values.",
    ),
    ActionSpec("swatch_keep", "Keep the look", "Swatchbook", when="has_swatch", section=1),
    ActionSpec("swatch_pass", "Pass the look", "Swatchbook", when="has_swatch", section=1),
    ActionSpec(
        "swatch_convert",
        "Convert the look for this study",
        "Swatchbook",
        when="has_swatch",
        section=1,
    ),
    ActionSpec(
        "swatch_save",
        "Save what side B shows as a LUT…",
        "Swatchbook",
        when="has_swatch",
        section=1,
    ),
    ActionSpec("swatch_sheet", "Contact sheet…", "Swatchbook", when="in_swatchbook", section=1),
    ActionSpec("swatch_rename", "Rename the file…", "Swatchbook", when="has_swatch", section=2),
    ActionSpec(
        "swatch_move",
        "Move the file to another folder…",
        "Swatchbook",
        when="has_swatch",
        section=2,
    ),
    ActionSpec(
        "swatch_reveal", "Show the file in its folder", "Swatchbook", when="has_swatch", section=2
    ),
    ActionSpec(
        "swatch_trash", "Put the file into the trash", "Swatchbook", when="has_swatch", section=2
    ),
)
