"""CLF, the common LUT format, nodes in XML. Not divided: one format, one file.

A list of process nodes, executed in order.
Source: SMPTE ST 2136-1:2024 and the CLF 3.0 and 2.0 specifications. The bit depths of a node say in
which units its numbers are written and clamp nothing; 3D tables run blue fastest.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any, BinaryIO
from xml.etree import ElementTree

import numpy as np
from attrs import define, frozen

from sfumato.core.arrays import Array
from sfumato.core.errors import FormatError, ShapeError, ValueRefused
from sfumato.core.lut.sample import INTERPOLATIONS
from sfumato.core.lut.stages import (
    BASIC,
    MIRROR,
    PASS,
    CdlStage,
    Exponent,
    HalfCurve,
    Knots1D,
    Log,
    Matrix,
    Range,
    half_inputs,
)
from sfumato.core.lut.table import UNIT, Table1D, Table3D
from sfumato.core.lut.transform import Stage, Transform
from sfumato.formats import cdl
from sfumato.formats.parts import text, xml
from sfumato.formats.parts.contract import FormatSpec, Read, Sniff, WriteOptions

_PEAKS = {"8i": 255.0, "10i": 1023.0, "12i": 4095.0, "16i": 65535.0, "16f": 1.0, "32f": 1.0}
_VERSIONS = ("1.2", "2.0", "3", "3.0", "ST2136-1:2024")
_WORDS = ("Description", "InputDescriptor", "OutputDescriptor", "Info", "Id")
_ROOT_ATTRIBUTES = {"id", "name", "compCLFversion", "inverseOf"}
_ANY_NODE = {"id", "name", "inBitDepth", "outBitDepth", "bypass"}
_MOST_1D, _MOST_3D, _MOST_NODES = 1_048_576, 256, 1000


def sniff(head: bytes) -> Sniff:
    return Sniff.SURE if b"ProcessList" in head else Sniff.NO


_UNKNOWN = "leaving it out might change colours; export the file again without it"


@define
class _Node:
    """One process node on the way in: its element, the peaks of its units, the file's version."""

    element: xml.Element
    place: int
    peak_in: float
    peak_out: float
    version: float
    remarks: list[str]

    def fail(self, what: str, hint: str = "export it again") -> FormatError:
        element = self.element
        return FormatError(
            f"node {self.place} ({element.tag}): {what}", hint=hint, line=element.line
        )

    def check(self, attributes: set[str], children: set[str]) -> None:
        """Refuse what this reader does not know in a node: left out, it might change colours."""
        element = self.element
        odd = sorted(set(element.attrib) - _ANY_NODE - attributes)
        if odd:
            raise self.fail(f"the attribute {odd[0][:40]!r} is not known", _UNKNOWN)
        for child in element:
            if child.tag not in children | {"Description"}:
                raise self.fail(f"it holds a {child.tag[:40]}, which is not known", _UNKNOWN)
            if child.tag in ("Array", "IndexMap") and set(child.attrib) - {"dim"}:
                raise self.fail(f"its {child.tag} has an attribute that is not known", _UNKNOWN)

    def child(self, name: str) -> xml.Element | None:
        return next(iter(xml.children(self.element, name)), None)

    def array(self) -> tuple[tuple[int, ...], xml.Element]:
        """Return the dimensions of the Array and the element, whose numbers are still text."""
        found = self.child("Array")
        if found is None:
            raise self.fail("there is no Array")
        try:
            dim = tuple(int(v) for v in found.get("dim", "").split())
        except ValueError:
            dim = ()
        if not dim or min(dim) < 1 or len(dim) > 4:
            raise self.fail(f"the dimensions are {found.get('dim', '')!r}")
        size = int(np.prod(np.array(dim, dtype=object)))
        if size > max(len(found.body), 1):
            raise self.fail("the dimensions ask for more numbers than there are")
        return dim, found

    def values(
        self, dim: tuple[int, ...], found: xml.Element, peak: float, *, finite: bool = True
    ) -> Array:
        flat = text.numbers(found.body, found.line, int(np.prod(dim)), finite=finite)
        if peak != 1:
            flat /= np.float32(peak)
        flat.flags.writeable = False  # a table takes it as it is
        return flat.reshape(dim)


