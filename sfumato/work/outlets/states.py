"""How looks stand at outlets: not sent yet, as it is now, behind, or changed by somebody else."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from pathlib import Path

from attrs import frozen

from sfumato.core.errors import ValueRefused
from sfumato.core.study.outlet import Outlet
from sfumato.core.study.version import SentFile, Version
from sfumato.work.files import exists, is_file, is_folder, typed_folder
from sfumato.work.outlets.sent import Sending, form_digest, is_as_sent, version_for

NOT_YET, CURRENT, BEHIND, GONE, CHANGED = "not yet", "sent", "behind", "gone", "changed there"
NO_FOLDER, AWAY = "no folder", "folder not there"


@frozen
class Standing:
    """How a look stands at an outlet; `file` is what was sent there last."""

    state: str
    file: SentFile | None = None
    version: int = 0


@frozen
class Where:
    """An outlet's folder: whether it is there, and how many of its places are used."""

    is_there: bool
    used: int = 0


def last_sent(look: Sending, outlet: Outlet) -> tuple[Version, SentFile] | None:
    """Return the newest version of a look that went to an outlet, and the file."""
    for version in reversed(look.study.versions):
        if version.look.name == look.name:
            there = version.file_of(outlet.key)
            if there is not None:
                return version, there
    return None


def standing(look: Sending, outlet: Outlet) -> Standing:
    """Return how a look stands at an outlet; its files are read."""
    last = last_sent(look, outlet)
    if last is None:
        return Standing(NOT_YET)
    version, there = last
    if not all(exists(Path(f)) for f in there.all):
        return Standing(GONE, there, version.number)
    if not is_as_sent(there):
        return Standing(CHANGED, there, version.number)
    now = version_for(look.study, look.shot)
    same = version.number == now.number and version.state == now.state
    if same and there.form == form_digest(outlet, look.study):
        return Standing(CURRENT, there, version.number)
    return Standing(BEHIND, there, version.number)


def standings(
    looks: Sequence[Sending], outlets: Sequence[Outlet]
) -> dict[tuple[str, str], Standing]:
    """Return how every look stands at every outlet, by the look's name and the outlet's key."""
    return {(look.name, o.key): standing(look, o) for look in looks for o in outlets}


def folders(outlets: Iterable[Outlet]) -> dict[str, Where]:
    """Return how the folders of outlets are, by key."""
    found = {}
    for outlet in outlets:
        try:
            folder = typed_folder(outlet.folder)
        except ValueRefused:
            found[outlet.key] = Where(False, 0)
            continue
        there, used = is_folder(folder), 0
        if there and outlet.places:
            try:
                used = sum(is_file(f) and not f.name.startswith(".") for f in folder.iterdir())
            except OSError:
                there = False
        found[outlet.key] = Where(there, used)
    return found
