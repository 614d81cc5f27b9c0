"""What the Instruments and the rows of the Ledger show of a shot and of the LUT."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from sfumato.core.arrays import Array, Rgb, as_rgb
from sfumato.core.colour import oklab
from sfumato.core.colour.encodings import convert, encoding
from sfumato.core.lut.difference import Difference, delta_e, difference_of
from sfumato.core.lut.table import lattice_colours
from sfumato.core.lut.transform import Transform
from sfumato.core.measure import scopes
from sfumato.core.path import path
from sfumato.core.path.laying import matte
from sfumato.core.study.coat import Coat
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.work.cancel import Cancel
from sfumato.work.colours import Entry
from sfumato.work.frames import WHOLE
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
from sfumato.work.preview.drag import Drags
from sfumato.work.tiles import apply_tiled, run_tiled

SCOPE_WIDTH = 480
LOSS_WIDTH = 320
CLOUD_GRID = 17  # points a side of the cloud
LOSS_GRID = 16
CLOUD = 1800  # colours on the nudge map
_COUNTLESS = {"neutral", "cloud", "loss"}  # instruments of the LUT, not of the picture


def _swatches() -> Rgb:
    """Return twelve hues (Oklch L 0.66, C 0.13) and five greys, linear BT.709, float32 (17, 3)."""
    space = encoding("Linear BT.709")
    angle = np.radians(np.arange(12) * 30 + 20)
    hues = np.stack([np.full(12, 0.66), 0.13 * np.cos(angle), 0.13 * np.sin(angle)], axis=-1)
    greys = np.repeat(np.array([[0.02], [0.08], [0.18], [0.4], [0.85]]), 3, axis=1)
    return np.concatenate([oklab.to_light(hues.astype(np.float32), space), greys]).astype(
        np.float32
    )


def smears(
    study: Study, shot: Shot, painted: Callable[[Rgb], Array] | None = None
) -> dict[str, Array]:
    """Return, by coat, uint8 (2, 17, 3): the swatches as they enter and as they leave it, viewed.

    `painted` takes display codes to those of the screen.
    """
    working = encoding(study.working)
    code = convert(_swatches(), "Linear BT.709", working)
    ids: list[str] = []
    steps: list[Rgb] = []

    def walk(coats: tuple[Coat, ...], code: Rgb) -> None:
        for coat in coats:
            walk(coat.members, code)
            after = path.through_coat(coat, code, working)
            ids.append(coat.id)
            steps.extend((code, after))
            code = after

    walk((*shot.ground, *study.look.coats), code)
    if not ids:
        return {}
    viewed = (painted or to_bytes)(path.through_view(study, np.stack(steps)))
    return {name: viewed[2 * i : 2 * i + 2] for i, name in enumerate(ids)}


class Measures(Drags):
    """Keeps the instruments of the pinned shot while neither it nor the Look moves."""

    def forget(self) -> None:
        super().forget()
        self._kept_reference: tuple[str, dict[str, Array]] = ("", {})

    def _delta(self, a: Rgb, b: Rgb, ask: Ask, cancel: Cancel) -> Array:
        display = encoding(ask.study.view.encoding)
        out = np.empty(a.shape[:2], np.float32)
        for top in range(0, len(a), 32):
            cancel.check()
            out[top : top + 32] = delta_e(a[top : top + 32], b[top : top + 32], display)
        return out

    @staticmethod
    def _kinds(ask: Ask) -> tuple[str, ...]:
        """Return the wanted instruments that count pixels."""
        return tuple(k for k in ask.instruments if k not in _COUNTLESS)

    def _pictured(
        self,
        kinds: tuple[str, ...],
        picture: Array,
        study: Study,
        cancel: Cancel,
        reference: bool = False,
    ) -> dict[str, Any]:
        """Return instruments of a picture, several at a time."""

        def one(kind: str) -> Array:
            cancel.check()
            found = scopes.counted(kind, picture, study.view.encoding)
            if kind not in scopes.DRAWN:
                return found
            return scopes.drawn(kind, found, reference)

        return dict(zip(kinds, map(one, kinds), strict=True))

    def _counts(self, ask: Ask, picture: Array, cancel: Cancel) -> dict[str, Any]:
        wanted = self._kinds(ask)
        if wanted and ask.region != WHOLE:
            picture = self._whole(ask, cancel)
        counts = self._pictured(wanted, picture, ask.study, cancel)
        if "neutral" in ask.instruments:
            counts["neutral"] = self.neutral(ask)
        if "cloud" in ask.instruments:
            counts["cloud"] = self._cloud(ask, cancel)
        if "loss" in ask.instruments and not ask.dragging:
            counts["loss"] = self._loss(ask, cancel)
        return counts

    def _reference(self, ask: Ask, cancel: Cancel) -> dict[str, Array]:
        """Return the instruments of the pinned shot, kept while neither it nor the Look moves."""
        shot = ask.pinned
        if shot is None or not ask.instruments:
            return {}
        kept_shot, kept = self._kept_reference
        if ask.dragging:
            return kept if kept_shot == shot.id else {}
        key = ("reference", Id(shot), look_key(ask.study), self._kinds(ask))

        def make() -> dict[str, Array]:
            picture = to_bytes(self.whole_picture(ask.study, shot, SCOPE_WIDTH, SCOPE_WIDTH))
            return self._pictured(self._kinds(ask), picture, ask.study, cancel, reference=True)

        found: dict[str, Array] = self._tables.get(key, make)
        self._kept_reference = (shot.id, found)
        return found

    def _cloud(self, ask: Ask, cancel: Cancel) -> scopes.CubePoints:
        """Return where a lattice's nodes go: places by what the LUT gives, colours as seen."""
        nodes = lattice_colours(CLOUD_GRID).reshape(-1, 3)
        study = ask.study
        if ask.dragging or ask.b != LUT:
            given = study.transform(shot=ask.shot.id).apply(nodes)
        else:
            given = Transform((self.written_table(ask, cancel),)).apply(nodes)
        seen = self.screened(study, path.from_leave(study, given))
        radius: Array = np.full(len(nodes), 1.5, np.float32)
        return scopes.CubePoints(np.clip(given, -0.3, 1.3), seen, radius, f"{CLOUD_GRID}³ nodes")

    def _loss(self, ask: Ask, cancel: Cancel) -> scopes.CubePoints:
        """Return where in the cube the LUT departs from the exact grade, by dE of what is seen."""
        study = ask.study
        table = self.written_table(ask, cancel)
        # Cell-centred, so that no point is a node.
        at = (np.indices((LOSS_GRID,) * 3).reshape(3, -1).T + 0.5) / LOSS_GRID
        inputs = (at * (table.size - 1)).round() + 0.5
        inner = as_rgb(np.minimum(inputs, table.size - 1.5) / (table.size - 1))
        exact = path.from_leave(study, study.transform(shot=ask.shot.id).apply(inner))
        given = path.from_leave(study, Transform((table,)).apply(inner))
        apart = delta_e(exact, given, encoding(study.view.encoding))
        worst = int(apart.argmax())
        place = " ".join(f"{v:.2f}" for v in inner[worst])
        words = f"{apart[worst]:.2f} ΔE at worst\nat {place}\n{apart.mean():.3f} mean"
        return scopes.CubePoints(inner, scopes.heated(apart), scopes.loss_radius(apart), words)

    def _whole(self, ask: Ask, cancel: Cancel) -> Array:
        """Return side B of the whole picture, small, for instruments while the Easel is zoomed in."""
        w, h = self.frames.still(ask.shot).size
        size = (SCOPE_WIDTH, max(1, round(SCOPE_WIDTH * h / w)), WHOLE)
        if ask.b == SOURCE:
            return to_bytes(self.frames.proxy(ask.shot, *size))
        code = self.working(ask, *size)
        table = self._drag_table(ask, EXACT if ask.b in UNBAKED else ask.b, cancel)
        return apply_tiled(table.packed, code, np.uint8, cancel=cancel)

    def neutral(self, ask: Ask) -> Rgb:
        """Return what the Look does to greys: working values in, working values out."""
        return scopes.neutral_line(lambda code: path.through_look(ask.study, code))

    def entry(self, ask: Ask, bins: int = 128) -> Entry:
        """Return what enters the chosen coat: counts of working values 0..1, and sampled colours."""
        w, h = self.frames.still(ask.shot).size
        code = self.working(ask, 240, max(1, round(240 * h / w)), WHOLE)
        values = self.entering(ask, code.reshape(-1, 3))
        counts = np.stack([np.histogram(values[:, c], bins, (0.0, 1.0))[0] for c in range(3)])
        some = values[:: max(1, len(values) // CLOUD)]
        working = encoding(ask.study.working)
        lab = oklab.from_light(working.decode(some), working)
        shown = to_bytes(path.through_view(ask.study, some))
        share = matte(ask.study.coat(ask.coat).laying, values, working)
        return Entry(counts, lab, shown, float(share.mean()))

    def device_loss(self, ask: Ask, cancel: Cancel) -> Difference:
        """Measure side B as the target sees it against the exact grade, on the shot."""
        w, h = self.frames.still(ask.shot).size
        size = (LOSS_WIDTH, max(1, round(LOSS_WIDTH * h / w)), WHOLE)
        code = self.working(ask, *size)
        both = (run_tiled(self.side(ask, s, cancel), code, cancel) for s in (EXACT, DEVICE))
        exact, seen = (rgb.reshape(-1, 3) for rgb in both)
        display = encoding(ask.study.view.encoding)
        return difference_of((exact, seen), code.reshape(-1, 3), display)