def _matrix(node: _Node) -> Stage:
    dim, found = node.array()
    if " ".join(map(str, dim)) not in ("3 3", "3 4", "3 3 3", "3 4 3"):
        raise node.fail("a matrix is 3 3 or 3 4")
    values = node.values(dim[:2], found, 1.0).astype(np.float64)
    rows = values[:, :3] * (node.peak_in / node.peak_out)
    offset = values[:, 3] / node.peak_out if dim[1] == 4 else np.zeros(3)
    return Matrix(tuple(map(tuple, rows.tolist())), tuple(offset.tolist()))


def _mapped(node: _Node, size: int) -> Any:
    """Return the domain that an IndexMap of version 2 gives a table of `size` entries."""
    found = node.child("IndexMap")
    if found is None:
        return UNIT
    if node.version >= 3:
        node.remarks.append(f"node {node.place}: an IndexMap is not part of version 3: left out")
        return UNIT
    pairs = [p.split("@") for p in re.sub(r"\s*@\s*", "@", found.text or "").split()]
    if len(pairs) != 2 or any(len(p) != 2 for p in pairs):
        raise node.fail("an IndexMap of other than two points cannot be read")
    (x0, i0), (x1, i1) = (
        [text.number(v.encode(), found.line, "an IndexMap value") for v in p] for p in pairs
    )
    if i0 == i1 or x0 == x1:
        raise node.fail("the two points of the IndexMap are the same")
    step = (x1 - x0) / (i1 - i0)
    low, high = x0 - i0 * step, x0 + (size - 1 - i0) * step
    return (low / node.peak_in,) * 3, (high / node.peak_in,) * 3


def _lut1d(node: _Node) -> Stage:
    dim, found = node.array()
    size = dim[0]
    if len(dim) != 2 or dim[1] not in (1, 3) or not 2 <= size <= _MOST_1D:
        raise node.fail("a LUT1D has the dimensions n 1 or n 3, with n from 2 to 1 048 576")
    half = node.element.get("halfDomain", "").lower() == "true"
    raw = node.element.get("rawHalfs", "").lower() == "true"
    if node.element.get("interpolation", "linear").lower() != "linear":
        raise node.fail("its interpolation is not linear", "a LUT1D is linear; export it again")
    values = node.values(dim, found, 1.0 if raw else node.peak_out, finite=not half)
    if raw:
        if ((values < 0) | (values > 65535)).any():
            raise node.fail("a raw half is outside 0 to 65535")
        values = half_inputs()[values.astype(np.int64)]
    values = np.repeat(values, 3, axis=1) if dim[1] == 1 else values
    if half:
        if size != 65536:
            raise node.fail("a half domain needs 65536 entries")
        return HalfCurve(_finite_halves(node, values))
    return Table1D(values, _mapped(node, size))


def _finite_halves(node: _Node, values: Array) -> Array:
    """Return a half-domain table that holds numbers only.

    Entries of inputs that are no numbers are never read; elsewhere infinity is held at the largest
    half, and what is no number is refused.
    """
    inputs = np.arange(65536, dtype=np.uint16).view(np.float16)
    unread = ~np.isfinite(inputs)[:, None] & ~np.isfinite(values)
    values = np.where(unread, half_inputs()[:, None], values)
    if np.isnan(values).any():
        raise node.fail("an entry of a finite input is no number (NaN)")
    if np.isinf(values).any():
        node.remarks.append(f"node {node.place}: infinite entries are held at ±65504")
    return np.nan_to_num(values, posinf=65504.0, neginf=-65504.0)


def _lut3d(node: _Node) -> Stage:
    dim, found = node.array()
    n = dim[0]
    if len(dim) != 4 or dim[3] != 3 or len(set(dim[:3])) > 1 or not 2 <= n <= _MOST_3D:
        raise node.fail("a LUT3D has the dimensions n n n 3, with n from 2 to 256")
    interp = node.element.get("interpolation", "trilinear").lower()
    if interp not in INTERPOLATIONS:
        raise node.fail(f"there is no interpolation {interp[:30]!r}")
    return Table3D(node.values(dim, found, node.peak_out), _mapped(node, n), interp)


