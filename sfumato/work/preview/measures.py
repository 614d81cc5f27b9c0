"""What the Instruments and the rows of the Ledger show of a shot and of the LUT."""

from __future__ import annotations

import time
from collections.abc import Callable
from functools import partial
from typing import Any

import attrs
import numpy as np

from sfumato.core.arrays import Array, Rgb
from sfumato.core.colour import oklab
from sfumato.core.colour.encodings import encoding
from sfumato.core.glaze import glazes
from sfumato.core.glazes.lut import Lut
from sfumato.core.lut.difference import Difference, delta_e, difference_of
from sfumato.core.lut.transform import Transform
from sfumato.core.path import path
from sfumato.core.path.laying import matte
from sfumato.core.study.coat import Coat, new_coat
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import LOOK, Study
from sfumato.media.parts.inked import total_ink
from sfumato.raster.plates import CMYK
from sfumato.work.cancel import Cancel
from sfumato.work.colours import Incoming
from sfumato.work.frames import WHOLE, small_size
from sfumato.work.preview.asks import (
    DEVICE,
    EXACT,
    LUT,
    SOURCE,
    UNBAKED,
    Ask,
    Id,
    look_key,
    to_bytes,
)
from sfumato.work.preview.drag import Drags, swatches_in
from sfumato.work.preview.prints import PrintLoss
from sfumato.work.preview.scene import Measuring, Scene
from sfumato.work.tiles import apply_tiled, run_tiled

SCOPE_WIDTH = 480
LOSS_WIDTH = 320
CLOUD = 1800  # colours on the nudge map
_SLOW = 0.03  # seconds of an instrument that rests while the hand moves


def smears(
    study: Study,
    shot: Shot,
    painted: Callable[[Rgb], Array] | None = None,
    known: tuple[Rgb, ...] = (),
) -> dict[str, Array]:
    """Return, by coat, uint8 (2, 17, 3): the swatches as they enter and as they leave it, viewed.

    Args:
        painted: takes display codes to those of the screen.
        known: the swatches before the first coat and behind each, where they were computed already.
    """
    working = encoding(study.working)
    ids: list[str] = []
    steps: list[Rgb] = []

    def walk(coats: tuple[Coat, ...], code: Rgb) -> None:
        for coat in coats:
            walk(coat.members, code)
            after = path.through_coat(coat, code, working, study.view)
            ids.append(coat.id)
            steps.extend((code, after))
            code = after

    coats = (*shot.ground, *study.look.coats)
    if known:
        for coat, before, after in zip(coats, known, known[1:], strict=False):
            walk(coat.members, before)
            ids.append(coat.id)
            steps.extend((before, after))
    else:
        walk(coats, swatches_in(study.working))
    if not ids:
        return {}
    viewed = (painted or to_bytes)(path.through_view(study, np.stack(steps)))
    return {name: viewed[2 * i : 2 * i + 2] for i, name in enumerate(ids)}


def tried(
    study: Study, shot: Shot, where: str, painted: Callable[[Rgb], Array] | None = None
) -> dict[str, Array]:
    """Return, by key, smears as `smears` has them of what each glaze would do, set gently.

    Args:
        where: LOOK for the end of the Look, or the shot for the end of its Ground.
    """
    working = encoding(study.working)
    code = path.through_ground(shot, study, swatches_in(study.working))
    if where == LOOK:
        code = path.through_look(study, code)
    steps = [code]
    keys = [k for k, spec in glazes().items() if spec.mild and spec.record is not Lut]
    for key in keys:
        coat = new_coat(key, working, **glazes()[key].mild)
        steps.append(path.through_coat(coat, code, working, study.view))
    viewed = (painted or to_bytes)(path.through_view(study, np.stack(steps)))
    return {key: np.stack([viewed[0], viewed[i]]) for i, key in enumerate(keys, 1)}


