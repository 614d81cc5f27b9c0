"""Outlets that ship, one for each usual kind of target; users begin with these and add folders."""

from __future__ import annotations

from collections.abc import Iterable

from sfumato.core.errors import ValueRefused
from sfumato.core.lut.device import LEGAL
from sfumato.core.study.outlet import (
    ACES,
    CAMERA,
    CAPITALS,
    CONFIG,
    CORRECTIONS,
    DISPLAY,
    PLAIN_LETTERS,
    SHADER,
    Outlet,
)
from sfumato.core.study.study import Study

_ALL = (
    Outlet("editing33", "Editing program, 33", "editing program"),
    Outlet("editing65", "Editing program, 65", "editing program", grid=65),
    Outlet(
        "photo_hald",
        "Photo editor, HALD",
        "photo editor that reads HALD pictures",
        format="hald",
        grid=64,
        depth="16",
        suffix=".png",
        span=DISPLAY,
        codes="16 bit",
        names="{look}_hald",
    ),
    Outlet(
        "photo_link",
        "Photo editor, device link",
        "photo editor that reads device links",
        format="icc",
        layout="device link",
        suffix=".icc",
        span=DISPLAY,
        codes="16 bit",
        names="{look}_link",
    ),
    Outlet(
        "monitor33",
        "On-set monitor, 33",
        "monitor or camera with places for LUTs",
        interp="trilinear",
        codes="10 bit",
        reach=LEGAL,
        span=CAMERA,
        names="{look}",
        longest=8,
        letters=CAPITALS,
        places=8,
        comments=False,
    ),
    Outlet(
        "monitor17",
        "On-set monitor, 17, whole numbers",
        "monitor or camera with places for LUTs",
        format="3dl",
        grid=17,
        depth="12",
        nodes="12 bit",
        interp="trilinear",
        codes="10 bit",
        reach=LEGAL,
        span=CAMERA,
        names="{look}",
        longest=8,
        letters=CAPITALS,
        places=8,
    ),
    Outlet(
        "engine16",
        "Real-time engine, strip of 16",
        "real-time engine",
        format="strip",
        grid=16,
        depth="8",
        layout="row",
        suffix=".png",
        span=DISPLAY,
        nodes="8 bit",
        interp="trilinear",
        codes="8 bit",
        letters=PLAIN_LETTERS,
    ),
    Outlet(
        "engine32",
        "Real-time engine, strip of 32",
        "real-time engine",
        format="strip",
        grid=32,
        depth="8",
        layout="row",
        suffix=".png",
        span=DISPLAY,
        nodes="8 bit",
        interp="trilinear",
        codes="8 bit",
        letters=PLAIN_LETTERS,
    ),
    Outlet(
        "phone512",
        "Phone filter, tiles of 512",
        "phone filter",
        format="strip",
        grid=64,
        depth="8",
        layout="square",
        suffix=".png",
        span=DISPLAY,
        nodes="8 bit",
        interp="trilinear",
        codes="8 bit",
        letters=PLAIN_LETTERS,
        names="{look}_512",
    ),
    Outlet(
        "gpu_ktx2",
        "GPU texture, KTX2",
        "program that loads a 3D texture",
        format="ktx2",
        depth="16f",
        interp="trilinear",
        span=DISPLAY,
        letters=PLAIN_LETTERS,
    ),
    Outlet(
        "pipeline_clf",
        "Pipeline, CLF",
        "program that reads the Common LUT Format",
        format="clf",
        depth="32f",
        names="{look}_{in}_{out}",
    ),
    Outlet(
        "print_abstract",
        "Print, abstract profile",
        "print and proofing program",
        format="icc",
        layout="abstract profile",
        suffix=".icc",
        span=DISPLAY,
        display="sRGB",  # abstract profiles are made for it
        codes="16 bit",
        names="{look}_abstract",
    ),
    *(
        Outlet(
            f"shader_{suffix[1:]}",
            f"Shader, {name}",
            f"program that compiles {name}",
            SHADER,
            depth="32f",
            suffix=suffix,
            span=DISPLAY,
            letters=PLAIN_LETTERS,
            names="{look}",
        )
        for name, suffix in (("GLSL", ".glsl"), ("HLSL", ".hlsl"), ("WGSL", ".wgsl"))
    ),
    Outlet(
        "ocio_config",
        "OCIO config",
        "any program that reads OCIO configs",
        CONFIG,
        format="clf",
        grid=65,
        letters=PLAIN_LETTERS,
        names="{look}_config",
    ),
    Outlet(
        "aces",
        "ACES look",
        "pipeline that works in ACES",
        ACES,
        format="clf",
        grid=65,
        names="{look}_aces",
    ),
    Outlet(
        "corrections",
        "Shot corrections",
        "editing program that reads CDL and EDL",
        CORRECTIONS,
        format="cdl",
        names="{study}_corrections",
        heading="{study}, shot corrections",
    ),
)

TEMPLATES: dict[str, Outlet] = {o.key: o for o in _ALL}


def outlets_of(study: Study | None) -> dict[str, Outlet]:
    """Return the outlets that can be named: a study's, then the templates that it has none of."""
    own = {o.key: o for o in study.outlets} if study is not None else {}
    return {**own, **{k: o for k, o in TEMPLATES.items() if k not in own}}


def named_outlets(study: Study | None, keys: Iterable[str]) -> tuple[Outlet, ...]:
    """Return outlets by their keys.

    Raises:
        ValueRefused: one is not known.
    """
    known = outlets_of(study)
    for key in keys:
        if key not in known:
            raise ValueRefused(
                f"there is no outlet {key!r}", hint="`sfumato outlets` lists those that there are"
            )
    return tuple(known[k] for k in keys)
