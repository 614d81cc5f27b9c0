"""The line in which a LUT says what it expects and gives: written here, and read here."""

from __future__ import annotations

import re
from collections.abc import Iterable

from sfumato.core.colour.encodings import Encoding, encoding, encodings

_LONGEST = 500  # characters of a comment that are looked through
_NOTE = re.compile(r"\bexpects (.+?) \(.*\), gives (.+?) \(")


def written(expects: Encoding | str, gives: Encoding | str) -> str:
    """Return the comment of a LUT between two encodings.

    >>> written("Tarn Log", "BT.1886")
    'expects Tarn Log (Tarn Log · Tarn Wide), gives BT.1886 (BT.709 shown at BT.1886, gamma 2.4)'
    """
    a, b = (encoding(e) if isinstance(e, str) else e for e in (expects, gives))
    return f"expects {a.name} ({a.title}), gives {b.name} ({b.title})"


def read(comments: Iterable[str]) -> tuple[str | None, str | None]:
    """Return the names of the encodings that comments state, as far as they are known.

    The line may stand behind other words of a comment, as other programs keep it.

    >>> read(("made by hand", written("sRGB", "sRGB")))
    ('sRGB', 'sRGB')
    """
    for comment in comments:
        found = _NOTE.search(comment[:_LONGEST])
        if found and found[1] in encodings() and found[2] in encodings():
            return found[1], found[2]
    return None, None
