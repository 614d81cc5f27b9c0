"""The card beside a carrier: in plain words what to do in the other program."""

from __future__ import annotations

from pathlib import Path

from sfumato.core.study.journey import Journey
from sfumato.work.files import free
from sfumato.work.trip.carriers import title_of

OFF = (
    "sharpening, clarity and texture, in the export too",
    "noise reduction and grain",
    "vignette and lens corrections",
    "local contrast and tone mapping",
    "masks, gradients and anything that depends on the place",
    "crop, straighten, resize",
)


def steps(journey: Journey) -> tuple[str, ...]:
    """Return what to do there, a sentence each."""
    file = Path(journey.path)
    kind = title_of(file)
    profile = (
        f"Keep the profile: {journey.profile}; do not convert."
        if journey.profile
        else "The file has no profile: assign none, convert nothing."
    )
    save = f"Save as {kind} under another name"
    if kind == "JPEG":
        save += ", at the highest quality and without colour subsampling"
    else:
        save += ", with as many bits as it has"
    return (
        f"Open {file.name} and give it the look, and nothing else.",
        profile,
        f"{save}, into the folder in which it lies: {file.parent}",
        "For several looks save one file for each: every file becomes a look of its own.",
    )


def text(journey: Journey) -> str:
    """Return the card as a text file."""
    lines = [
        f"{journey.name}: a carrier, sent {journey.sent.replace('T', ' ')}",
        journey.says,
        f"Its codes are {journey.encoding}." if journey.encoding else "",
        "",
        *(f"{i}. {step}" for i, step in enumerate(steps(journey), 1)),
        "",
        "Switch off there:",
        *(f"  - {what}" for what in OFF),
        "",
    ]
    return "\n".join(lines)


def place(carrier: Path) -> Path:
    """Return where the card of a carrier goes: a name that no file has yet."""
    return free(carrier.with_name(f"{carrier.stem} - what to do.txt"))
