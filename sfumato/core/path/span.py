"""The Span: where on a colour's path the LUT starts and ends."""

from __future__ import annotations

from enum import Enum

from attrs import frozen

from sfumato.core.errors import ValueRefused


class Joint(Enum):
    """The places on a colour's path where a LUT can start or end."""

    SOURCE = "source"
    GROUND = "ground"
    LOOK = "look"
    VIEW = "view"


@frozen
class Span:
    """What the LUT covers. From SOURCE it includes the Ground of one shot, which must be asked for.

    `entry` is the encoding that the LUT expects ("" = the working encoding, or the shot's own when
    its Ground is included), `leave` the one that it gives ("" = the working encoding, or the View's).
    """

    start: Joint = Joint.GROUND
    end: Joint = Joint.VIEW
    entry: str = ""
    leave: str = ""

    def __attrs_post_init__(self) -> None:
        if self.start not in (Joint.SOURCE, Joint.GROUND) or self.end not in (
            Joint.LOOK,
            Joint.VIEW,
        ):
            raise ValueRefused(
                "a Span runs from before or after the Ground to before or after the View"
            )

    @property
    def with_ground(self) -> bool:
        return self.start is Joint.SOURCE
