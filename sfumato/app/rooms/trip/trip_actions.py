"""The commands of the Round trip room."""

from __future__ import annotations

from sfumato.app.services.actions import ActionSpec

ACTIONS = (
    ActionSpec("trip_carriers", "Carriers", "Round trip", help="Looks out of other programs."),
    ActionSpec(
        "trip_borrow", "Borrow", "Round trip", help="A look out of a pair, or after a reference."
    ),
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
    ActionSpec(
        "borrow_before", "Borrow: pictures before…", "Round trip", when="in_trip", section=3
    ),
    ActionSpec("borrow_after", "Borrow: pictures after…", "Round trip", when="in_trip", section=3),
    ActionSpec(
        "borrow_this",
        "Borrow: this shot is before",
        "Round trip",
        when="in_trip",
        section=3,
        help="Takes the shot of the Look room as the picture before.",
    ),
    ActionSpec("borrow_reference", "Borrow: references…", "Round trip", when="in_trip", section=3),
    ActionSpec(
        "borrow_parts",
        "Borrow: tie a part with a part",
        "Round trip",
        when="follows",
        section=3,
        help="A sky is to be like a sky: mark both.",
    ),
    ActionSpec(
        "borrow_colours",
        "Borrow: tie a colour with a colour",
        "Round trip",
        when="follows",
        section=3,
        help="This colour of the shot should be that colour of the reference: click both.",
    ),
    ActionSpec(
        "borrow_again", "Borrow: work it out again", "Round trip", when="borrows", section=3
    ),
    ActionSpec("borrow_clear", "Borrow from nothing", "Round trip", when="borrows", section=3),
    ActionSpec(
        "borrow_lay",
        "Adopt what is borrowed as glazes",
        "Round trip",
        when="borrowed",
        section=4,
        help="A group at the end of the Look; a group laid before from here is renewed.",
    ),
    ActionSpec(
        "borrow_look",
        "Adopt what is borrowed as a new Look",
        "Round trip",
        when="borrowed",
        section=4,
    ),
    ActionSpec(
        "borrow_swatch",
        "Adopt what is borrowed into the Swatchbook",
        "Round trip",
        when="borrowed",
        section=4,
    ),
    ActionSpec(
        "borrow_file", "Adopt what is borrowed as a file…", "Round trip", when="borrowed", section=4
    ),
)
