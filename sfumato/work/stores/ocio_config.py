"""OCIO configs: their colour spaces as encodings, their displays and views as Views.

The OpenColorIO library reads the config and does its arithmetic; here its spaces are tied to the
other encodings. Scene-referred spaces meet them in ACES2065-1, displays in CIE XYZ at D65, the two
interchange roles of the standard; a config without them is taken to be linear BT.709 at its
scene_linear role, which is said.
"""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

import numpy as np
from attrs import field, frozen

from sfumato.core.arrays import Rgb, as_rgb
from sfumato.core.colour.adapt import transformed
from sfumato.core.colour.encodings import (
    Coder,
    Encoding,
    Family,
    convert,
    encoding,
    encodings,
)
from sfumato.core.colour.transfers import LINEAR
from sfumato.core.errors import FormatError, ValueRefused
from sfumato.work.files import read_bytes

BUILT_IN = "ocio://"
SUFFIXES = (".ocio", ".ocioz")
MOST_CONFIG = 64 << 20  # bytes
_SCENE, _SHOWN = "aces_interchange", "cie_xyz_d65_interchange"
_FROM_709 = encoding("Linear BT.709").to_xyz
_XYZ_TO_709 = np.asarray(np.linalg.inv(_FROM_709), np.float64)


@frozen
class BuiltIn:
    """A config that comes with the library."""

    where: str
    title: str
    recommended: bool


def built_in() -> list[BuiltIn]:
    """Return the configs that the OpenColorIO library brings, the recommended ones first."""
    import PyOpenColorIO as ocio

    rows = ocio.BuiltinConfigRegistry().getBuiltinConfigs()
    found = [BuiltIn(BUILT_IN + name, title, wise) for name, title, wise, _default in rows]
    return sorted(found, key=lambda b: not b.recommended)


@frozen(eq=False)
class Opened:
    """A config, with its spaces and views as encodings."""

    where: str
    name: str
    spaces: tuple[str, ...]
    views: tuple[str, ...]
    encodings: tuple[Encoding, ...] = ()
    remarks: tuple[str, ...] = ()


@frozen(eq=False)
class _Config:
    config: Any
    where: str
    name: str
    scene: str
    processors: dict[Any, Any] = field(factory=dict)

    def run(self, key: Any, transform: Any, code: Rgb) -> Rgb:
        """Send colours through a processor of the library, which is made once.

        Raises:
            ValueRefused: the config cannot do this: a file of it is missing, or there is no way back.
        """
        import PyOpenColorIO as ocio

        cpu = self.processors.get(key)
        if cpu is None:
            try:
                made = self.config.getProcessor(*transform)
                cpu = made.getOptimizedCPUProcessor(ocio.OPTIMIZATION_LOSSLESS)
            except ocio.Exception as error:
                raise ValueRefused(
                    f"the config {self.name} cannot do this: {first_line(error)}",
                    hint="choose another encoding or View",
                ) from error
            self.processors[key] = cpu
        out = np.nan_to_num(as_rgb(code)).reshape(-1, 3)
        cpu.applyRGB(out)
        return out.reshape(np.shape(code))

    def between(self, source: str, target: str, code: Rgb) -> Rgb:
        return self.run((source, target), (source, target), code)

    def view(self, source: str, display: str, view: str, code: Rgb, back: bool = False) -> Rgb:
        import PyOpenColorIO as ocio

        how = ocio.DisplayViewTransform(src=source, display=display, view=view)
        way = ocio.TRANSFORM_DIR_INVERSE if back else ocio.TRANSFORM_DIR_FORWARD
        return self.run((source, display, view, back), (how, way), code)


def first_line(error: Exception) -> str:
    """Return what the library says is wrong, in a line."""
    return (str(error).strip().splitlines() or ["it is damaged"])[0][:160]


def open_config(where: str) -> Opened:
    """Open a config; its spaces and views are encodings, which are not made known by this.

    Args:
        where: path of a .ocio or .ocioz file, or ocio:// and the name of a built-in config.
    Raises:
        FormatError: it cannot be read, or is no config.
    """
    import PyOpenColorIO as ocio

    ocio.SetLoggingLevel(ocio.LOGGING_LEVEL_NONE)  # what matters comes as an error
    if where.startswith(BUILT_IN):
        name = where[len(BUILT_IN) :].split("_")[0]
    else:
        file = Path(where)
        read_bytes(file, FormatError, MOST_CONFIG)  # refuses what is missing, huge or no file
        name = file.stem
    try:
        config = ocio.Config.CreateFromFile(where)
        config.validate()
    except ocio.Exception as error:
        raise FormatError(
            f"this is no OCIO config that can be used: {first_line(error)}",
            hint="choose a .ocio file",
            where=where,
        ) from error
    remarks = []
    scene = _SCENE
    if not config.hasRole(_SCENE):
        scene = "scene_linear" if config.hasRole("scene_linear") else ""
        remarks.append(
            f"{name} does not say how its colours relate to others: its scene_linear is taken as linear BT.709"
            if scene
            else f"{name} has neither an interchange nor a scene_linear role: its spaces only fit each other"
        )
    held = _Config(config, where, name, scene)
    spaces = [e for s in config.getColorSpaces() if (e := _space(held, s)) is not None]
    views = [
        e
        for display in config.getDisplays()
        for view in config.getViews(display)
        if (e := _view(held, display, view)) is not None
    ]
    return Opened(
        where,
        name,
        tuple(e.name for e in spaces),
        tuple(e.name for e in views),
        (*spaces, *views),
        tuple(remarks),
    )


