"""How long the hand must rest before dear work begins; tests wait less."""

from __future__ import annotations

from attrs import frozen


@frozen
class Rests:
    """Milliseconds of rest: before the exact picture, the loss, a folder's reading, a new order, and
    before each of the rooms is built that nobody opened yet."""

    picture: int = 160
    loss: int = 350
    folder: int = 300
    order: int = 1000
    rooms: int = 1500
