"""What the Borrow page shows: a look out of pairs or references, its pictures, and its instruments."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
from attrs import field, frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.borrow.reference import STARTING_POINT
from sfumato.core.colour.encodings import encoding
from sfumato.core.lut.difference import delta_e
from sfumato.core.path.path import through_coats, through_ground, through_look, through_view
from sfumato.core.study.loan import PAIR, Loan
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.work import memory
from sfumato.work.borrow.borrowing import Borrowing, entry_of
from sfumato.work.borrow.pairs import from_pairs
from sfumato.work.borrow.references import Ours, displayed, from_reference, mean_about, mean_of
from sfumato.work.borrow.seen import OnShot, PairSeen, on_shot, pairs_seen
from sfumato.work.borrow.sides import WIDTH, Side, side
from sfumato.work.cancel import Cancel, Progress, silent
from sfumato.work.files import stamp_of
from sfumato.work.preview.asks import to_bytes
from sfumato.work.preview.preview import Previewer
from sfumato.work.preview.scene import Measuring, Scene

_SOLVING = 0.6  # share of the time at which references are read


class References:
    """Pictures of references, read once and kept small."""

    def __init__(self) -> None:
        self._kept = memory.Kept(memory.LOANS, 64)

    def side(self, path: str, said: str) -> Side:
        """Return a reference of at most `WIDTH` pixels across.

        Raises:
            MediaError: it cannot be read.
        """
        key = (path, said, stamp_of(Path(path)))
        found: Side = self._kept.get(key, lambda: side(path, said).small)
        return found


@frozen(eq=False)
class OnPage:
    """What came of what is borrowed from, with its pictures: uint8 (h, w, 3) codes of the display.

    Attributes:
        pairs: what is seen of each, of a loan of pairs.
        was, made: the shot as it is and with the glazes, of a reference.
        references: each reference as it is shown.
        parts: how far ties lie apart, before and after: mean colours, CIEDE2000.
    """

    found: Borrowing
    pairs: tuple[PairSeen, ...] = ()
    was: Array | None = None
    made: Array | None = None
    references: tuple[Array, ...] = field(default=(), repr=False)
    parts: tuple[tuple[float, float], ...] = ()

    @property
    def mode(self) -> str:
        return self.found.mode

    @property
    def remarks(self) -> tuple[tuple[str, ...], tuple[str, ...]]:
        """What was guessed of the pictures, and what else is to be known; not that it is a starting point."""
        rest = tuple(r for r in self.found.remarks if r != STARTING_POINT)
        return self.found.guesses, rest

    def sides(self, chosen: int, *, with_rest: bool) -> tuple[Array, Array]:
        """Return what the look makes and what it is to be like, of the chosen pair or reference."""
        if self.mode == PAIR:
            pair = self.pairs[min(chosen, len(self.pairs) - 1)]
            return (pair.made if with_rest else pair.glazed), pair.after
        assert self.made is not None
        return self.made, self.references[min(chosen, len(self.references) - 1)]

    def through(self, code: Rgb, *, with_rest: bool) -> Rgb:
        """Apply what was borrowed to working code values (..., 3)."""
        study = self.found.study
        code = through_coats(self.found.base, code, encoding(study.working), study.view)
        return self.found.through(code, with_rest=with_rest)

    def measured(self, spec: Measuring, chosen: int, *, with_rest: bool) -> tuple[Any, Any]:
        """Return what an instrument reads of the look's side, and of what lies under it."""
        made, wanted = self.sides(chosen, with_rest=with_rest)
        data = spec.measure(self._scene(made, with_rest=with_rest))
        under = None
        if spec.counts_pixels:
            under = spec.measure(self._scene(wanted, with_rest=with_rest), grey=True)
        return data, under

    def _scene(self, picture: Array, *, with_rest: bool) -> Scene:
        study = self.found.study

        def viewed(code: Rgb) -> Rgb:
            return np.clip(through_view(study, code), 0, 1)

        return Scene(
            picture=picture,
            working=study.working,
            display=study.view.encoding,
            is_quick=False,
            shows_lut=False,
            through_look=lambda code: self.through(code, with_rest=with_rest),
            exact=lambda: self.found.table,
            lut=lambda: self.found.table,
            viewed=viewed,
            shown=viewed,
            painted=to_bytes,
        )

    def on_shot(self, shot: Shot, study: Study, previewer: Previewer, *, with_rest: bool) -> OnShot:
        """Return a shot through the look of pairs, and how sure it is there."""
        code = through_ground(shot, study, previewer.entering_ground(study, shot, WIDTH))
        return on_shot(self.found, code, with_rest=with_rest)


def taken(
    pairs: Sequence[tuple[Path, Path]],
    loan: Loan,
    study: Study,
    cancel: Cancel,
    progress: Progress = silent,
) -> OnPage:
    """Take the look of pairs, for the page.

    Raises:
        SfumatoError: as `from_pairs`.
    """
    with memory.heavy(cancel.check):
        found = from_pairs(pairs, loan.source, loan.result, study, cancel.check, progress)
        seen = pairs_seen(found, cancel.check)
    return OnPage(found.lighter, seen)


def followed(
    shot: Shot,
    study: Study,
    loan: Loan,
    pictures: References,
    previewer: Previewer,
    cancel: Cancel,
    progress: Progress = silent,
) -> OnPage:
    """Follow references from a shot, for the page.

    Args:
        study: with the Look that comes before what is borrowed; none of it counts when the loan does
            not begin over it.

    Raises:
        SfumatoError: as `from_reference`.
    """
    sides = []
    for i, file in enumerate(loan.references):
        cancel.check()
        progress(_SOLVING * i / len(loan.references), f"Reading {Path(file).name}")
        sides.append(pictures.side(file, loan.said))
    ground = through_ground(shot, study, previewer.entering_ground(study, shot, WIDTH))
    code = through_look(study, ground) if loan.over_look else ground
    base = study.look.coats if loan.over_look else ()
    ours = Ours(code, shot.name, entry_of(shot.encoding or study.working), base, shot)
    progress(_SOLVING, "Following it")
    with memory.heavy(cancel.check):  # 130 MB with two references
        found = from_reference(ours, sides, loan, study, cancel.check)
    made = found.through(code)
    shown = [np.clip(through_view(study, c), 0, 1) for c in (code, made)]
    seen = {str(s.path): displayed(s, study) for s in sides}
    return OnPage(
        found,
        was=to_bytes(shown[0]),
        made=to_bytes(shown[1]),
        references=tuple(to_bytes(seen[f]) for f in loan.references),
        parts=_parts(loan, shown[0], shown[1], seen, study),
    )


def _parts(
    loan: Loan, was: Rgb, made: Rgb, seen: dict[str, Rgb], study: Study
) -> tuple[tuple[float, float], ...]:
    """Return for each tie, then each pick, how far its two sides lie apart before and after."""
    display = encoding(study.view.encoding)

    def apart(ours: Rgb, theirs: Rgb) -> float:
        return float(delta_e(ours, theirs, display)[0])

    out = []
    for tie in loan.ties:
        aim = mean_of(seen[tie.file], tie.theirs)
        out.append((apart(mean_of(was, tie.ours), aim), apart(mean_of(made, tie.ours), aim)))
    for pick in loan.picks:
        aim = mean_about(seen[pick.file], pick.theirs)
        out.append(
            (apart(mean_about(was, pick.ours), aim), apart(mean_about(made, pick.ours), aim))
        )
    return tuple(out)