def opened(where: str) -> bool:
    """Whether the spaces of a config are known."""
    return any(e.coder is not None and e.coder.origin == where for e in encodings().values())


def _space(held: _Config, space: Any) -> Encoding | None:
    """Return a colour space as an encoding; None for data, and where nothing ties it to others."""
    import PyOpenColorIO as ocio

    name = space.getName()
    if space.isData() or space.getEncoding() == "data":
        return None
    shown = space.getReferenceSpaceType() == ocio.REFERENCE_SPACE_DISPLAY
    if shown and not held.config.hasRole(_SHOWN):
        return None
    hdr = space.getEncoding() == "hdr-video"
    coder = _shown_coder(held, name, hdr) if shown else _scene_coder(held, name)
    family = Family.DISPLAY if shown else _family(held, space)
    return _made(held, f"{held.name}: {name}", family, coder, shown, hdr)


def _made(
    held: _Config, name: str, family: Family, coder: Coder, shown: bool, hdr: bool = False
) -> Encoding:
    tied = held.scene == _SCENE
    like = encoding("Linear BT.709" if shown or not tied else "ACES2065-1")
    return Encoding(
        name,
        name,
        family,
        LINEAR,
        like.primaries,
        like.white,
        f"OCIO config {held.where}",
        peak_nits=10000.0 if hdr else 100.0,
        reference=203 / 10000 if hdr else 1.0,
        cat=like.cat,
        coder=coder,
        config=held.name,
    )


def _family(held: _Config, space: Any) -> Family:
    kind = space.getEncoding()
    if kind in ("scene-linear", "display-linear"):
        return Family.LINEAR
    if kind == "log":
        return Family.LOG
    if kind in ("sdr-video", "hdr-video"):
        return Family.DISPLAY
    scene = held.scene or space.getName()
    if held.config.isColorSpaceLinear(space.getName(), space.getReferenceSpaceType()):
        return Family.LINEAR
    top = held.between(space.getName(), scene, as_rgb([[1.0, 1.0, 1.0]]))
    return Family.LOG if float(top.max()) > 1.5 else Family.DISPLAY


def _scene_coder(held: _Config, name: str) -> Coder:
    def decode(code: Rgb) -> Rgb:
        return held.between(name, held.scene or name, code)

    def encode(light: Rgb) -> Rgb:
        return held.between(held.scene or name, name, light)

    return Coder(decode, encode, held.where, _direct(held, name))


def _direct(held: _Config, name: str) -> Any:
    prefix = f"{held.name}: "

    def direct(code: Rgb, other: Encoding) -> Rgb:
        return held.between(name, other.name[len(prefix) :], code)

    return direct


def _shown_coder(held: _Config, name: str, hdr: bool) -> Coder:
    scale = np.float32(0.01 if hdr else 1.0)  # the library counts 100 cd/m2 as 1

    def decode(code: Rgb) -> Rgb:
        return transformed(held.between(name, _SHOWN, code), _XYZ_TO_709) * scale

    def encode(light: Rgb) -> Rgb:
        return held.between(_SHOWN, name, transformed(light / scale, _FROM_709))

    return Coder(decode, encode, held.where, _direct(held, name))


def _view(held: _Config, display: str, view: str) -> Encoding | None:
    """Return a view of a display as an encoding that brings its own rendering."""
    import PyOpenColorIO as ocio

    config = held.config
    target = config.getDisplayViewColorSpaceName(display, view)
    if target in ("", "<USE_DISPLAY_NAME>"):
        target = display
    space = config.getColorSpace(target)
    if space is None or space.isData() or not held.scene:
        return None
    hdr = space.getEncoding() == "hdr-video"
    if space.getReferenceSpaceType() == ocio.REFERENCE_SPACE_DISPLAY and config.hasRole(_SHOWN):
        plain = _shown_coder(held, target, hdr)
    else:  # an older config: the rendering is in the space, so its light says nothing of the display
        srgb = encoding("sRGB")
        plain, hdr = Coder(srgb.decode, srgb.encode), False
    tied = encoding("ACES2065-1" if held.scene == _SCENE else "Linear BT.709")

    def source(working: Encoding) -> tuple[str, bool]:
        own = working.coder is not None and working.coder.origin == held.where
        return (working.name[len(held.name) + 2 :], True) if own else (held.scene, False)

    def shown(code: Rgb, working: Encoding) -> Rgb:
        name, own = source(working)
        return held.view(name, display, view, code if own else convert(code, working, tied))

    def unshown(code: Rgb, working: Encoding) -> Rgb:
        name, own = source(working)
        light = held.view(name, display, view, code, back=True)
        return light if own else convert(light, tied, working)

    coder = Coder(plain.decode, plain.encode, held.where, None, shown, unshown)
    name = f"{held.name}: {view}, {display}"
    return _made(held, name, Family.DISPLAY, coder, True, hdr)


def encodings_of(configs: tuple[str, ...]) -> tuple[Encoding, ...]:
    """Return the encodings of configs that a study names, of those that are not known yet.

    Raises:
        FormatError: one of them cannot be opened.
    """
    fresh = [open_config(where).encodings for where in configs if not opened(where)]
    return tuple(e for each in fresh for e in each)


def absolute(where: str, folder: Path) -> str:
    """Return the place of a config that a study in `folder` names."""
    return where if where.startswith(BUILT_IN) else os.path.normpath(folder / where)
