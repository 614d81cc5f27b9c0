"""The Look: the shared part of the grade, the part that goes into a LUT."""

from __future__ import annotations

from attrs import frozen

from sfumato.core.study.coat import Coat


@frozen
class Look:
    """Its glazes from top to bottom, under one Strength."""

    name: str = "Untitled look"
    coats: tuple[Coat, ...] = ()
    strength: float = 1.0
