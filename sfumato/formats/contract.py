"""What a table format is: one declaration (FormatSpec) at the foot of its file."""

from __future__ import annotations

from collections.abc import Callable
from enum import IntEnum
from typing import Any

from attrs import field, frozen

from sfumato.core.transform import Transform


class Sniff(IntEnum):
    """How sure a format is that the first 4096 bytes are its own."""

    NO = 0
    MAYBE = 1
    SURE = 2


@frozen
class Read:
    """What a reader found: the transform, and remarks on what it had to decide or repair."""

    transform: Transform
    remarks: tuple[str, ...] = ()
    key: str = ""


@frozen
class WriteOptions:
    """What every writer may be told; a writer takes what its format can hold."""

    title: str = ""
    comments: tuple[str, ...] = ()


def title_lost(transform: Transform) -> tuple[str, ...]:
    """The `losses` of formats that have no place for words."""
    return ("the title and comments are not kept",) if transform.title else ()


@frozen(eq=False)
class FormatSpec:
    """One table format.

    `holds(transform)` says in words why a transform cannot be written as it is ("" = it can);
    the caller then bakes it to a grid first when the format `bakes`. `losses` says what writing would not keep.
    """

    key: str
    title: str
    suffixes: tuple[str, ...]
    sniff: Callable[[bytes], Sniff]
    read: Callable[[bytes], Read]
    write: Callable[[Transform, WriteOptions], bytes] | None
    holds: Callable[[Transform], str]
    losses: Callable[[Transform], tuple[str, ...]]
    bakes: bool = True  # whether a grid of 3D nodes is something the format holds
    default_grid: int = 33
    limits: dict[str, Any] = field(factory=dict)
