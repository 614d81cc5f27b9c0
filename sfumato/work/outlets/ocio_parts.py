"""What an OCIO config of a Look is made of, and how the same is added to a copy of somebody's config.

The config that it is added to stays as it is. The copy lies beside it, so that whatever it refers to
is found as before, and so do the CLF files. How its colours relate to ours it says by the role
aces_interchange: the space of that role is ACES2065-1.
"""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

from attrs import frozen

from sfumato.core.colour.encodings import encoding
from sfumato.core.errors import ExportError
from sfumato.core.study.outlet import Outlet
from sfumato.core.study.study import Study
from sfumato.work.files import read_bytes
from sfumato.work.stores.ocio_config import MOST_CONFIG, first_line

_ROLE = "aces_interchange"
_MOST = 200  # displays that get a view of the look


def look_name(study: Study) -> str:
    """Return what a config calls a study's Look: in lists of looks and views some letters part names.

    >>> look_name(Study().with_look(name="+Low tide, late: a|b"))
    'Low tide late a b'
    """
    return " ".join(re.sub(r"[,:|]+|^[+-]+", " ", study.look.name).split()) or "look"


@frozen
class Names:
    """What a look's things are called in a config; `look` is also the name of its view."""

    working: str
    display: str
    look: str
    is_added: bool = False

    @classmethod
    def of(cls, study: Study, *, is_added: bool = False) -> Names:
        behind = " of Sfumato" if is_added else ""
        display = encoding(study.view.encoding).name
        return cls(f"{study.working}{behind}", f"{display}{behind}", look_name(study), is_added)


def shown_space(study: Study, name: str, to_working: Any, view: str) -> Any:
    """Return the colour space of what the View shows, by a CLF file from the working space.

    Args:
        to_working: the way from the config's reference to the working space.
    """
    import PyOpenColorIO as ocio

    display = encoding(study.view.encoding).name
    shown = ocio.ColorSpace(
        ocio.REFERENCE_SPACE_SCENE,
        name,
        description=f"What {display} shows of the scene, through the study's View.",
        encoding="sdr-video",
    )
    file = ocio.FileTransform(view, interpolation=ocio.INTERP_TETRAHEDRAL)
    shown.setTransform(ocio.GroupTransform([to_working, file]), ocio.COLORSPACE_DIR_FROM_REFERENCE)
    return shown


def look_in(study: Study, working: str, look: str) -> Any:
    """Return the Look by a CLF file in a working space."""
    import PyOpenColorIO as ocio

    return ocio.Look(
        name=look_name(study),
        processSpace=working,
        transform=ocio.FileTransform(look, interpolation=ocio.INTERP_TETRAHEDRAL),
        description=f"The Look of {study.name}.",
    )


def opened(outlet: Outlet, folder: Path) -> Any:
    """Return the config of an outlet's folder that a look is added to.

    Raises:
        ExportError: it is not there, is none, or does not say how its colours relate to ACES.
    """
    import PyOpenColorIO as ocio

    place = folder / Path(outlet.base).name
    if place.suffix.lower() == ".ocioz":
        raise ExportError(
            "an archive cannot be added to", hint="unpack it and name its config", where=str(place)
        )
    read_bytes(place, ExportError, MOST_CONFIG)  # refuses what is missing, huge or no file
    ocio.SetLoggingLevel(ocio.LOGGING_LEVEL_NONE)  # what matters comes as an error
    try:
        config = ocio.Config.CreateFromFile(str(place))
    except ocio.Exception as error:
        raise ExportError(
            f"the config to add to cannot be opened: {first_line(error)}",
            hint="name a config that lies in the outlet's folder",
            where=str(place),
        ) from error
    if not config.hasRole(_ROLE) or config.getColorSpace(_ROLE) is None:
        raise ExportError(
            f"the config has no role {_ROLE}: how its colours relate to the look's is not known",
            hint="give it that role, for its space of ACES2065-1 light",
            where=str(place),
        )
    return config


def with_look(config: Any, study: Study, space: str, look: str, view: str) -> Any:
    """Return a config with a Look in it: its working space, the look, and views of it.

    Every display gets a view that is its first one with the look before it; a display of its own
    shows the look as the study's View does.

    Args:
        space, look, view: CLF files beside the config: from the working space to ACES2065-1, the
            Look, and the View.
    Raises:
        ExportError: the config has a look of that name.
    """
    import PyOpenColorIO as ocio

    names = Names.of(study, is_added=True)
    if config.getLook(names.look) is not None:
        raise ExportError(
            f"the config has a look named {names.look} already", hint="give the Look another name"
        )
    steps = [ocio.FileTransform(space), _to_reference(config.getColorSpace(_ROLE))]
    there = ocio.GroupTransform([s for s in steps if s is not None])
    working = ocio.ColorSpace(
        ocio.REFERENCE_SPACE_SCENE,
        names.working,
        description=encoding(study.working).title,
        toReference=there,
    )
    back = ocio.GroupTransform([there], direction=ocio.TRANSFORM_DIR_INVERSE)
    shown = shown_space(study, f"{names.display}, through the View", back, view)
    if config.getMajorVersion() < 2:  # it knows no such word
        shown.setEncoding("")
    displays = list(config.getDisplays())[:_MOST]
    config.addColorSpace(working)
    config.addColorSpace(shown)
    config.addLook(look_in(study, names.working, look))
    for display in displays:
        if names.look in config.getViews(display):
            continue
        first = config.getDefaultView(display)
        through = config.getDisplayViewTransformName(display, first)
        to = config.getDisplayViewColorSpaceName(display, first)
        if through:
            to = display if to == "<USE_DISPLAY_NAME>" else to
            config.addDisplayView(display, names.look, through, to, names.look, "", "")
        else:
            config.addDisplayView(display, names.look, to, names.look)
    config.addDisplayView(names.display, names.look, shown.getName(), names.look)
    if config.getActiveDisplays():  # none named: all are
        config.addActiveDisplay(names.display)
    if config.getActiveViews():
        config.addActiveView(names.look)
    if list(config.getSearchPaths()) and "." not in config.getSearchPaths():
        config.addSearchPath(".")
    return config


def serialized(config: Any, place: Path) -> str:
    """Return a config as text.

    Raises:
        ExportError: the library cannot write it.
    """
    import PyOpenColorIO as ocio

    try:
        return str(config.serialize())
    except ocio.Exception as error:
        raise ExportError(
            f"the config cannot be written: {first_line(error)}",
            hint="mend the config that the look is added to",
            where=str(place),
        ) from error


def _to_reference(space: Any) -> Any:
    """Return the way of a colour space to the config's reference, None when it is that."""
    import PyOpenColorIO as ocio

    way = space.getTransform(ocio.COLORSPACE_DIR_TO_REFERENCE)
    if way is not None:
        return way
    back = space.getTransform(ocio.COLORSPACE_DIR_FROM_REFERENCE)
    if back is None:
        return None
    return ocio.GroupTransform([back], direction=ocio.TRANSFORM_DIR_INVERSE)
