"""The commands of the Round trip room."""

from __future__ import annotations

from sfumato.app.services.actions import ActionSpec

ACTIONS = (
    ActionSpec("trip_send", "Send a carrier…", "Round trip", when="in_trip"),
    ActionSpec("trip_take", "Take what came back…", "Round trip", when="in_trip"),
    ActionSpec(
        "trip_corners",
        "Set the corners of the nodes by hand…",
        "Round trip",
        when="is_back",
        help="Where a carrier is not found, or from the wrong place.",
    ),
    ActionSpec("trip_look", "Look for returns beside the carriers", "Round trip", when="in_trip"),
    ActionSpec(
        "trip_glaze",
        "Adopt as a glaze of the Look",
        "Round trip",
        when="has_return",
        section=1,
        help="Every chosen return becomes a LUT glaze; together they are one step to undo.",
    ),
    ActionSpec(
        "trip_new_look", "Adopt as a new Look", "Round trip", when="has_one_return", section=1
    ),
    ActionSpec(
        "trip_swatch", "Adopt into the Swatchbook", "Round trip", when="has_return", section=1
    ),
    ActionSpec("trip_file", "Adopt as a file…", "Round trip", when="has_return", section=1),
    ActionSpec(
        "trip_reveal", "Show the carrier in its folder", "Round trip", when="has_journey", section=2
    ),
    ActionSpec("trip_forget", "Forget the journey", "Round trip", when="has_journey", section=2),
)
