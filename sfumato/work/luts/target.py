"""What a LUT is to become: a format with its choices, and a transform as that format can hold it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from attrs import frozen

from sfumato.core.errors import ExportError, ValueRefused
from sfumato.core.lut.fit import MOST_FITTED, Fitted, fitted
from sfumato.core.lut.recast import FLOATS, curves_of, domain_of, sampled, shaped
from sfumato.core.lut.table import NODE_RANGE, UNIT, Domain, Table1D
from sfumato.core.lut.text_style import Style
from sfumato.core.lut.transform import Transform
from sfumato.formats.parts import registry
from sfumato.formats.parts.contract import QUANTUM, FormatSpec, WriteOptions
from sfumato.formats.parts.style import styled
from sfumato.work.luts.lut_files import display_of
from sfumato.work.memory import heavy


def format_for(path: str | Path, key: str | None = None) -> FormatSpec:
    """Return the format that `key` names, or else the suffix of `path`.

    Raises:
        ExportError: there is none, or it cannot be written.
    """
    known = registry.formats()
    spec = known.get(key) if key else registry.by_suffix(str(path))
    if spec is None:
        raise ExportError(
            f"there is no LUT format {key!r}" if key else "the suffix names no LUT format",
            hint=f"use one of {', '.join(known)}",
            where=str(path),
        )
    if spec.write is None:
        raise ExportError(f"{spec.title} can only be read", where=str(path))
    return spec


@frozen
class Target:
    """What a LUT is to become; None and "" leave the choice to the format and the LUT."""

    key: str
    grid: int | None = None
    depth: str = ""
    layout: str = ""
    shaper: int | None = None
    fitted: bool = False
    suffix: str = ""
    domain: tuple[float, float] | None = None
    style: Style | None = None  # the layout of text, where it is another than the format's own

    @property
    def quantum(self) -> float:
        """How far a value of 0..1 may be off as it is stored."""
        digits = self.style.quantum if self.style is not None else 0.0
        return max(QUANTUM[self.depth_written], digits)

    @property
    def spec(self) -> FormatSpec:
        return registry.formats()[self.key]

    @property
    def ending(self) -> str:
        """Return the suffix that files of this target get."""
        return self.suffix if self.suffix in self.spec.suffixes else self.spec.suffixes[0]

    @property
    def depth_written(self) -> str:
        """Return the depth that its file gets."""
        return self.spec.depth_of(WriteOptions(depth=self.depth, suffix=self.ending))


@frozen
class Held:
    """A transform as a format can hold it, and in words what that loses."""

    transform: Transform
    said: tuple[str, ...] = ()
    fit: Fitted | None = None


def _grid_words(spec: FormatSpec, wish: int) -> int:
    """Return the grid that was asked for, or refuse one that the format does not hold."""
    nearest = spec.grid_for(wish)
    if nearest != wish:
        raise ValueRefused(
            f"{spec.title} holds no grid of {wish} points", hint=f"use {nearest} points"
        )
    return wish


def held(
    transform: Transform,
    target: Target,
    *,
    is_look: bool = False,
    check: Callable[[], None] = lambda: None,
) -> Held:
    """Return a transform as a target can hold it: as it is, or brought to a grid.

    Args:
        is_look: the transform is a grade for a display; its nodes are kept within -0.25..1.25.
    Raises:
        ValueRefused: the format cannot hold it, or not that grid, shaper or depth.
    """
    spec = target.spec
    table = transform.table
    wanted = _wanted_domain(target)
    same = target.grid is None or (table is not None and table.size == target.grid)
    same = same and (wanted is None or wanted == domain_of(transform))
    if same and target.shaper is None and spec.holds(transform) == "":
        return Held(transform)
    if not spec.bakes:
        return _without_grid(transform, spec)
    if target.shaper is not None:
        return _with_shaper(transform, target)
    domain = wanted or domain_of(transform)
    said = []
    if domain != UNIT and not spec.domain:
        domain = UNIT
        said.append("inputs below 0 and above 1 are no longer told apart")
    grid = (
        _grid_words(spec, target.grid)
        if target.grid
        else spec.grid_for(table.size if table else spec.default_grid)
    )
    if table is not None and table.size == grid and table.domain == domain:
        raise ValueRefused(spec.holds(transform), hint="choose another format")
    words = f"resampled from {table.size} to {grid} points" if table else f"baked to {grid} points"
    fit = None
    if target.fitted and grid > MOST_FITTED:
        words += f", not fitted: beyond {MOST_FITTED} points that makes nothing better"
    if target.fitted and grid <= MOST_FITTED:
        reach = (0.0, 1.0) if spec.clips else NODE_RANGE
        with heavy(check):
            fit = fitted(
                transform, grid, display_of(transform), domain=domain, node_range=reach, check=check
            )
        new = Transform((fit.table,), transform.title, transform.comments)
        kept = "kept" if fit.kept else "not better: sampled nodes kept"
        words = (
            f"{words}, sampled {fit.plain.mean:.3f} / {fit.plain.p99:.2f} ΔE, "
            f"fitted {fit.fitted.mean:.3f} / {fit.fitted.p99:.2f} ΔE (mean / 99 %), {kept}"
        )
    else:
        new = sampled(transform, grid, domain, node_range=NODE_RANGE if is_look else FLOATS)
    why = spec.holds(new)
    if why:
        raise ValueRefused(why, hint="choose another format")
    return Held(new, (*said, words), fit)


def _wanted_domain(target: Target) -> Domain | None:
    if target.domain is None:
        return None
    low, high = target.domain
    if not low < high:
        raise ValueRefused(f"a domain cannot run from {low:g} to {high:g}", hint="let it rise")
    if target.domain != (0.0, 1.0) and not target.spec.domain:
        raise ValueRefused(
            f"{target.spec.title} has the domain 0 to 1", hint="use cube, csp or CLF for another"
        )
    return (low,) * 3, (high,) * 3


def _without_grid(transform: Transform, spec: FormatSpec) -> Held:
    """Bring a transform to a format of curves; a format that holds neither is refused."""
    curves = curves_of(transform)
    if spec.holds(curves):
        raise ValueRefused(spec.holds(transform), hint="choose a format that holds it")
    size = curves.stages[0].size if isinstance(curves.stages[0], Table1D) else 0
    return Held(curves, (f"only what it does to greys is kept, in {size} entries",))


def _with_shaper(transform: Transform, target: Target) -> Held:
    spec = target.spec
    if not spec.shaper:
        raise ValueRefused(f"{spec.title} holds no shaper", hint="use cube, csp, CLF or ICC")
    entries, grid = target.shaper or 0, target.grid or spec.default_grid
    new = shaped(transform, entries, _grid_words(spec, grid))
    why = spec.holds(new)
    if why:
        raise ValueRefused(why, hint="leave the shaper out, or choose cube, csp or CLF")
    return Held(new, (f"a shaper of {entries} entries before {grid} points",))


def options_for(target: Target, transform: Transform) -> WriteOptions:
    return WriteOptions(
        transform.title, transform.comments, target.depth, target.layout, target.ending
    )


def encoded(transform: Transform, target: Target) -> tuple[bytes, tuple[str, ...]]:
    """Return the bytes of a transform that its format holds, and what they do not keep.

    Raises:
        ValueRefused: the format has no such depth or layout.
    """
    spec, options = target.spec, options_for(target, transform)
    lost = spec.not_kept(transform, options)
    assert spec.write is not None
    data = spec.write(transform, options)
    if target.style is None or not spec.is_text:
        return data, lost
    if target.style.quantum:
        lost = (*lost, f"numbers are rounded to {target.style.digits} digits")
    return styled(data, target.style), lost
