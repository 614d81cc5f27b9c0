"""What a device or program makes of a LUT: its grid, its depths, its range and its interpolation."""

from __future__ import annotations

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb, as_rgb
from sfumato.core.colour.ranges import legal_codes
from sfumato.core.controls import Choice, Number, control
from sfumato.core.lut.sample import INTERPOLATIONS, apply_table
from sfumato.core.lut.table import Table3D

FLOAT = "float"
DEPTHS = (FLOAT, "16 bit", "12 bit", "10 bit", "8 bit")
FULL, LEGAL = "full", "legal"


@frozen
class Device:
    """How a device holds a LUT and what it sends through it."""

    grid: float = control(
        33.0,
        Number(
            title="Grid",
            least=2,
            most=65,
            step=1,
            digits=0,
            unit="points",
            help="Points a side that the target holds.",
        ),
    )
    nodes: str = control(
        FLOAT, Choice(title="Nodes", options=DEPTHS, help="The depth of the numbers in the LUT.")
    )
    interp: str = control(
        "tetrahedral",
        Choice(title="Interpolation", options=INTERPOLATIONS, help="What lies between the nodes."),
    )
    codes: str = control(
        FLOAT,
        Choice(title="Picture", options=DEPTHS, help="The depth of the picture before and after."),
    )
    reach: str = control(
        FULL,
        Choice(
            title="Range",
            options=(FULL, LEGAL),
            help="Whether black and white of the picture lie at the ends of the codes, or at 16 and 235 of 8 bit.",
        ),
    )


DEVICES: dict[str, Device] = {
    "As the Seal writes it": Device(),
    "Monitor: 10 bit, legal range": Device(codes="10 bit", reach=LEGAL),
    "Small monitor: 17 points, 10 bit": Device(17.0, "10 bit", "trilinear", "10 bit", LEGAL),
    "Camera: 33 points, 12-bit nodes": Device(33.0, "12 bit", "trilinear", "12 bit"),
    "Engine strip: 16 points, 8 bit": Device(16.0, "8 bit", "trilinear", "8 bit"),
    "Web picture: 33 points, 8 bit": Device(33.0, "8 bit", "tetrahedral", "8 bit"),
}


def rounded(code: Rgb, depth: str, reach: str = FULL) -> Rgb:
    """Return codes as a depth holds them.

    Legal range keeps what lies beyond black and white as far as the codes go.

    >>> [round(float(v), 4) for v in rounded(np.float32([0.5, -0.1, 2.0]), "8 bit")]
    [0.502, 0.0, 1.0]
    >>> [round(float(v), 4) for v in rounded(np.float32([0.5, -0.1, 2.0]), "8 bit", LEGAL)]
    [0.5023, -0.0731, 1.0913]
    """
    if depth == FLOAT:
        return as_rgb(code)
    most = 2 ** int(depth.split()[0]) - 1
    if reach == FULL:
        return np.asarray(np.rint(np.clip(code, 0, 1) * most) / most, np.float32)
    black, white = legal_codes(int(depth.split()[0]))
    size = white - black
    whole = np.clip(np.rint(black + np.asarray(code, np.float64) * size), 0, most)
    return np.asarray((whole - black) / size, np.float32)


def through_device(device: Device, table: Table3D, code: Rgb) -> Rgb:
    """Return what a device gives for colours as they enter the LUT, with a table of its grid."""
    values = table.values
    if device.nodes != FLOAT:
        values = rounded(values, device.nodes)
    held = Table3D(values, table.domain)
    out = apply_table(held, rounded(code, device.codes, device.reach), device.interp)
    return rounded(out, device.codes, device.reach)
