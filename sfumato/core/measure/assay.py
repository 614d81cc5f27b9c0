"""What a LUT is and what is wrong with it: findings, each a sentence with its figure and its repair.

Thresholds were set on made-up grades and faults; the numbers at each check say where clean LUTs lie.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from sfumato.core.breath import StillWanted, always_wanted
from sfumato.core.colour.encodings import Encoding, encoding
from sfumato.core.lut.recast import domain_of, over_domain
from sfumato.core.lut.table import UNIT, Table1D, Table3D
from sfumato.core.lut.transform import Transform
from sfumato.core.measure.checks.axes import axes_finding
from sfumato.core.measure.checks.carrier import carrier_findings
from sfumato.core.measure.checks.findings import Finding, Level, Looked, Stored, table_of
from sfumato.core.measure.checks.greys import (
    colourless_finding,
    expects_finding,
    gamma_finding,
    greys_finding,
    response_finding,
    tint_finding,
)
from sfumato.core.measure.checks.lattice import (
    banding_finding,
    clipping_finding,
    folds_finding,
    gain_finding,
    identity_finding,
    nodes_finding,
    quantised_finding,
)
from sfumato.core.measure.checks.ranges import range_in_finding, range_out_finding
from sfumato.core.measure.checks.repairs import Assay

_CHECKS: tuple[Callable[[Looked], Finding | None], ...] = (
    axes_finding,
    range_out_finding,
    range_in_finding,
    quantised_finding,
    nodes_finding,
    gamma_finding,
    greys_finding,
    folds_finding,
    gain_finding,
    banding_finding,
    clipping_finding,
    expects_finding,
    response_finding,
    tint_finding,
    colourless_finding,
    identity_finding,
)


_STEP_WORDS = {
    "Table1D": "1D table",
    "Table3D": "3D table",
    "Knots1D": "curve by knots",
    "HalfCurve": "curve over half floats",
    "Matrix": "matrix",
    "Range": "range",
    "Log": "log curve",
    "Exponent": "exponent",
    "CdlStage": "CDL",
}


def kind_of(transform: Transform) -> tuple[str, int]:
    """Return what a chain is in words, and the points a side of its largest 3D table (0: none)."""
    tables = [s for s in transform.stages if isinstance(s, Table3D)]
    curves = [s for s in transform.stages if isinstance(s, Table1D)]
    grid = max((t.size for t in tables), default=0)
    domain = domain_of(transform)
    over = ""
    if domain != UNIT:
        low, high = min(domain[0]), max(domain[1])
        over = f", inputs {low:g} to {high:g}".replace("-", "−")
    if transform.table is not None:
        return f"3D LUT of {grid} points{over}", grid
    if len(transform.stages) == 1 and curves:
        return f"1D LUT of {curves[0].size} entries{over}", 0
    if len(transform.stages) == 2 and curves and tables:
        return f"1D shaper of {curves[0].size} entries and 3D LUT of {grid} points{over}", grid
    names = [_STEP_WORDS.get(type(s).__name__, "step") for s in transform.stages]
    if len(names) == 1:
        return names[0], grid
    more = ", …" if len(names) > 6 else ""
    return f"{', then '.join(names[:6])}{more}", grid


def assay(
    transform: Transform,
    display: Encoding,
    stored: Stored | None = None,
    check: StillWanted = always_wanted,
) -> Assay:
    """Examine a LUT.

    Args:
        display: how its results are shown, for the figures in L*, chroma and ΔE.
        stored: what the file said beside the numbers.
    Returns:
        All findings: faults first, then warnings, notes and what is good.
    """
    stored = stored or Stored()
    domain = domain_of(transform)
    own = transform.table is not None
    table = table_of(transform)
    check()
    t = np.repeat(np.linspace(0, 1, 1024, dtype=np.float32)[:, None], 3, axis=1)
    lut = Looked(transform, table, own, transform.apply(over_domain(t, domain)), stored, display)
    findings: list[Finding] = [*carrier_findings(lut)]
    for look in _CHECKS:
        check()
        found = look(lut)
        if found is not None:
            findings.append(found)
    order = [Level.FAULT, Level.WARN, Level.NOTE, Level.GOOD]
    findings.sort(key=lambda f: order.index(f.level))
    kind, grid = kind_of(transform)
    return Assay(kind, grid, tuple(findings))


def expecting(transform: Transform) -> Finding | None:
    """Return the finding about what a LUT expects; its figure counts the signs of log, of five."""
    t = np.repeat(np.linspace(0, 1, 1024, dtype=np.float32)[:, None], 3, axis=1)
    greys = transform.apply(over_domain(t, domain_of(transform)))
    own = transform.table is not None
    return expects_finding(
        Looked(transform, table_of(transform), own, greys, Stored(), encoding("BT.1886"))
    )
