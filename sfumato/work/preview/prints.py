"""Pictures as a press prints them: exactly at rest, by tables while the hand moves and on instruments."""

from __future__ import annotations

import attrs
import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.lut.difference import Difference
from sfumato.core.lut.sample import Packed, packed
from sfumato.core.lut.table import Table3D, lattice_colours
from sfumato.core.study.printing import ALONE, NO_LIMIT
from sfumato.media.parts.inked import print_of
from sfumato.raster.icc.engine import Press, press_of
from sfumato.raster.plates import CMYK
from sfumato.work import memory
from sfumato.work.cancel import Cancel
from sfumato.work.memory import Kept
from sfumato.work.press_files import press_of_study, press_stamp
from sfumato.work.preview.asks import Ask
from sfumato.work.preview.proxies import Proxies
from sfumato.work.tiles import apply_tiled, spread

_GRID = 33
_TOLD = 3.0  # CIE 1976 from which a colour is marked as one that ink does not give
_OVER = 0.005  # of an ink: what rounding and tables add is not over the limit
_AT_ONCE = 1 << 15


@frozen(eq=False)
class PrintTable:
    """What print makes of display codes, as look-ups: what is seen, and the inks (two tables: CMY, then K).

    `alone` is what is seen where black ink alone was and stays, None where it does not stay.
    """

    look: Packed
    colours: Packed
    black: Packed
    alone: Packed | None

    def inks(self, picture: Array) -> Array:
        """Return the inks of a picture of display codes, uint8 (h, w, 3), as uint8 (h, w, 4)."""
        three = apply_tiled(self.colours, picture, np.uint8)
        one = apply_tiled(self.black, picture, np.uint8)
        return np.concatenate([three, one[..., :1]], -1)


@frozen(eq=False)
class Printed:
    """A picture as it is printed: codes of the display, and where print does not give what is meant."""

    codes: Rgb
    outside: Array  # bool (h, w): colours that ink does not give
    over: Array  # bool (h, w): more ink than the limit before it was held


@frozen
class PrintLoss:
    """What print can show of a shot: how far it lies from what the Look wants, and the ink that it takes.

    `outside` is the share of colours that ink does not give, `most` the most ink of a pixel, 0..4.
    """

    off: Difference
    outside: float
    most: float
    of_plates: bool = False  # measured on the picture's own inks or Lab


class Prints(Proxies):
    """Keeps what the press of a study makes of the display's codes."""

    def forget(self) -> None:
        super().forget()
        self._prints = Kept(memory.TABLES, 4)

    def press(self, ask: Ask) -> tuple[Press, bool]:
        """Return the press of a shot, and whether it is its own: inks go back into the inks that they were.

        Raises:
            MediaError: the profile of the study's press cannot be read.
        """
        if self.frames.is_plated(ask.shot):
            plates = self.frames.still(ask.shot).plates
            if plates is not None and plates.kind == CMYK:
                return press_of(plates.profile), True
        path = ask.study.printing.press
        press: Press = self._prints.get(
            ("press", path, press_stamp(path)), lambda: press_of_study(ask.study)
        )
        return press, False

    def print_table(self, ask: Ask) -> PrintTable:
        """Return what print makes of every display code."""
        (press, is_own), how, display = self.press(ask), ask.study.printing, ask.study.view.encoding

        def make() -> tuple[Press, PrintTable]:
            nodes = lattice_colours(_GRID).reshape(-1, 3)
            made = print_of(nodes, display, press, how)
            paper = np.zeros((len(nodes), 4), np.float32)
            alone = None
            if is_own and how.black == ALONE:
                alone = _packed(print_of(nodes, display, press, how, paper).codes)
            colours, black = made.inks[:, :3], np.repeat(made.inks[:, 3:], 3, -1)
            table = PrintTable(_packed(made.codes), _packed(colours), _packed(black), alone)
            return press, table

        key = ("table", id(press), is_own, how, display)
        kept: tuple[Press, PrintTable] = self._prints.get(key, make)
        return kept[1]

    def black_alone(self, ask: Ask) -> Array | None:
        """Return where a picture in inks has black alone, or bare paper, bool (h, w); None where that changes."""
        if ask.study.printing.black != ALONE:
            return None
        own = self.frames.inks(ask.shot, ask.width, ask.height, ask.region)
        return None if own is None else np.asarray((own[..., :3] == 0).all(-1))

    def printed(
        self, ask: Ask, meant: Rgb, *, marks: bool, cancel: Cancel | None = None
    ) -> Printed:
        """Return display codes (h, w, 3) of the asked size as they are printed.

        Args:
            marks: whether it is to be told where ink exceeds the limit.
        """
        press, how, display = self.press(ask)[0], ask.study.printing, ask.study.view.encoding
        free = attrs.evolve(how, ink_limit=NO_LIMIT)
        height, width = meant.shape[:2]
        own = self.frames.inks(ask.shot, width, height, ask.region)
        flat = np.clip(meant, 0, 1).reshape(-1, 3)
        codes = np.empty(flat.shape, np.float32)
        outside, over = (np.zeros(len(flat), np.bool_) for _ in range(2))

        def one(start: int) -> None:
            if cancel is not None:
                cancel.check()
            part = slice(start, start + _AT_ONCE)
            there = None if own is None else own.reshape(-1, 4)[part]
            made = print_of(flat[part], display, press, how, there)
            codes[part] = made.codes
            outside[part] = ((made.shown - made.meant) ** 2).sum(-1) > _TOLD**2
            if marks and how.most_ink < 4:
                asked = print_of(flat[part], display, press, free, there).inks
                over[part] = asked.sum(-1) > how.most_ink + _OVER

        spread(one, range(0, len(flat), _AT_ONCE))
        shape = height, width
        return Printed(codes.reshape(meant.shape), outside.reshape(shape), over.reshape(shape))


def _packed(values: Array) -> Packed:
    return packed(Table3D(np.nan_to_num(values).reshape(_GRID, _GRID, _GRID, 3)))
