"""Every format by key; reading ranks by content, then suffix, then key."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from pathlib import PurePath

import attrs

from sfumato.core.discover import specs
from sfumato.core.errors import FormatError
from sfumato.formats.parts.contract import FormatSpec, Read, Sniff


@cache
def formats() -> Mapping[str, FormatSpec]:
    """Return every format by key: the modules of `formats/`."""
    import sfumato.formats as package

    return specs(package)


def by_suffix(name: str) -> FormatSpec | None:
    """Return the format that writes files named like `name`, None when none does."""
    suffix = PurePath(name).suffix.lower()
    return next((f for f in formats().values() if suffix in f.suffixes), None)


def read(data: bytes, name: str, reading: str = "", key: str = "") -> Read:
    """Read a table file whatever its suffix says.

    Args:
        reading: one of the `readings` that an earlier read offered; "" lets the format decide.
        key: the format to take it for; "" lets the content decide.

    Raises:
        FormatError: no format takes it; the error of the likeliest one, with its line.
    """
    if not data:
        raise FormatError("the file is empty", hint="export it again", where=name)
    suffix = PurePath(name).suffix.lower()

    def rank(spec: FormatSpec) -> tuple[int, bool, str]:
        named = suffix in spec.suffixes
        return (
            -max(spec.sniff(data[:4096]), Sniff.MAYBE if named else Sniff.NO),
            not named,
            spec.key,
        )

    refusal: FormatError | None = None
    wanted = [formats()[key]] if key else sorted(formats().values(), key=rank)
    for spec in wanted:
        likely = bool(key) or spec.sniff(data[:4096]) is not Sniff.NO or suffix in spec.suffixes
        if not likely:
            continue
        try:
            found = spec.read_as(data, reading) if reading and spec.read_as else spec.read(data)
        except FormatError as error:
            error.alone()  # else it holds on to all that was read
            refusal = refusal or error
            continue
        transform = attrs.evolve(found.transform, source=name)
        return attrs.evolve(found, transform=transform, key=found.key or spec.key)
    if refusal is not None:
        refusal.where = refusal.where or name
        raise refusal
    known = ", ".join(s for f in formats().values() for s in f.suffixes)
    raise FormatError(
        "this is not a LUT file that can be read", hint=f"known are {known}", where=name
    )
