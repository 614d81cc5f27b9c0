"""What the path asks of a study, a shot, a View and a coat: the least that it must know of them.

The document (`sfumato.core.study`) is made of records that fit; the path knows none of them.
"""

from __future__ import annotations

from typing import Any, Protocol

from sfumato.core.colour.showing import Showing
from sfumato.core.glaze import GlazeSpec
from sfumato.core.path.laying import Laying
from sfumato.core.path.span import Span


class Coating(Protocol):
    """One glaze with its values, or a group of glazes."""

    @property
    def acts(self) -> bool: ...
    @property
    def is_group(self) -> bool: ...
    @property
    def spec(self) -> GlazeSpec | None: ...
    @property
    def parameters(self) -> Any: ...
    @property
    def strength(self) -> float: ...
    @property
    def laying(self) -> Laying: ...
    @property
    def members(self) -> tuple[Coating, ...]: ...


class Source(Protocol):
    """A shot: what its codes are, and its Ground."""

    @property
    def encoding(self) -> str | None: ...
    @property
    def ground(self) -> tuple[Coating, ...]: ...


class Shared(Protocol):
    """The Look."""

    @property
    def name(self) -> str: ...
    @property
    def coats(self) -> tuple[Coating, ...]: ...
    @property
    def strength(self) -> float: ...


class Graded(Protocol):
    """A study."""

    @property
    def working(self) -> str: ...
    @property
    def view(self) -> Showing: ...
    @property
    def look(self) -> Shared: ...
    @property
    def span(self) -> Span: ...
    def shot(self, shot_id: str, /) -> Source: ...
