"""An OCIO config, version 2: the Look as a look and in a view, with CLF files beside the config.

The reference space is ACES2065-1. Scene-referred encodings of the study are colour spaces (a half
domain curve and a matrix each), the display is one that the View leads to. An outlet may name a
config of its folder: then the same is added to a copy of that one.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import attrs
import numpy as np

from sfumato.core.arrays import Rgb, as_rgb
from sfumato.core.colour.encodings import Encoding, encoding, light_matrix
from sfumato.core.errors import ExportError, FormatError, SfumatoError
from sfumato.core.lut.stages import HalfCurve, Matrix, half_inputs
from sfumato.core.lut.table import NODE_RANGE
from sfumato.core.lut.transform import Function, Transform
from sfumato.core.path.path import chunked, through_look, through_view
from sfumato.core.path.span import Joint, Span
from sfumato.core.study.outlet import CONFIG
from sfumato.core.study.study import Study
from sfumato.work.cancel import Cancel, Cancelled
from sfumato.work.files import drop, make_folder, write_bytes
from sfumato.work.luts.deliver import REPLACE, write_lut
from sfumato.work.luts.lut_files import read_lut
from sfumato.work.luts.proof import GridLoss
from sfumato.work.outlets import ocio_parts as parts
from sfumato.work.outlets.folders import whole_folder
from sfumato.work.outlets.order import Form, Order, Written, free_together
from sfumato.work.stores.ocio_config import first_line
from sfumato.work.tiles import bake_tiled

NAME, SUFFIX, SPACE = "config.ocio", ".ocio", "ACES2065-1"
_AGREES = 2e-5  # between the library's result and ours, of code values


def spaces_of(study: Study) -> tuple[Encoding, ...]:
    """Return the scene-referred encodings that a study's shots and Look are in."""
    names = [study.working, *(s.encoding for s in study.shots if s.encoding)]
    found = {encoding(n).name: encoding(n) for n in names}
    return tuple(e for e in found.values() if e.is_scene and e.coder is None and e.name != SPACE)


def _file_name(name: str) -> str:
    return re.sub(r"[^a-z0-9]+", "_", name.casefold()).strip("_") or "look"


def to_reference(space: Encoding) -> Transform:
    """Return an encoding's way to ACES2065-1: its curve over all half floats, and a matrix."""
    curve = np.asarray(space.decode(np.repeat(half_inputs()[:, None], 3, axis=1)), np.float32)
    curve = np.clip(np.nan_to_num(curve, posinf=65504, neginf=-65504), -65504, 65504)
    matrix = light_matrix(space, encoding(SPACE))
    return Transform((HalfCurve(curve), Matrix(tuple(map(tuple, matrix.tolist())))), space.name)


def _baked(run: Any, name: str, grid: int, cancel: Cancel | None) -> Transform:
    stage = Function(name, lambda rgb: chunked(Function(name, run), as_rgb(rgb)))
    table = bake_tiled(Transform((stage,)), grid, cancel)
    values = table.values.clip(*NODE_RANGE)
    return Transform((attrs.evolve(table, values=values, interp="tetrahedral"),), name)


def _config(study: Study, look: str, view: str) -> Any:
    """Return the config of a study; `look` and `view` are names of CLF files."""
    import PyOpenColorIO as ocio

    working, display = encoding(study.working), encoding(study.view.encoding)
    config = ocio.Config()
    config.setVersion(2, 0)
    config.setName(study.look.name)
    config.setDescription(f"{study.look.name}: a look in {working.name}, shown on {display.name}")
    config.setSearchPath("luts")
    reference = ocio.ColorSpace(
        ocio.REFERENCE_SPACE_SCENE,
        SPACE,
        description="Scene-linear light in ACES AP0, the reference of this config.",
        encoding="scene-linear",
    )
    config.addColorSpace(reference)
    for space in spaces_of(study):
        kind = "log" if space.family.value == "log" else "scene-linear"
        config.addColorSpace(
            ocio.ColorSpace(
                ocio.REFERENCE_SPACE_SCENE,
                space.name,
                description=space.title,
                encoding=kind,
                toReference=ocio.FileTransform(f"{_file_name(space.name)}_to_aces.clf"),
            )
        )
    there = ocio.ColorSpaceTransform(src=SPACE, dst=working.name)
    shown = parts.shown_space(study, f"{display.name} through the View", there, view)
    config.addColorSpace(shown)
    config.addLook(parts.look_in(study, working.name, look))
    name = parts.look_name(study)
    plain = "Without the look" if name != "Without the look" else "No look"
    config.addDisplayView(display.name, name, shown.getName(), name)
    config.addDisplayView(display.name, plain, shown.getName(), "")
    config.setActiveDisplays(display.name)
    config.setActiveViews(f"{name}, {plain}")
    for role, name in (
        ("aces_interchange", SPACE),
        ("scene_linear", SPACE),
        ("default", working.name),
        ("color_timing", working.name),
        ("compositing_log", working.name),
    ):
        config.setRole(role, name)
    config.setFileRules(ocio.FileRules())
    return config


