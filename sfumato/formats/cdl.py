"""ASC CDL files: .cc (one correction), .ccc (a collection), .cdl (a decision list)."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any
from xml.etree import ElementTree

import attrs
from attrs import frozen

from sfumato.core.errors import FormatError, ValueRefused
from sfumato.core.lut.stages import CdlStage
from sfumato.core.lut.transform import Transform
from sfumato.formats.parts import xml
from sfumato.formats.parts.contract import FormatSpec, Read, Sniff, WriteOptions

_SPACE = "urn:ASC:CDL:v1.2"
_ROOTS = ("ColorCorrection", "ColorCorrectionCollection", "ColorDecisionList")
_MOST_CORRECTIONS = 10_000
_CC, _CCC, _CDL = "one correction", "collection", "decision list"
_BY_SUFFIX = {".cc": _CC, ".ccc": _CCC, ".cdl": _CDL}
_UNCLAMPED = "not clamped"


def sniff(head: bytes) -> Sniff:
    return Sniff.SURE if any(f"{r}".encode() in head for r in _ROOTS) else Sniff.NO


@frozen
class Correction:
    """One ColorCorrection: its numbers (with id and descriptions)."""

    stage: CdlStage
    name: str  # the id, or its place from 1


def numbers_of(element: Any) -> dict[str, Any]:
    """Return slope, offset, power and saturation of an element that holds SOPNode and SatNode.

    Raises:
        FormatError: a node is incomplete or a number is refused.
    """
    values: dict[str, Any] = {}
    for node in element:
        name = node.tag.upper()
        if name in ("SOPNODE", "ASC_SOP"):
            for field in ("Slope", "Offset", "Power"):
                values[field.lower()] = xml.numbers(node, field, 3)
        elif name in ("SATNODE", "ASC_SAT"):
            (values["saturation"],) = xml.numbers(node, "Saturation", 1)
    return values


def _correction(element: Any, place: int, above: tuple[str, ...]) -> Correction:
    words = [*above]
    for holder in (element, *element):
        if holder is element or holder.tag in ("SOPNode", "SatNode"):
            words += xml.described(holder)
    for name in ("InputDescription", "ViewingDescription"):
        words += xml.described(element, name)
    try:
        stage = CdlStage(**numbers_of(element), id=element.get("id", ""), descriptions=tuple(words))
    except ValueRefused as error:
        raise FormatError(
            error.summary, hint=error.hint or "repair the value", line=element.line
        ) from error
    return Correction(stage, stage.id or str(place))


def corrections(data: bytes) -> list[Correction]:
    """Return every correction of a file in order.

    Raises:
        FormatError: it is not a CDL file, or a value is refused.
    """
    root = xml.parsed(data, _ROOTS, "CDL")
    found = [e for e in root.iter() if e.tag == "ColorCorrection"]
    if not found:
        raise FormatError("there is no ColorCorrection in the file", hint="export it again", line=1)
    if len(found) > _MOST_CORRECTIONS:
        raise FormatError("there are too many corrections", hint="split the file", line=1)
    above = xml.described(root) if root is not found[0] else ()
    return [_correction(e, i, above) for i, e in enumerate(found, 1)]


def names(data: bytes) -> tuple[str, ...]:
    """Return the names of the corrections in a file, in order; of those that share one only the first is found.

    Raises:
        FormatError: as `corrections`.
    """
    return tuple(dict.fromkeys(c.name for c in corrections(data)))


def read(data: bytes) -> Read:
    """Read the first correction, clamped as the standard says.

    Raises:
        FormatError: it is not a CDL file, or a value is refused.
    """
    return read_as(data, "")


def read_as(data: bytes, reading: str) -> Read:
    """Read the correction that a reading names: its id or place, and whether it clamps.

    Raises:
        FormatError: it is not a CDL file, a value is refused, or it has no such correction.
    """
    found = corrections(data)
    name, _, how = reading.rpartition(", ") if ", " in reading else (reading, "", "")
    if reading == _UNCLAMPED:
        name, how = "", _UNCLAMPED
    chosen = next((c for c in found if c.name == name), None if name else found[0])
    if chosen is None:
        raise FormatError(
            f"there is no correction {name!r}",
            hint=f"there are {', '.join(c.name for c in found[:8])}",
        )
    remarks: tuple[str, ...] = ()
    if len(found) > 1 and not name:
        remarks = (f"the first of {len(found)} corrections was taken",)
    clamp = how != _UNCLAMPED
    stage = attrs.evolve(chosen.stage, clamp=clamp)
    suffix = "" if clamp else f", {_UNCLAMPED}"
    names = tuple(c.name + s for s in ("", f", {_UNCLAMPED}") for c in found)
    transform = Transform((stage,), stage.id, stage.descriptions)
    return Read(transform, remarks, reading=chosen.name + suffix, readings=names)


def holds(transform: Transform) -> str:
    only = transform.stages[0] if len(transform.stages) == 1 else None
    if not isinstance(only, CdlStage) or only.inverse:
        return "a CDL file holds one forward CDL and nothing else"
    return ""


def losses(transform: Transform, _options: WriteOptions) -> tuple[str, ...]:
    only = transform.stages[0]
    if isinstance(only, CdlStage) and not only.clamp:
        return ("that values are not clamped is not kept: readers differ",)
    return ()


def fill(parent: ElementTree.Element, stage: CdlStage) -> None:
    """Add SOPNode and SatNode to an element."""
    sop = ElementTree.SubElement(parent, "SOPNode")
    for field in ("slope", "offset", "power"):
        child = ElementTree.SubElement(sop, field.capitalize())
        child.text = " ".join(f"{v:.9g}" for v in getattr(stage, field))
    sat = ElementTree.SubElement(parent, "SatNode")
    ElementTree.SubElement(sat, "Saturation").text = f"{stage.saturation:.9g}"


def write(transform: Transform, options: WriteOptions) -> bytes:
    """Write one ColorCorrection, alone or in the collection or list that the suffix names.

    Raises:
        ValueRefused: the transform is no forward CDL.
    """
    why = holds(transform)
    if why:
        raise ValueRefused(why, hint="choose a LUT format")
    (stage,) = transform.stages
    assert isinstance(stage, CdlStage)
    layout = SPEC.layout_of(options) if options.layout else _BY_SUFFIX.get(options.suffix, _CC)
    name = options.title or transform.title or stage.id
    correction = _element(name, options.comments or transform.comments, stage)
    root = correction
    if layout == _CCC:
        root = ElementTree.Element("ColorCorrectionCollection")
        root.append(correction)
    elif layout == _CDL:
        root = ElementTree.Element("ColorDecisionList")
        ElementTree.SubElement(root, "ColorDecision").append(correction)
    root.set("xmlns", _SPACE)
    return xml.rendered(root)


def _element(name: str, words: Iterable[str], stage: CdlStage) -> ElementTree.Element:
    """Return a ColorCorrection."""
    plain = xml.safe(name)
    found = ElementTree.Element("ColorCorrection", {"id": plain} if plain else {})
    for each in words:
        ElementTree.SubElement(found, "Description").text = xml.safe(each)
    fill(found, stage)
    return found


def collected(stages: Sequence[CdlStage], *, alone: bool = False) -> bytes:
    """Return a collection of corrections, .ccc; or the first of them `alone`, .cc."""
    each = [_element(s.id, s.descriptions, s) for s in stages]
    root = each[0] if alone else ElementTree.Element("ColorCorrectionCollection")
    if not alone:
        root.extend(each)
    root.set("xmlns", _SPACE)
    return xml.rendered(root)


SPEC = FormatSpec(
    key="cdl",
    title="ASC CDL",
    suffixes=(".cc", ".ccc", ".cdl"),
    sniff=sniff,
    read=read,
    read_as=read_as,
    write=write,
    holds=holds,
    losses=losses,
    keeps_title=True,
    names=names,
    layouts=(_CC, _CCC, _CDL),
    bakes=False,
    limits={"CDL": "slope, offset, power, saturation; any of up to 10 000 corrections read"},
)