def _range(node: _Node) -> Stage:
    def end(side: str, kind: str, peak: float) -> float | None:
        child = node.child(f"{side}{kind}Value")
        if child is None:
            return None
        return text.number((child.text or "").strip().encode(), child.line, child.tag) / peak

    ends = []
    for side in ("min", "max"):
        pair = end(side, "In", node.peak_in), end(side, "Out", node.peak_out)
        if (pair[0] is None) != (pair[1] is None):
            raise node.fail(f"the {side} values come in pairs")
        ends.append(None if pair[0] is None else pair)
    low, high = ends
    clamp = node.element.get("style", "Clamp").lower() != "noclamp"
    only = None if low and high else low or high
    if only and abs(float(only[0] or 0) - float(only[1] or 0)) > 1e-6:
        raise node.fail("with one pair of values, in and out must be the same")
    return Range(low, high, clamp)  # type: ignore[arg-type]


def _per_channel(node: _Node, name: str, keys: tuple[str, ...]) -> list[dict[str, float]]:
    """Return the numbers of parameter elements per channel; one without a channel is for all."""
    out: list[dict[str, float]] = [{}, {}, {}]
    found = xml.children(node.element, name)
    if len(found) > 3:
        raise node.fail(f"there are more than three {name}")
    for child in found:
        odd = sorted(set(child.attrib) - {*keys, "channel"})
        if odd:
            raise node.fail(f"its {name} has the attribute {odd[0][:40]!r}", _UNKNOWN)
        values = {
            key: text.number(child.get(key, "").encode(), child.line, key)
            for key in keys
            if key in child.attrib
        }
        which = child.get("channel", "").upper()
        if which not in ("", "R", "G", "B"):
            raise node.fail(f"there is no channel {which[:20]!r}")
        for c in range(3):
            if not which or "RGB"[c] == which:
                out[c].update(values)
    return out


_LOG_KEYS = (
    "base",
    "logSideSlope",
    "logSideOffset",
    "linSideSlope",
    "linSideOffset",
    "linSideBreak",
    "linearSlope",
)
_LOG_FIELDS = dict(
    zip(_LOG_KEYS[1:5], ("log_slope", "log_offset", "lin_slope", "lin_offset"), strict=True)
)


def _log(node: _Node) -> Stage:
    style = node.element.get("style", "")
    plain = {"log10": 10.0, "log2": 2.0, "antiLog10": 10.0, "antiLog2": 2.0}
    if style in plain:
        if node.child("LogParams") is not None:
            raise node.fail(f"the style {style} takes no LogParams", _UNKNOWN)
        return Log(style.startswith("anti"), plain[style])
    if style not in ("linToLog", "logToLin", "cameraLinToLog", "cameraLogToLin"):
        raise node.fail(f"there is no log style {style[:30]!r}")
    keys = _LOG_KEYS if style.startswith("camera") else _LOG_KEYS[:5]
    found = _per_channel(node, "LogParams", keys)
    bases = {p.get("base", 2.0) for p in found}
    if len(bases) > 1:
        raise node.fail("the channels have different bases")
    values: dict[str, Any] = {
        field: tuple(p.get(key, 1.0 if "Slope" in key else 0.0) for p in found)
        for key, field in _LOG_FIELDS.items()
    }
    if style.startswith("camera"):
        if not all("linSideBreak" in p for p in found):
            raise node.fail("a camera style needs linSideBreak")
        values["lin_break"] = tuple(p["linSideBreak"] for p in found)
        if any("linearSlope" in p for p in found):
            if not all("linearSlope" in p for p in found):
                raise node.fail("linearSlope is given for some channels only")
            values["linear_slope"] = tuple(p["linearSlope"] for p in found)
    return Log(style.endswith("ToLin"), bases.pop(), **values)


_EXPONENTS = {
    f"{kind}{negatives}{way}": (kind == "monCurve", how, way == "Rev")
    for kind in ("basic", "monCurve")
    for negatives, how in (("", BASIC), ("Mirror", MIRROR), ("PassThru", PASS))
    for way in ("Fwd", "Rev")
    if (kind, negatives) != ("monCurve", "PassThru")
}


def _exponent(node: _Node) -> Stage:
    style = node.element.get("style", "")
    if style not in _EXPONENTS:
        raise node.fail(f"there is no exponent style {style[:30]!r}")
    lined, negatives, inverse = _EXPONENTS[style]
    found = _per_channel(node, "ExponentParams", ("exponent", "offset") if lined else ("exponent",))
    exponent = tuple(p.get("exponent", 1.0) for p in found)
    offset = tuple(p.get("offset", 0.0) for p in found) if lined else None
    return Exponent(exponent, offset, inverse, negatives)  # type: ignore[arg-type]


