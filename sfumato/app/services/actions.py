"""Every command, declared once: id, text, shortcut, when it can run, what it runs.

Menus, palette and shortcuts derive from this table. The window passes in the objects whose methods
carry the actions out: a method for each id.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from attrs import frozen
from PySide6.QtCore import QObject, Qt
from PySide6.QtGui import QAction, QKeySequence

from sfumato.core.path.path import SPANS

K = QKeySequence.StandardKey


@frozen
class ActionSpec:
    """`menu` is a heading of the menu bar; `when` names a condition of the window, "" = always."""

    id: str
    text: str
    menu: str
    shortcut: Any = ""
    when: str = ""
    help: str = ""
    separator: bool = False


TABLE = (
    ActionSpec("new_study", "New study", "Study", K.New),
    ActionSpec("open_study", "Open study…", "Study", K.Open),
    ActionSpec("open_demo", "Open the demo study", "Study"),
    ActionSpec("save_study", "Save study", "Study", K.Save, separator=True),
    ActionSpec("save_study_as", "Save study as…", "Study", K.SaveAs),
    ActionSpec("revert_study", "Revert to the saved study", "Study", when="has_file"),
    ActionSpec("bring_in", "Bring in pictures or clips…", "Study", "Ctrl+I", separator=True),
    ActionSpec("export_lut", "Export the LUT…", "Study", "Ctrl+E", when="has_look"),
    ActionSpec(
        "show_difference",
        "Show the written file against the grade",
        "Study",
        "Ctrl+Shift+E",
        when="has_proof",
    ),
    ActionSpec("close_window", "Quit", "Study", K.Quit, separator=True),
    ActionSpec("undo", "Undo", "Edit", K.Undo, when="can_undo"),
    ActionSpec("redo", "Redo", "Edit", K.Redo, when="can_redo"),
    ActionSpec("add_glaze", "Add a glaze to the Look…", "Edit", "Ctrl+G", separator=True),
    ActionSpec(
        "add_ground_glaze",
        "Add a glaze to this shot's Ground…",
        "Edit",
        "Ctrl+Shift+G",
        when="has_shot",
    ),
    ActionSpec("duplicate_glaze", "Duplicate the glaze", "Edit", "Ctrl+D", when="has_coat"),
    ActionSpec("copy_glaze", "Copy the glaze", "Edit", K.Copy, when="has_coat"),
    ActionSpec("paste_glaze", "Paste a glaze into the Look", "Edit", K.Paste, when="in_look"),
    ActionSpec(
        "paste_glaze_ground",
        "Paste a glaze into this shot's Ground",
        "Edit",
        "Ctrl+Shift+V",
        when="has_shot",
    ),
    ActionSpec("rename_glaze", "Rename the glaze…", "Edit", "F2", when="has_coat"),
    ActionSpec(
        "solo_glaze", "Show the glaze alone, or all again", "Edit", "Ctrl+Shift+O", when="has_coat"
    ),
    ActionSpec(
        "group_glazes",
        "Put the glazes under one Strength",
        "Edit",
        "Ctrl+Shift+L",
        when="has_coat",
        help="Groups the chosen glaze with those marked by Ctrl+click or Ctrl+Space.",
    ),
    ActionSpec("take_apart", "Take the group apart", "Edit", when="has_group"),
    ActionSpec("toggle_glaze", "Switch the glaze on or off", "Edit", "Ctrl+M", when="has_coat"),
    ActionSpec("reset_glaze", "Reset the glaze", "Edit", "Ctrl+Backspace", when="has_coat"),
    ActionSpec("glaze_up", "Move the glaze up", "Edit", "Ctrl+Up", when="has_coat"),
    ActionSpec("glaze_down", "Move the glaze down", "Edit", "Ctrl+Down", when="has_coat"),
    ActionSpec("remove_glaze", "Remove the glaze", "Edit", "Ctrl+Shift+Backspace", when="has_coat"),
    ActionSpec("save_cdl", "Save the glaze as a CDL file…", "Edit", when="has_cdl"),
    ActionSpec("open_presets", "Presets…", "Edit", "Ctrl+Shift+P", when="in_look", separator=True),
    ActionSpec("save_preset", "Save the glaze as a preset…", "Edit", when="has_coat"),
    ActionSpec("save_look_preset", "Save the Look as a preset…", "Edit", when="has_glazes"),
    ActionSpec("pick", "Pick from the picture", "Edit", "Ctrl+P", when="can_pick", separator=True),
    *(
        ActionSpec(f"span_{c.key}", f"LUT: {c.title.lower()}", "Edit", when="in_look")
        for c in SPANS
    ),
    ActionSpec("include_ground", "Include this shot's Ground in the LUT", "Edit", when="has_shot"),
    ActionSpec(
        "copy_ground_on", "Copy this Ground to all following shots", "Edit", when="has_shot"
    ),
    ActionSpec("room_look", "Room: Look", "View", "Alt+1"),
    ActionSpec("room_swatchbook", "Room: Swatchbook", "View", "Alt+2"),
    ActionSpec("room_convert", "Room: Convert", "View", "Alt+3"),
    ActionSpec("room_apply", "Room: Apply", "View", "Alt+4"),
    ActionSpec(
        "paint_still",
        "Paint where the Look goes…",
        "Edit",
        "Ctrl+B",
        when="has_still",
        separator=True,
        help="A mask for the Look on one still, and LUTs laid on parts of it; not in the LUT.",
    ),
    ActionSpec("paint_layer", "Lay a LUT on the still…", "Edit", when="is_painting"),
    ActionSpec("mask_invert", "Invert the mask", "Edit", when="is_painting"),
    ActionSpec("mask_full", "Mask: everywhere", "Edit", when="is_painting"),
    ActionSpec("mask_empty", "Mask: nowhere", "Edit", when="is_painting"),
    ActionSpec("mode_one", "Show B alone", "View", "F5", when="in_look", separator=True),
    ActionSpec("mode_split", "Split A and B", "View", "F6", when="in_look"),
    ActionSpec("mode_side", "A and B side by side", "View", "F7", when="in_look"),
    ActionSpec("mode_difference", "Difference of A and B", "View", "F8", when="in_look"),
    ActionSpec("mode_all", "All shots through the Look", "View", "F4", when="in_look"),
    ActionSpec("turn_split", "Turn the split line", "View", "Shift+F6", when="in_look"),
    ActionSpec("swap_sides", "Swap A and B", "View", "Shift+F5", when="in_look"),
    ActionSpec("zoom_fit", "Fit the picture", "View", "Ctrl+0", separator=True),
    ActionSpec("zoom_actual", "One pixel to one", "View", "Ctrl+1", when="has_easel"),
    ActionSpec("zoom_in", "Zoom in", "View", K.ZoomIn, when="has_easel"),
    ActionSpec("zoom_out", "Zoom out", "View", K.ZoomOut, when="has_easel"),
    ActionSpec(
        "next_mount", "Change the mount: dark, mid, light", "View", "Ctrl+Shift+M", separator=True
    ),
    ActionSpec("toggle_instruments", "Show or hide the Instruments", "View", "F9"),
    ActionSpec(
        "simulate_target",
        "Show B as a target sees it…",
        "View",
        "Shift+F4",
        when="has_shot",
        help="Its grid, depths, range and interpolation.",
    ),
    ActionSpec(
        "tear_easel",
        "Easel in a window of its own, or back",
        "View",
        "Shift+F8",
        when="in_look",
        help="For a second screen; closing the window brings it back.",
    ),
    ActionSpec(
        "tear_instruments",
        "Instruments in a window of their own, or back",
        "View",
        "Shift+F9",
        when="in_look",
    ),
    ActionSpec("toggle_clipping", "Show what is clipped or crushed", "View", "F3", when="in_look"),
    ActionSpec(
        "screen_desktop",
        "Show pictures for the screen the desktop tells of",
        "View",
        separator=True,
        help="The colours of the View on the profile of this screen; sRGB where the desktop says nothing.",
    ),
    ActionSpec("screen_profile", "Show pictures for a screen profile…", "View"),
    ActionSpec(
        "screen_plain",
        "Send the View's codes to the screen as they are",
        "View",
        help="For a screen that is set to what the View is made for.",
    ),
    ActionSpec("toggle_theme", "Light or dark surroundings", "View"),
    ActionSpec("previous_shot", "Previous shot", "Shots", "Ctrl+PgUp", when="has_shot"),
    ActionSpec("next_shot", "Next shot", "Shots", "Ctrl+PgDown", when="has_shot"),
    ActionSpec(
        "choose_encoding", "Set the source encoding…", "Shots", "Ctrl+Shift+I", when="has_shot"
    ),
    ActionSpec(
        "open_encodings",
        "Encodings of my own…",
        "Shots",
        help="Define a camera's curve and primaries by their published numbers, or by a LUT file.",
    ),
    ActionSpec(
        "open_config",
        "Use an OCIO config…",
        "Shots",
        help="Its colour spaces become encodings, its displays and views become Views.",
    ),
    ActionSpec("play_clip", "Play or pause the clip", "Shots", "Ctrl+Space", when="is_clip"),
    ActionSpec("previous_frame", "One frame back", "Shots", "Alt+Left", when="is_clip"),
    ActionSpec("next_frame", "One frame on", "Shots", "Alt+Right", when="is_clip"),
    ActionSpec(
        "pin_shot", "Pin the shot on side A, or let it go", "Shots", "Ctrl+Shift+A", when="has_shot"
    ),
    ActionSpec(
        "propose_ground",
        "Propose exposure and balance for the Ground",
        "Shots",
        "Ctrl+Shift+B",
        when="has_shot",
        help="A starting point from the shot's own colours; it says what it laid, undo takes it away.",
    ),
    ActionSpec("rename_shot", "Rename the shot…", "Shots", "Shift+F2", when="has_shot"),
    ActionSpec(
        "shot_earlier", "Move the shot earlier", "Shots", "Ctrl+Shift+Left", when="has_shot"
    ),
    ActionSpec("shot_later", "Move the shot later", "Shots", "Ctrl+Shift+Right", when="has_shot"),
    ActionSpec(
        "copy_ground_marked",
        "Copy this Ground to the marked shots",
        "Shots",
        "Ctrl+Shift+C",
        when="has_marked_shots",
        help="Shots are marked by Ctrl+click or Ctrl+Space.",
    ),
    ActionSpec(
        "group_shots",
        "Put the marked shots into a group…",
        "Shots",
        "Ctrl+Shift+J",
        when="has_shot",
        help="This shot and those marked beside it get a name that they share.",
    ),
    ActionSpec(
        "mark_group", "Mark all shots of this group", "Shots", "Ctrl+J", when="has_shot_group"
    ),
    ActionSpec(
        "copy_ground_group",
        "Copy this Ground to the whole group",
        "Shots",
        when="has_shot_group",
    ),
    ActionSpec("leave_group", "Take the shot out of its group", "Shots", when="has_shot_group"),
    ActionSpec("relink_shot", "Find the file of the shot…", "Shots", when="has_shot"),
    ActionSpec("remove_shot", "Take the shot out of the study", "Shots", when="has_shot"),
    ActionSpec("swatch_add_folder", "Add a folder of looks…", "Swatchbook"),
    ActionSpec(
        "swatch_put",
        "Put what side B shows into the Look",
        "Swatchbook",
        when="has_swatch",
        help="A look that expects something else is converted to working values.",
    ),
    ActionSpec("swatch_keep", "Keep the look", "Swatchbook", when="has_swatch", separator=True),
    ActionSpec("swatch_pass", "Pass the look", "Swatchbook", when="has_swatch"),
    ActionSpec(
        "swatch_convert", "Convert the look for this study", "Swatchbook", when="has_swatch"
    ),
    ActionSpec("swatch_save", "Save what side B shows as a LUT…", "Swatchbook", when="has_swatch"),
    ActionSpec("swatch_sheet", "Contact sheet…", "Swatchbook", when="in_swatchbook"),
    ActionSpec(
        "swatch_rename", "Rename the file…", "Swatchbook", when="has_swatch", separator=True
    ),
    ActionSpec("swatch_move", "Move the file to another folder…", "Swatchbook", when="has_swatch"),
    ActionSpec("swatch_reveal", "Show the file in its folder", "Swatchbook", when="has_swatch"),
    ActionSpec("swatch_trash", "Put the file into the trash", "Swatchbook", when="has_swatch"),
    ActionSpec("add_luts", "Add LUT files…", "Convert", "Ctrl+L"),
    ActionSpec("add_lut_folder", "Add a folder of LUT files…", "Convert"),
    ActionSpec("compare_luts", "Compare the LUT with…", "Convert", "Ctrl+Shift+D", when="has_lut"),
    ActionSpec(
        "convert_files",
        "Convert the files",
        "Convert",
        "Ctrl+Return",
        when="has_lut",
        separator=True,
    ),
    ActionSpec("open_palette", "All actions…", "Help", "Ctrl+K"),
    ActionSpec("keyboard_sheet", "Keyboard sheet…", "Help", K.HelpContents),
    ActionSpec("explain_glaze", "What this glaze does", "Help", "Shift+F1", when="has_glaze"),
    ActionSpec("about", "About Sfumato", "Help"),
)


class Actions:
    """The table as QActions that call the method of that name of one of `owners`."""

    def __init__(self, window: QObject, owners: tuple[QObject, ...]) -> None:
        self.by_id: dict[str, QAction] = {}
        for spec in TABLE:
            action = QAction(spec.text, window)
            action.setObjectName(spec.id)
            if spec.shortcut:
                action.setShortcut(QKeySequence(spec.shortcut))
            action.setShortcutContext(Qt.ShortcutContext.WindowShortcut)
            owner = next(o for o in owners if hasattr(o, spec.id))
            action.triggered.connect(self._runner(getattr(owner, spec.id)))
            self.by_id[spec.id] = action

    @staticmethod
    def _runner(run: Callable[[], object]) -> Callable[..., None]:
        def runner(*_checked: object) -> None:
            run()

        return runner

    def refresh(self, true: set[str]) -> None:
        """Enable what can run; `true` holds the conditions that are met."""
        for spec in TABLE:
            self.by_id[spec.id].setEnabled(not spec.when or spec.when in true)
