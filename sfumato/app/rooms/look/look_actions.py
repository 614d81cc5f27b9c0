"""The commands of the Look room: glazes, presets, the Easel, shots, the export."""

from __future__ import annotations

from sfumato.app.services.actions import ActionSpec, K
from sfumato.core.path.path import SPANS

ACTIONS = (
    ActionSpec("bring_in", "Bring in pictures or clips…", "Study", "Ctrl+I", section=2),
    ActionSpec("export_lut", "Export the LUT…", "Study", "Ctrl+E", "has_look", section=2),
    ActionSpec(
        "show_difference",
        "Show the written file against the grade",
        "Study",
        "Ctrl+Shift+E",
        "has_proof",
        section=2,
    ),
    ActionSpec("add_glaze", "Add a glaze to the Look…", "Glazes", "Ctrl+G", section=1),
    ActionSpec(
        "add_ground_glaze",
        "Add a glaze to this shot's Ground…",
        "Glazes",
        "Ctrl+Shift+G",
        "has_shot",
        section=1,
    ),
    ActionSpec("duplicate_glaze", "Duplicate the glaze", "Glazes", "Ctrl+D", "has_coat", section=1),
    ActionSpec("copy_glaze", "Copy the glaze", "Glazes", K.Copy, "has_coat", section=1),
    ActionSpec(
        "paste_glaze", "Paste a glaze into the Look", "Glazes", K.Paste, "in_look", section=1
    ),
    ActionSpec(
        "paste_glaze_ground",
        "Paste a glaze into this shot's Ground",
        "Glazes",
        "Ctrl+Shift+V",
        "has_shot",
        section=1,
    ),
    ActionSpec("rename_glaze", "Rename the glaze…", "Glazes", "F2", "has_coat", section=1),
    ActionSpec(
        "solo_glaze",
        "Show the glaze alone, or all again",
        "Glazes",
        "Ctrl+Shift+O",
        "has_coat",
        section=1,
        on="solo",
    ),
    ActionSpec(
        "group_glazes",
        "Put the glazes under one Strength",
        "Glazes",
        "Ctrl+Shift+L",
        "has_coat",
        help="Groups the chosen glaze with those marked by Ctrl+click or Ctrl+Space.",
        section=1,
    ),
    ActionSpec("take_apart", "Take the group apart", "Glazes", when="has_group", section=1),
    ActionSpec(
        "toggle_glaze", "Switch the glaze on or off", "Glazes", "Ctrl+M", "has_coat", section=1
    ),
    ActionSpec("reset_glaze", "Reset the glaze", "Glazes", "Ctrl+Backspace", "has_coat", section=1),
    ActionSpec("glaze_up", "Move the glaze up", "Glazes", "Ctrl+Up", "has_coat", section=1),
    ActionSpec("glaze_down", "Move the glaze down", "Glazes", "Ctrl+Down", "has_coat", section=1),
    ActionSpec(
        "remove_glaze", "Remove the glaze", "Glazes", "Ctrl+Shift+Backspace", "has_coat", section=1
    ),
    ActionSpec("save_cdl", "Save the glaze as a CDL file…", "Glazes", when="has_cdl", section=1),
    ActionSpec("open_presets", "Presets…", "Glazes", "Ctrl+Shift+P", "in_look", section=2),
    ActionSpec("save_preset", "Save the glaze as a preset…", "Glazes", when="has_coat", section=2),
    ActionSpec(
        "save_look_preset", "Save the Look as a preset…", "Glazes", when="has_glazes", section=2
    ),
    ActionSpec("pick", "Pick from the picture", "Glazes", "Ctrl+P", "can_pick", section=3),
    *(
        ActionSpec(
            f"span_{c.key}",
            f"LUT: {c.title.lower()}",
            "Edit",
            when="in_look",
            section=3,
            within="What the LUT spans",
            on=f"span_{c.key}",
        )
        for c in SPANS
    ),
    ActionSpec(
        "measure_noise",
        "Measure the noise of the shots",
        "Edit",
        when="has_shot",
        help="Sets the noise floor, under the View, to what the shots show: colour steps fade out below it.",
        section=3,
    ),
    ActionSpec(
        "include_ground",
        "Include this shot's Ground in the LUT",
        "Edit",
        when="has_shot",
        section=3,
        on="with_ground",
    ),
    ActionSpec(
        "copy_ground_on",
        "Copy this Ground to all following shots",
        "Edit",
        when="has_shot",
        section=3,
    ),
    ActionSpec("mode_one", "Show B alone", "View", "F5", "in_look", section=1, on="mode_one"),
    ActionSpec("mode_split", "Split A and B", "View", "F6", "in_look", section=1, on="mode_split"),
    ActionSpec(
        "mode_side", "A and B side by side", "View", "F7", "in_look", section=1, on="mode_side"
    ),
    ActionSpec(
        "mode_difference",
        "Difference of A and B",
        "View",
        "F8",
        "in_look",
        section=1,
        on="mode_difference",
    ),
    ActionSpec(
        "mode_all", "All shots through the Look", "View", "F4", "in_look", section=1, on="mode_all"
    ),
    ActionSpec("turn_split", "Turn the split line", "View", "Shift+F6", "in_look", section=1),
    ActionSpec("swap_sides", "Swap A and B", "View", "Shift+F5", "in_look", section=1),
    ActionSpec(
        "next_mount", "Change the mount: dark, mid, light", "View", "Ctrl+Shift+M", section=3
    ),
    ActionSpec(
        "toggle_instruments",
        "Show or hide the Instruments",
        "View",
        "F9",
        section=3,
        on="instruments",
    ),
    ActionSpec(
        "simulate_target",
        "Show B as a target sees it…",
        "View",
        "Shift+F4",
        "has_shot",
        help="Its grid, depths, range and interpolation.",
        section=3,
    ),
    ActionSpec(
        "show_printed",
        "Show B as it is printed…",
        "View",
        "Shift+F3",
        "has_shot",
        help="The press, the intent, what becomes of black, and the ink limit.",
        section=3,
    ),
    ActionSpec(
        "write_profile",
        "Write an ICC profile of the Look…",
        "Study",
        when="has_look",
        help="For pictures in Lab, RGB or CMYK, in any program that knows profiles.",
        section=2,
    ),
    ActionSpec(
        "tear_easel",
        "Easel in a window of its own, or back",
        "View",
        "Shift+F8",
        "in_look",
        help="For a second screen; closing the window brings it back.",
        section=3,
        on="torn_easel",
    ),
    ActionSpec(
        "tear_instruments",
        "Instruments in a window of their own, or back",
        "View",
        "Shift+F9",
        "in_look",
        section=3,
        on="torn_instruments",
    ),
    ActionSpec(
        "toggle_clipping",
        "Show what is clipped or crushed",
        "View",
        "F3",
        "in_look",
        section=3,
        on="clipping",
    ),
    ActionSpec("previous_shot", "Previous shot", "Shots", "Ctrl+PgUp", "has_shot"),
    ActionSpec("next_shot", "Next shot", "Shots", "Ctrl+PgDown", "has_shot"),
    ActionSpec("choose_encoding", "Set the source encoding…", "Shots", "Ctrl+Shift+I", "has_shot"),
    ActionSpec(
        "play_clip", "Play or pause the clip", "Shots", "Ctrl+Shift+Space", "is_clip", section=2
    ),
    ActionSpec("previous_frame", "One frame back", "Shots", "Alt+Left", "is_clip", section=2),
    ActionSpec("next_frame", "One frame on", "Shots", "Alt+Right", "is_clip", section=2),
    ActionSpec(
        "pin_shot",
        "Pin the shot on side A, or let it go",
        "Shots",
        "Ctrl+Shift+A",
        "has_shot",
        section=2,
        on="pinned",
    ),
    ActionSpec(
        "propose_ground",
        "Propose exposure and balance for the Ground",
        "Shots",
        "Ctrl+Shift+B",
        "has_shot",
        help="A starting point from the shot's own colours; it says what it laid, undo takes it away.",
        section=2,
    ),
    ActionSpec("rename_shot", "Rename the shot…", "Shots", "Shift+F2", "has_shot", section=2),
    ActionSpec(
        "shot_earlier", "Move the shot earlier", "Shots", "Ctrl+Shift+Left", "has_shot", section=2
    ),
    ActionSpec(
        "shot_later", "Move the shot later", "Shots", "Ctrl+Shift+Right", "has_shot", section=2
    ),
    ActionSpec(
        "copy_ground_marked",
        "Copy this Ground to the marked shots",
        "Shots",
        "Ctrl+Shift+C",
        "has_marked_shots",
        help="Shots are marked by Ctrl+click or Ctrl+Space.",
        section=2,
    ),
    ActionSpec(
        "match_marked",
        "Match the marked shots to this one",
        "Shots",
        "Ctrl+Shift+U",
        "has_marked_shots",
        help="Exposure, balance, contrast, levels and colourfulness at the end of each Ground.",
        section=2,
    ),
    ActionSpec(
        "match_sheet",
        "Match shots…",
        "Shots",
        when="has_shot",
        help="By all pixels, by a part of each, or by a card that is in each.",
        section=2,
    ),
    ActionSpec(
        "match_card",
        "Balance this shot by a card…",
        "Shots",
        when="has_shot",
        help="Exposure, balance and a matrix out of a card whose values are known.",
        section=2,
    ),
    ActionSpec(
        "group_shots",
        "Put the marked shots into a group…",
        "Shots",
        "Ctrl+Shift+J",
        "has_shot",
        help="This shot and those marked beside it get a name that they share.",
        section=2,
    ),
    ActionSpec(
        "mark_group", "Mark all shots of this group", "Shots", "Ctrl+J", "has_shot_group", section=2
    ),
    ActionSpec(
        "copy_ground_group",
        "Copy this Ground to the whole group",
        "Shots",
        when="has_shot_group",
        section=2,
    ),
    ActionSpec(
        "leave_group", "Take the shot out of its group", "Shots", when="has_shot_group", section=2
    ),
    ActionSpec("relink_shot", "Find the file of the shot…", "Shots", when="has_shot", section=2),
    ActionSpec(
        "remove_shot", "Take the shot out of the study", "Shots", when="has_shot", section=2
    ),
    ActionSpec("explain_glaze", "What this glaze does", "Help", when="has_glaze", section=1),
)
