"""Shots: pictures and clips, each with its Ground and what is painted on it."""

from __future__ import annotations

from attrs import field, frozen

from sfumato.core.study.coat import Coat, new_id
from sfumato.core.study.mask import Mask


@frozen
class Layer:
    """A LUT laid on one still where its mask lets it; it goes into results, never into a LUT."""

    coat: Coat
    mask: Mask = Mask(full=False)


@frozen
class Shot:
    """One picture, or a clip of which one frame is shown, with its own Ground.

    `encoding` None = not stated. `first` and `last` are the frames of a clip that belong to the
    shot; `last` None = to its end. `mask` says where on a still the Look goes, `layers` lie on it.
    """

    path: str
    name: str
    encoding: str | None = None
    frame: int = 0
    ground: tuple[Coat, ...] = ()
    id: str = field(factory=new_id)
    first: int = 0
    last: int | None = None
    press: str | None = None  # of inks whose file has none; "" the press that ships, None not asked
    group: str = ""  # the name that it shares with others of its kind
    mask: Mask = Mask()
    layers: tuple[Layer, ...] = ()

    @property
    def is_painted(self) -> bool:
        """Whether something is done to parts of the picture, which no LUT holds."""
        return not self.mask.is_plain or any(layer.coat.acts for layer in self.layers)