_CDL_STYLES = {
    style.lower(): (clamp, inverse)
    for clamp, inverse, names in (
        (True, False, ("Fwd", "v1.2_Fwd", "")),
        (True, True, ("Rev", "v1.2_Rev")),
        (False, False, ("FwdNoClamp", "noClampFwd")),
        (False, True, ("RevNoClamp", "noClampRev")),
    )
    for style in names
}


def _cdl(node: _Node) -> Stage:
    style = node.element.get("style", "").lower()
    if style not in _CDL_STYLES:
        raise node.fail(f"there is no ASC_CDL style {style[:30]!r}")
    clamp, inverse = _CDL_STYLES[style]
    name = node.element.get("id", "")
    return CdlStage(**cdl.numbers_of(node.element), clamp=clamp, inverse=inverse, id=name)


@frozen
class _Kind:
    """How a node is read, and all that may stand in it."""

    read: Callable[[_Node], Stage]
    attributes: set[str]
    children: set[str]


_RANGE_ENDS = {f"{side}{kind}Value" for side in ("min", "max") for kind in ("In", "Out")}
_NODES: dict[str, _Kind] = {
    "Matrix": _Kind(_matrix, set(), {"Array"}),
    "LUT1D": _Kind(_lut1d, {"interpolation", "halfDomain", "rawHalfs"}, {"Array", "IndexMap"}),
    "LUT3D": _Kind(_lut3d, {"interpolation", "rawHalfs"}, {"Array", "IndexMap"}),
    "Range": _Kind(_range, {"style"}, _RANGE_ENDS),
    "Log": _Kind(_log, {"style"}, {"LogParams"}),
    "Exponent": _Kind(_exponent, {"style"}, {"ExponentParams"}),
    "ASC_CDL": _Kind(
        _cdl, {"style"}, {"SOPNode", "SatNode", "InputDescription", "ViewingDescription"}
    ),
}


def _peak(element: xml.Element, place: int, name: str) -> float:
    depth = element.get(name, "")
    if depth not in _PEAKS:
        raise FormatError(
            f"node {place} ({element.tag}): {name} is {depth[:20]!r}",
            hint=f"it is one of {', '.join(_PEAKS)}",
            line=element.line,
        )
    return _PEAKS[depth]


def read(data: bytes) -> Read:
    """Read a CLF file.

    Raises:
        FormatError: with the line; nodes that are not of the standard are refused, not skipped.
    """
    root = xml.parsed(data, ("ProcessList",), "CLF")
    version = root.get("compCLFversion", "")
    remarks: list[str] = []
    if "compCLFversion" not in root.attrib and "version" in root.attrib:
        raise FormatError(
            f"this is a CTF file (version {root.get('version', '')[:12]}), whose nodes mean other things",
            hint="export it as CLF",
            line=root.line,
        )
    odd = sorted(set(root.attrib) - _ROOT_ATTRIBUTES)
    if odd:
        remarks.append(f"the attribute {odd[0][:40]!r} of the ProcessList is not known")
    if version not in _VERSIONS:
        remarks.append(f"the version {version[:20]!r} is not known: read as 3.0")
    if not root.get("id") and not xml.children(root, "Id"):
        remarks.append("the ProcessList has no id; some readers refuse that")
    stages: list[Stage] = []
    depth_before, deepest = "", ""
    for element in root:
        if element.tag in _WORDS:
            continue
        assert isinstance(element, xml.Element)
        place = len(stages) + 1
        if element.tag not in _NODES:
            raise FormatError(
                f"node {place} ({str(element.tag)[:40]}) is not part of the standard",
                hint="leaving it out would change colours",
                line=element.line,
            )
        if place > _MOST_NODES:
            raise FormatError("there are too many nodes", hint="split it", line=element.line)
        peaks = [_peak(element, place, name) for name in ("inBitDepth", "outBitDepth")]
        if depth_before and element.get("inBitDepth") != depth_before:
            raise FormatError(
                f"node {place} takes {element.get('inBitDepth')} but node {place - 1} gives "
                f"{depth_before}",
                hint="neighbouring bit depths must be the same",
                line=element.line,
            )
        depth_before = element.get("outBitDepth", "")
        if element.tag.startswith("LUT"):
            deepest = depth_before
        if "bypass" in element.attrib:
            remarks.append(f"node {place}: bypass is not part of the standard: the node is used")
        number = 2.0 if version in ("1.2", "2.0") else 3.0
        node = _Node(element, place, peaks[0], peaks[1], number, remarks)
        try:
            kind = _NODES[element.tag]
            node.check(kind.attributes, kind.children)
            stages.append(kind.read(node))
        except (ValueRefused, ShapeError) as error:
            raise node.fail(error.summary) from error
    if not stages:
        raise FormatError("there is no process node", hint="export it again", line=root.line)
    words = tuple(w for name in _WORDS[:1] for w in xml.described(root, name))
    title = root.get("name", "") or root.get("id", "")
    return Read(
        Transform(tuple(stages), title, words),
        tuple(remarks),
        depth=deepest.removesuffix("i"),
    )


