"""ASC CDL files: .cc (one correction), .ccc (a collection), .cdl (a decision list)."""

from __future__ import annotations

import io
from typing import Any
from xml.etree import ElementTree

import defusedxml
from defusedxml.ElementTree import iterparse

from sfumato.core.errors import FormatError, ValueRefused
from sfumato.core.glazes.cdl import FORWARD, Cdl
from sfumato.core.stages import CdlStage
from sfumato.core.transform import Transform
from sfumato.formats import text
from sfumato.formats.contract import FormatSpec, Read, Sniff, WriteOptions

_SPACE = "urn:ASC:CDL:v1.2"
_ROOTS = ("ColorCorrection", "ColorCorrectionCollection", "ColorDecisionList")
_MOST_CORRECTIONS = 10_000


def sniff(head: bytes) -> Sniff:
    return Sniff.SURE if any(f"{r}".encode() in head for r in _ROOTS) else Sniff.NO


def _plain(tag: Any) -> str:
    """Return an element's name without its namespace."""
    return str(tag).rpartition("}")[2]


def _parsed(data: bytes) -> ElementTree.Element:
    """Parse with entities and DTDs refused.

    Raises:
        FormatError: with the line where the parser stopped.
    """
    root = None
    try:
        for _event, element in iterparse(io.BytesIO(data), events=("start",), forbid_dtd=True):
            root = element if root is None else root
    except defusedxml.DefusedXmlException as error:
        raise FormatError(
            "the file declares XML entities or a document type",
            hint="a CDL needs neither; remove them",
            line=1,
        ) from error
    except ElementTree.ParseError as error:
        line, column = error.position
        raise FormatError(
            "this is not well-formed XML", hint="export it again", line=line, column=column + 1
        ) from error
    except (LookupError, ValueError, UnicodeError) as error:
        raise FormatError(
            "the text encoding is not known", hint="save it as UTF-8", line=1
        ) from error
    if root is None or _plain(root.tag) not in _ROOTS:
        raise FormatError("this is not a CDL file", hint="choose a .cc, .ccc or .cdl file", line=1)
    found: ElementTree.Element = root
    return found


def _numbers(node: ElementTree.Element, name: str, count: int) -> tuple[float, ...]:
    child = next((c for c in node if _plain(c.tag) == name), None)
    if child is None:
        raise FormatError(
            f"a {_plain(node.tag)} has no {name}", hint="export the CDL again", line=1
        )
    tokens = (child.text or "").replace(",", " ").split()
    values = tuple(text.number(t.encode(), 1, name) for t in tokens)
    if len(values) != count:
        raise FormatError(
            f"{name} has {len(values)} numbers instead of {count}", hint="repair it", line=1
        )
    return values


def _correction(element: ElementTree.Element) -> tuple[Cdl, str]:
    values: dict[str, Any] = {}
    for node in element:
        name = _plain(node.tag).upper()
        if name == "SOPNODE":
            for field in ("Slope", "Offset", "Power"):
                values[field.lower()] = _numbers(node, field, 3)
        elif name == "SATNODE":
            (values["saturation"],) = _numbers(node, "Saturation", 1)
    try:
        return Cdl(**values), element.get("id", "")
    except ValueRefused as error:
        raise FormatError(error.summary, hint=error.hint or "repair the value", line=1) from error


def corrections(data: bytes) -> list[tuple[Cdl, str]]:
    """Return every correction of a file with its id, in order.

    Raises:
        FormatError: it is not a CDL file, or a value is refused.
    """
    root = _parsed(data)
    found = [e for e in root.iter() if _plain(e.tag) == "ColorCorrection"]
    if not found:
        raise FormatError("there is no ColorCorrection in the file", hint="export it again", line=1)
    if len(found) > _MOST_CORRECTIONS:
        raise FormatError("there are too many corrections", hint="split the file", line=1)
    return [_correction(e) for e in found]


def read(data: bytes) -> Read:
    """Read the first correction; the remarks say how many others there are.

    Raises:
        FormatError: it is not a CDL file, or a value is refused.
    """
    found = corrections(data)
    parameters, name = found[0]
    remarks: tuple[str, ...] = ()
    if len(found) > 1:
        remarks = (f"the first of {len(found)} corrections was taken",)
    return Read(Transform((CdlStage(parameters, name),), name), remarks)


def holds(transform: Transform) -> str:
    only = transform.stages[0] if len(transform.stages) == 1 else None
    if not isinstance(only, CdlStage) or only.parameters.direction != FORWARD:
        return "a CDL file holds one forward CDL and nothing else"
    return ""


def losses(transform: Transform) -> tuple[str, ...]:
    return ("whether values are clamped is not kept: readers differ",)


def write(transform: Transform, options: WriteOptions) -> bytes:
    """Write one ColorCorrection.

    Raises:
        ValueRefused: the transform is no forward CDL.
    """
    why = holds(transform)
    if why:
        raise ValueRefused(why, hint="choose a LUT format")
    (stage,) = transform.stages
    assert isinstance(stage, CdlStage)
    p = stage.parameters
    name = options.title or transform.title or stage.id
    root = ElementTree.Element(
        "ColorCorrection", {"xmlns": _SPACE, **({"id": name} if name else {})}
    )
    sop = ElementTree.SubElement(root, "SOPNode")
    for field in ("slope", "offset", "power"):
        child = ElementTree.SubElement(sop, field.capitalize())
        child.text = " ".join(f"{v:.9g}" for v in getattr(p, field))
    sat = ElementTree.SubElement(root, "SatNode")
    ElementTree.SubElement(sat, "Saturation").text = f"{p.saturation:.9g}"
    ElementTree.indent(root)
    out: bytes = ElementTree.tostring(root, encoding="UTF-8", xml_declaration=True)
    return out + b"\n"


SPEC = FormatSpec(
    key="cdl",
    title="ASC CDL",
    suffixes=(".cc", ".ccc", ".cdl"),
    sniff=sniff,
    read=read,
    write=write,
    holds=holds,
    losses=losses,
    bakes=False,
    limits={"corrections": "the first of a file; slope, offset, power, saturation"},
)