def files_of(
    study: Study, grid: int, cancel: Cancel | None = None
) -> Iterator[tuple[str, Transform]]:
    """Yield the CLF files of a config: names and what they hold."""
    working = encoding(study.working)
    for space in spaces_of(study):
        yield f"{_file_name(space.name)}_to_aces.clf", to_reference(space)
    look = _baked(lambda rgb: through_look(study, rgb), study.look.name, grid, cancel)
    yield f"{_file_name(study.look.name)}.clf", look
    view = _baked(lambda rgb: through_view(study, rgb), f"{working.name} shown", grid, cancel)
    yield f"{_file_name(study.view.encoding)}_view.clf", view


def by_library(config: Path, rgb: Any, names: parts.Names) -> Rgb:
    """Return what the OpenColorIO library shows of working colours through a config's view of the Look.

    Raises:
        FormatError: the library refuses the config.
    """
    import PyOpenColorIO as ocio

    ocio.ClearAllCaches()
    out = np.ascontiguousarray(rgb, np.float32).copy()
    try:
        opened = ocio.Config.CreateFromFile(str(config))
        if not names.is_added:
            opened.validate()
        way = ocio.DisplayViewTransform(src=names.working, display=names.display, view=names.look)
        made = opened.getProcessor(way).getOptimizedCPUProcessor(ocio.OPTIMIZATION_NONE)
        made.applyRGB(out)
    except ocio.Exception as error:
        raise FormatError(
            f"OpenColorIO refuses the config: {first_line(error)}", where=str(config)
        ) from error
    return out


def by_files(look: Path, view: Path) -> Any:
    """Return what our reader makes of a config's files for working colours: Look, then View."""
    first, then = read_lut(look).transform, read_lut(view).transform
    return lambda rgb: then.apply(first.apply(rgb))


def _write(order: Order) -> Written:
    study = attrs.evolve(order.study, span=Span(end=Joint.VIEW))
    if not encoding(study.working).is_scene:
        raise ExportError(
            f"the look works in {study.working}: a config needs scene-referred colours",
            hint="choose a log encoding as the study's working encoding",
        )
    if encoding(study.working).coder is not None:
        raise ExportError(
            f"{study.working} is an encoding of another config",
            hint="add the look to that config, as a CLF file",
        )
    return _added(order, study) if order.outlet.base else _whole(order, study)


def _whole(order: Order, study: Study) -> Written:
    """Write a folder with a config of its own."""
    (folder,) = free_together(order, ("",))
    with whole_folder(folder, replace=order.existing == REPLACE) as made:
        luts = made / "luts"
        make_folder(luts)
        names = []
        for name, transform in files_of(study, order.outlet.grid, order.cancel):
            order.progress(0.3, f"writing {name}")
            order.cancel.check()
            write_lut(transform, luts / name, bits="32")
            names.append(name)
        write_bytes(made / NAME, _config(study, *names[-2:]).serialize().encode())
        ours = by_files(*(luts / n for n in names[-2:]))
        loss, wrong = _judged(order, made / NAME, ours, parts.Names.of(study))
    files = (folder / NAME, *sorted((folder / "luts").iterdir()))
    return Written(files, loss, () if wrong else ("OpenColorIO",), (), wrong)


def _added(order: Order, study: Study) -> Written:
    """Write a copy of somebody's config with the Look in it, and its CLF files beside."""
    base = parts.opened(order.outlet, order.file.parent)
    files = free_together(order, (SUFFIX, "_to_aces.clf", "_look.clf", "_view.clf"))
    config, *clfs = files
    if config.name == Path(order.outlet.base).name:
        raise ExportError(
            "the result would replace the config that the look is added to",
            hint="give the outlet's files other names",
            where=str(config),
        )
    space, look, view = (f.name for f in clfs)
    whole = parts.with_look(base, study, space, look, view)
    made = [
        to_reference(encoding(study.working)),
        *(t for _name, t in [*files_of(study, order.outlet.grid, order.cancel)][-2:]),
    ]
    force, written = order.existing == REPLACE, list[Path]()
    try:
        for file, transform in zip(clfs, made, strict=True):
            order.progress(0.5, f"writing {file.name}")
            order.cancel.check()
            write_lut(transform, file, bits="32", force=force)
            written.append(file)
        write_bytes(config, parts.serialized(whole, config).encode(), force=force)
    except (SfumatoError, Cancelled):
        for file in () if force else written:
            drop(file)
        raise
    names = parts.Names.of(study, is_added=True)
    loss, wrong = _judged(order, config, by_files(clfs[1], clfs[2]), names)
    said = (f"in the other displays the view {names.look} is their first one with the look",)
    return Written(files, loss, () if wrong else ("OpenColorIO",), said, wrong)


def _judged(
    order: Order, config: Path, ours: Any, names: parts.Names
) -> tuple[GridLoss | None, str]:
    """Return what a config loses, and what is wrong with it by the library, "" when all is well."""
    if order.yardstick is None:
        return None, ""
    order.progress(0.6, "opening it with the OpenColorIO library")
    loss = order.yardstick().loss(ours, order.outlet.grid)
    colours = np.random.default_rng(1).random((20_000, 3)).astype(np.float32)
    try:
        theirs = by_library(config, colours, names)
    except FormatError as error:
        return loss, error.summary
    off = float(np.abs(theirs - ours(colours)).max())
    return loss, "" if off <= _AGREES else f"OpenColorIO shows other colours, by up to {off:.2g}"


SPEC = Form(CONFIG, _write, lambda outlet: SUFFIX if outlet.base else "", NAME)
