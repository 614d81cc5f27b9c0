"""The commands that are there in every room."""

from __future__ import annotations

from sfumato.app.services.actions import ActionSpec, K

ACTIONS = (
    ActionSpec("new_study", "New study", "Study", K.New),
    ActionSpec("open_study", "Open study…", "Study", K.Open),
    ActionSpec("open_demo", "Open the demo study", "Study"),
    ActionSpec("save_study", "Save study", "Study", K.Save, section=1),
    ActionSpec("save_study_as", "Save study as…", "Study", K.SaveAs, section=1),
    ActionSpec("revert_study", "Revert to the saved study", "Study", when="has_file", section=1),
    ActionSpec(
        "use_new_way",
        "Use the new way of drawing",
        "Study",
        when="is_former",
        help="Draws the View and glazes that keep an older version's picture as new studies draw them.",
        section=1,
    ),
    ActionSpec("close_window", "Quit", "Study", K.Quit, section=3),
    ActionSpec("undo", "Undo", "Edit", K.Undo, "can_undo"),
    ActionSpec("redo", "Redo", "Edit", K.Redo, "can_redo"),
    ActionSpec("zoom_fit", "Fit the picture", "View", "Ctrl+0", section=2),
    ActionSpec("zoom_actual", "One pixel to one", "View", "Ctrl+1", "has_easel", section=2),
    ActionSpec("zoom_in", "Zoom in", "View", K.ZoomIn, "has_easel", section=2),
    ActionSpec("zoom_out", "Zoom out", "View", K.ZoomOut, "has_easel", section=2),
    ActionSpec(
        "screen_desktop",
        "Show pictures for the screen the desktop tells of",
        "View",
        help="The colours of the View on the profile of this screen; sRGB where the desktop says nothing.",
        section=4,
    ),
    ActionSpec("screen_profile", "Show pictures for a screen profile…", "View", section=4),
    ActionSpec(
        "screen_plain",
        "Send the View's codes to the screen as they are",
        "View",
        help="For a screen that is set to what the View is made for.",
        section=4,
    ),
    ActionSpec(
        "see_on_phone",
        "See it as on a phone by a window, or as it is",
        "View",
        help="Light over the screen lies on the blacks, and a bright surround hardens contrast. For the eye "
        "alone: no LUT or file changes.",
        section=4,
    ),
    ActionSpec(
        "see_in_room",
        "See it as in a dark room, or as it is",
        "View",
        help="The dark flattens contrast to the eye. For the eye alone: no LUT or file changes.",
        section=4,
    ),
    ActionSpec("toggle_theme", "Light or dark surroundings", "View", section=4),
    ActionSpec(
        "open_encodings",
        "Encodings of my own…",
        "Shots",
        help="Define a camera's curve and primaries by their published numbers, or by a LUT file.",
        section=1,
    ),
    ActionSpec(
        "open_config",
        "Use an OCIO config…",
        "Shots",
        help="Its colour spaces become encodings, its displays and views become Views.",
        section=1,
    ),
    ActionSpec(
        "open_guide",
        "Guide…",
        "Help",
        K.HelpContents,
        help="Jobs step by step, and what one should know about LUTs; opens at what this room is for.",
    ),
    ActionSpec("explain_control", "What this control does", "Help", "Shift+F1"),
    ActionSpec("open_palette", "All actions…", "Help", "Ctrl+K"),
    ActionSpec("keyboard_sheet", "Keyboard sheet…", "Help", "Ctrl+F1"),
    ActionSpec("about", "About Sfumato", "Help", section=2),
)
