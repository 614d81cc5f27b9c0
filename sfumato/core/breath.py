"""Where long computations let others go first, and ask whether they are still wanted.

They do before each glaze, stage of a LUT, or part of a large array or text.
"""

from __future__ import annotations

from collections.abc import Callable

StillWanted = Callable[[], None]  # raises in a computation whose result nobody waits for any more


def always_wanted() -> None:
    """Stands in where nobody can cancel."""


_PAUSES: list[Callable[[], None]] = []


def pause_by(pause: Callable[[], None]) -> None:
    """Have computations call this, from whichever thread they run in; in place of what was given before."""
    _PAUSES[:] = [pause]


def breathe() -> None:
    """Call what was given by `pause_by`; nothing, where nobody has."""
    for pause in _PAUSES:
        pause()
