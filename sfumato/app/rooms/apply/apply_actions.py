"""The commands of the Apply room: painting on stills."""

from __future__ import annotations

from sfumato.app.services.actions import ActionSpec

ACTIONS = (
    ActionSpec(
        "paint_still",
        "Paint where the Look goes…",
        "Edit",
        "Ctrl+B",
        "has_still",
        help="A mask for the Look on one still, and LUTs laid on parts of it; not in the LUT.",
        section=4,
    ),
    ActionSpec("paint_layer", "Lay a LUT on the still…", "Edit", when="is_painting", section=4),
    ActionSpec(
        "mask_invert", "Invert the mask", "Edit", when="is_painting", section=4, within="Mask"
    ),
    ActionSpec(
        "mask_full", "Mask: everywhere", "Edit", when="is_painting", section=4, within="Mask"
    ),
    ActionSpec("mask_empty", "Mask: nowhere", "Edit", when="is_painting", section=4, within="Mask"),
)
