"""The commands of the Send room."""

from __future__ import annotations

from sfumato.app.services.actions import ActionSpec

ACTIONS = (
    ActionSpec("send_all", "Send the ticked looks", "Send", when="can_send"),
    ActionSpec(
        "send_behind",
        "Send again what is behind",
        "Send",
        when="is_behind",
        help="Only what went there before and is no longer as the look is now.",
    ),
    ActionSpec(
        "send_pack",
        "Make a pack…",
        "Send",
        when="can_send",
        help="The ticked looks for the ticked outlets in one zip, with pictures, notes and checksums.",
    ),
    ActionSpec("send_add", "Add looks…", "Send", when="in_send", section=1),
    ActionSpec("send_new", "New outlet…", "Send", when="in_send", section=1),
    ActionSpec(
        "send_like",
        "Make an outlet like a file…",
        "Send",
        when="in_send",
        section=1,
        help="By a file that the target takes: format, grid, digits, line ends, names.",
    ),
    ActionSpec(
        "send_try",
        "Write a try sheet…",
        "Send",
        when="in_send",
        section=1,
        help="One test in eight dialects: which of them an unknown target takes, and what it makes of them.",
    ),
    ActionSpec("send_folder", "Choose the outlet's folder…", "Send", when="has_outlet", section=1),
    ActionSpec("send_copy", "Duplicate the outlet", "Send", when="has_outlet", section=1),
    ActionSpec("send_forget", "Forget the outlet", "Send", when="has_outlet", section=1),
    ActionSpec("send_results", "Show results", "Send", when="in_send", section=2),
    ActionSpec("send_accord", "Show Accord", "Send", when="in_send", section=2),
    ActionSpec("send_versions", "Show versions", "Send", when="in_send", section=2),
    ActionSpec("send_sheet", "Save Accord as a sheet…", "Send", when="has_accord", section=3),
    ActionSpec("send_json", "Save Accord as JSON…", "Send", when="has_accord", section=3),
)