# Writing


def holds(transform: Transform) -> str:
    kinds = (*_WRITERS, Knots1D)
    if not transform.stages or not all(isinstance(s, kinds) for s in transform.stages):
        return "a CLF file holds tables, matrices, ranges, logs, exponents and CDLs"
    if any(isinstance(s, Table3D) and s.size > 129 for s in transform.stages):
        return "readers of CLF files hold grids of up to 129 points"
    return ""


def losses(transform: Transform, _options: WriteOptions) -> tuple[str, ...]:
    if any(isinstance(s, Knots1D) for s in transform.stages):
        return ("the curve by knots is sampled at every half float",)
    return ()


def _filled(node: ElementTree.Element, dim: str, values: Array, depth: str) -> None:
    """Add an Array of table values in the units of the depth; integers are rounded."""
    child = xml.Element("Array", dim=dim)
    node.append(child)

    def as_written(_first: int, rows: Array) -> Array:
        if depth == "16f":
            return np.clip(rows, -65504, 65504).astype(np.float16)
        if depth.endswith("i"):
            return np.floor(rows.astype(np.float64) * _PEAKS[depth] + 0.5)
        return rows

    def fill(out: BinaryIO) -> None:
        out.write(b"\n")
        text.write_rows(out, values.reshape(-1, values.shape[-1]), as_written)

    child.fill = fill


def _domain(domain: Any, depth: str) -> list[ElementTree.Element]:
    """Return the matrix that brings a domain to 0..1."""
    if domain == UNIT:
        return []
    low, high = np.array(domain, np.float64)
    scale = 1 / (high - low)
    rows = tuple(map(tuple, np.diag(scale).tolist()))
    return _of_matrix(Matrix(rows, tuple((-low * scale).tolist())), depth)


def _of_matrix(stage: Matrix, depth: str) -> list[ElementTree.Element]:
    node = ElementTree.Element("Matrix")
    child = ElementTree.SubElement(node, "Array", dim="3 4")
    lines = [
        " ".join(f"{v:.17g}" for v in (*row, offset * _PEAKS[depth]))
        for row, offset in zip(stage.rows, stage.offset, strict=True)
    ]
    child.text = "\n".join(["", *lines, ""])
    return [node]


def _of_1d(stage: Table1D, depth: str) -> list[ElementTree.Element]:
    node = ElementTree.Element("LUT1D")
    same = (stage.values == stage.values[:, :1]).all()
    values = stage.values[:, :1] if same else stage.values
    _filled(node, f"{stage.size} {1 if same else 3}", values, depth)
    return [*_domain(stage.domain, depth), node]


def _of_half(stage: HalfCurve, depth: str) -> list[ElementTree.Element]:
    node = ElementTree.Element("LUT1D", halfDomain="true")
    _filled(node, "65536 3", stage.values, depth)
    return [node]


def _of_3d(stage: Table3D, depth: str) -> list[ElementTree.Element]:
    node = ElementTree.Element("LUT3D", interpolation=stage.interp or "tetrahedral")
    n = stage.size
    _filled(node, f"{n} {n} {n} 3", stage.values.reshape(-1, 3), depth)
    return [*_domain(stage.domain, depth), node]


def _of_range(stage: Range, depth: str) -> list[ElementTree.Element]:
    node = ElementTree.Element("Range", style="Clamp" if stage.clamp else "noClamp")
    for k, kind in enumerate(("In", "Out")):
        for side, pair in (("min", stage.low), ("max", stage.high)):
            if pair is not None:
                value = ElementTree.SubElement(node, f"{side}{kind}Value")
                value.text = f"{pair[k] * _PEAKS[depth]:.17g}"
    return [node]