class Measures(Drags):
    """Keeps the instruments of the pinned shot while neither it nor the Look moves."""

    def forget(self) -> None:
        super().forget()
        self._kept_reference: tuple[str, dict[str, Array]] = ("", {})
        self._took: dict[str, float] = {}  # seconds, by instrument

    def _delta(self, a: Rgb, b: Rgb, ask: Ask, cancel: Cancel) -> Array:
        display = encoding(ask.study.view.encoding)
        out = np.empty(a.shape[:2], np.float32)
        for top in range(0, len(a), 32):
            cancel.check()
            out[top : top + 32] = delta_e(a[top : top + 32], b[top : top + 32], display)
        return out

    def scene(self, ask: Ask, picture: Array, cancel: Cancel) -> Scene:
        """Return what instruments measure: `picture` is side B, uint8."""
        study = ask.study
        if ask.region != WHOLE and any(i.counts_pixels for i in ask.instruments):
            picture = self._whole(ask, cancel)

        return Scene(
            picture=picture,
            working=study.working,
            display=study.view.encoding,
            is_quick=ask.dragging,
            shows_lut=ask.b == LUT,
            through_look=partial(path.through_look, study),
            exact=lambda: study.transform(shot=ask.shot.id),
            lut=lambda: Transform((self.written_table(ask, cancel),)),
            viewed=partial(path.from_leave, study),
            shown=partial(path.through_view, study),
            painted=partial(self.screened, study),
            inks=lambda shown: self.print_table(ask).inks(shown),
            ink_limit=study.printing.most_ink,
        )

    def measured(
        self, wanted: tuple[Measuring, ...], scene: Scene, cancel: Cancel, grey: bool = False
    ) -> dict[str, Any]:
        """Return what instruments give, by key; one that gives nothing now is left out.

        While the hand moves that is one, too, that took long at the last step, or, where it counts no pixels
        and so does the same then, twice as long at rest: greys through hundreds of glazes.
        """
        found: dict[str, Any] = {}
        for instrument in wanted:
            cancel.check()
            if scene.is_quick and self._took.get(instrument.key, 0.0) > _SLOW:
                continue
            start = time.thread_time()
            data = instrument.measure(scene, grey)
            spent = time.thread_time() - start
            at_rest = 0.0 if instrument.counts_pixels else spent / 2
            self._took[instrument.key] = spent if scene.is_quick else at_rest
            if data is not None:
                found[instrument.key] = data
        return found

    def _reference(self, ask: Ask, cancel: Cancel) -> dict[str, Array]:
        """Return the instruments of the pinned shot, kept while neither it nor the Look moves."""
        shot = ask.pinned
        if shot is None or not ask.instruments:
            return {}
        kept_shot, kept = self._kept_reference
        if ask.dragging:
            return kept if kept_shot == shot.id else {}
        wanted = tuple(i for i in ask.instruments if i.counts_pixels)
        key = ("reference", Id(shot), look_key(ask.study), tuple(i.key for i in wanted))

        def make() -> dict[str, Array]:
            picture = to_bytes(
                self.whole_picture(ask.study, shot, SCOPE_WIDTH, SCOPE_WIDTH, cancel)
            )
            whole = attrs.evolve(ask, region=WHOLE)
            return self.measured(wanted, self.scene(whole, picture, cancel), cancel, grey=True)

        found: dict[str, Array] = self._tables.get(key, make)
        self._kept_reference = (shot.id, found)
        return found

    def _whole(self, ask: Ask, cancel: Cancel) -> Array:
        """Return side B of the whole picture, small, for instruments while the Easel is zoomed in."""
        size = (*small_size(self.frames.size(ask.shot), SCOPE_WIDTH), WHOLE)
        if ask.b == SOURCE:
            return to_bytes(self.frames.proxy(ask.shot, *size))
        code = self.working(ask, *size)
        table = self._drag_table(ask, EXACT if ask.b in UNBAKED else ask.b, cancel)
        return apply_tiled(table.packed, code, np.uint8, cancel=cancel)

    def entry(self, ask: Ask, bins: int = 128) -> Incoming:
        """Return what enters the chosen coat: counts of working values 0..1, and sampled colours."""
        code = self.working(ask, *small_size(self.frames.size(ask.shot), 240), WHOLE)
        values = self.entering(ask, code.reshape(-1, 3))
        counts = np.stack([np.histogram(values[:, c], bins, (0.0, 1.0))[0] for c in range(3)])
        some = values[:: max(1, len(values) // CLOUD)]
        working = encoding(ask.study.working)
        lab = oklab.from_light(working.decode(some), working)
        shown = to_bytes(path.through_view(ask.study, some))
        laying = ask.study.coat(ask.coat).laying
        share = matte(laying, values, working, ask.study.view.noise_floor)
        return Incoming(counts, lab, shown, float(share.mean()))

    def device_loss(self, ask: Ask, cancel: Cancel) -> Difference:
        """Measure side B as the target sees it against the exact grade, on the shot."""
        size = (*small_size(self.frames.size(ask.shot), LOSS_WIDTH), WHOLE)
        code = self.working(ask, *size)
        both = (run_tiled(self.side(ask, s, cancel), code, cancel) for s in (EXACT, DEVICE))
        exact, seen = (rgb.reshape(-1, 3) for rgb in both)
        display = encoding(ask.study.view.encoding)
        return difference_of((exact, seen), code.reshape(-1, 3), display)

    def print_loss(self, ask: Ask, cancel: Cancel) -> PrintLoss:
        """Measure what print can show of a shot against what the Look wants.

        A picture that is kept in inks or Lab goes the way that its result goes, with what is done to its black.
        """
        size = (*small_size(self.frames.size(ask.shot), LOSS_WIDTH), WHOLE)
        code = self.working(ask, *size)
        exact = run_tiled(self.for_print(ask), code, cancel)
        study = ask.study
        small = attrs.evolve(ask, width=size[0], height=size[1], region=WHOLE)
        made = self.printed(small, exact, marks=False, cancel=cancel)
        outside = float(made.outside.mean())
        still = self.frames.still(ask.shot) if self.frames.is_plated(ask.shot) else None
        if still is not None and still.plates is not None and still.plates.kind == CMYK:
            height, width = still.plates.values.shape[:2]
            step = max(1, round((height * width / exact[..., 0].size) ** 0.5))
            few = np.ascontiguousarray(still.plates.values[::step, ::step])
            plates = attrs.evolve(still.plates, values=few, extra=None)
            # Here: with it clips are loaded, and the window is there before that.
            from sfumato.work.results.apply import ApplyWish, regraded

            plates, off = regraded(study, ask.shot, ApplyWish(), plates, cancel)
            assert off is not None  # there is no link in the way
            return PrintLoss(off, outside, total_ink(plates.values), of_plates=True)
        bare = attrs.evolve(study, printing=attrs.evolve(study.printing, paper=False))
        bare_ask = attrs.evolve(small, study=bare)
        shown = self.printed(bare_ask, exact, marks=False, cancel=cancel).codes
        inks = self.print_table(ask).inks(to_bytes(exact))
        display = encoding(study.view.encoding)
        pairs = (shown.reshape(-1, 3), exact.reshape(-1, 3))
        return PrintLoss(
            difference_of(pairs, code.reshape(-1, 3), display), outside, total_ink(inks)
        )
