"""The commands of the Bench."""

from __future__ import annotations

from sfumato.app.services.actions import ActionSpec

ACTIONS = (
    ActionSpec("bench_monitor", "Monitor", "Bench", help="A look in a monitor on the camera."),
    ActionSpec(
        "bench_engine", "Engine", "Bench", help="A look as a texture of a real-time engine."
    ),
    ActionSpec("bench_filter", "Filter", "Bench", help="A look in a filter on a phone."),
    ActionSpec(
        "bench_load", "Load the chosen file into the place", "Bench", when="can_load", section=1
    ),
    ActionSpec(
        "bench_mend",
        "Write it as the device takes it",
        "Bench",
        when="was_refused",
        section=1,
        help="The same LUT beside it, with a name, format and grid that the device takes.",
    ),
    ActionSpec("bench_clear", "Clear the place", "Bench", when="has_place", section=1),
    ActionSpec(
        "bench_rename", "Rename what stands in the place…", "Bench", when="has_place", section=1
    ),
    ActionSpec("bench_move_back", "Move it one place back", "Bench", when="has_place", section=1),
    ActionSpec("bench_move_on", "Move it one place on", "Bench", when="has_place", section=1),
    ActionSpec(
        "bench_send",
        "Send the Look to the card",
        "Bench",
        when="has_card",
        section=2,
        help="As the device takes it: the study keeps an outlet for it.",
    ),
    ActionSpec("bench_mount", "Put another card in…", "Bench", when="has_device", section=2),
    ActionSpec(
        "bench_pull", "Pull the card out, or put it back", "Bench", when="has_device", section=2
    ),
    ActionSpec("bench_show", "Show the card in its folder", "Bench", when="has_card", section=2),
    ActionSpec(
        "bench_bring", "Bring the chosen take into the study", "Bench", when="has_take", section=2
    ),
    ActionSpec(
        "bench_screenshot",
        "Give the fault finder a screenshot…",
        "Bench",
        when="has_drawn",
        section=3,
        help="Of your engine, beside the frame that is shown here.",
    ),
    ActionSpec("bench_save", "Save the frame…", "Bench", when="has_picture", section=3),
    ActionSpec("bench_play", "Play or hold the signal", "Bench", when="has_signal", section=3),
    ActionSpec("bench_record", "Record, or stop", "Bench", when="can_record", section=3),
    ActionSpec("bench_power", "Switch the device off or on", "Bench", when="has_device", section=3),
    ActionSpec("bench_new", "New device…", "Bench", when="in_bench", section=4),
    ActionSpec("bench_edit", "Change the device…", "Bench", when="has_own_device", section=4),
    ActionSpec("bench_forget", "Throw the device away", "Bench", when="has_own_device", section=4),
)