def _channels(node: ElementTree.Element, name: str, per_channel: list[dict[str, float]]) -> None:
    """Add one parameter element, or one for each channel when they differ."""
    alike = all(p == per_channel[0] for p in per_channel)
    for channel, values in zip("RGB", per_channel[:1] if alike else per_channel, strict=False):
        words = {k: f"{v:.17g}" for k, v in values.items()}
        ElementTree.SubElement(node, name, words if alike else {**words, "channel": channel})


def _of_log(stage: Log, _depth: str) -> list[ElementTree.Element]:
    camera = stage.lin_break is not None
    style = "logToLin" if stage.inverse else "linToLog"
    node = ElementTree.Element(
        "Log", style=f"camera{style[0].upper()}{style[1:]}" if camera else style
    )
    found = []
    for c in range(3):
        values = {"base": stage.base}
        values |= {key: getattr(stage, field)[c] for key, field in _LOG_FIELDS.items()}
        if stage.lin_break is not None:
            values["linSideBreak"] = stage.lin_break[c]
        if stage.linear_slope is not None:
            values["linearSlope"] = stage.linear_slope[c]
        found.append(values)
    _channels(node, "LogParams", found)
    return [node]


def _of_exponent(stage: Exponent, _depth: str) -> list[ElementTree.Element]:
    key = (stage.offset is not None, stage.negatives, stage.inverse)
    style = next((s for s, k in _EXPONENTS.items() if k == key), "monCurveFwd")
    node = ElementTree.Element("Exponent", style=style)
    found = [{"exponent": e} for e in stage.exponent]
    for c, offset in enumerate(stage.offset or ()):
        found[c]["offset"] = offset
    _channels(node, "ExponentParams", found)
    return [node]


def _of_cdl(stage: CdlStage, _depth: str) -> list[ElementTree.Element]:
    style = ("Rev" if stage.inverse else "Fwd") + ("" if stage.clamp else "NoClamp")
    node = ElementTree.Element("ASC_CDL", style=style)
    if stage.id:
        node.set("id", stage.id)
    cdl.fill(node, stage)
    return [node]


_WRITERS: dict[type, Callable[[Any, str], list[ElementTree.Element]]] = {
    Matrix: _of_matrix,
    Table1D: _of_1d,
    HalfCurve: _of_half,
    Table3D: _of_3d,
    Range: _of_range,
    Log: _of_log,
    Exponent: _of_exponent,
    CdlStage: _of_cdl,
}


def write(transform: Transform, options: WriteOptions) -> bytes:
    """Write a ProcessList of version 3, all nodes in the units of one depth.

    Raises:
        ValueRefused: a stage is none of the standard's.
    """
    why = holds(transform)
    if why:
        raise ValueRefused(why, hint="bake it to a grid first")
    depth = SPEC.depth_of(options)
    depth = depth if depth.endswith("f") else f"{depth}i"
    title = xml.safe(options.title or transform.title)
    name = re.sub(r"[^A-Za-z0-9_.-]+", "-", text.ascii_of(title)).strip("-.") or "lut"
    root = ElementTree.Element(
        "ProcessList", xmlns="urn:AMPAS:CLF:v3.0", id=f"sfumato-{name}"[:120], compCLFversion="3"
    )
    if title:
        root.set("name", title)
    for words in options.comments or transform.comments:
        ElementTree.SubElement(root, "Description").text = xml.safe(words)
    for stage in transform.stages:
        if isinstance(stage, Knots1D):
            inputs = np.repeat(half_inputs()[:, None], 3, axis=1)
            stage = HalfCurve(stage.apply(inputs))
        for node in _WRITERS[type(stage)](stage, depth):
            node.set("inBitDepth", depth)
            node.set("outBitDepth", depth)
            root.append(node)
    return xml.rendered(root)


SPEC = FormatSpec(
    key="clf",
    title="CLF, the common LUT format",
    suffixes=(".clf",),
    sniff=sniff,
    read=read,
    write=write,
    holds=holds,
    losses=losses,
    shaper=True,
    domain=True,
    keeps_title=True,
    keeps_interp=True,
    depths=("32f", "16f", "16", "12", "10", "8"),
    grid_for=lambda grid: min(max(grid, 2), 129),
    limits={
        "chain": "Matrix, LUT1D, LUT3D, Range, Log, Exponent, ASC_CDL in any order",
        "3D": "2 to 256 points read, 2 to 129 written",
        "1D": "2 to 1 048 576 entries, or every half float",
    },
)
