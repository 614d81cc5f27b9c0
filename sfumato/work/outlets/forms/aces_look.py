"""An ACES look: a CLF from ACES2065-1 to ACES2065-1, and an ACES metadata file that refers to it.

Source: the Common LUT Format (SMPTE ST 2136-1) and the ACES Metadata File of Academy S-2019-001,
version 1.0: `amfInfo`, then `pipeline` with its `pipelineInfo` and one `lookTransform`, which names
the CLF and its SHA-256. Which rendering follows the look is not ours to say, and is left out.
"""

from __future__ import annotations

import hashlib
import uuid
from xml.etree import ElementTree

import attrs
import numpy as np

from sfumato.core.arrays import Rgb
from sfumato.core.colour import span_note
from sfumato.core.colour.encodings import convert, encoding, light_matrix
from sfumato.core.errors import ExportError, FormatError
from sfumato.core.lut.stages import Log, Matrix
from sfumato.core.lut.table import NODE_RANGE
from sfumato.core.lut.transform import Function, Stage, Transform
from sfumato.core.path.path import chunked, through_look
from sfumato.core.path.span import Joint, Span
from sfumato.core.study.outlet import ACES
from sfumato.core.study.study import Study
from sfumato.formats.parts import xml
from sfumato.work.files import MOST_TABLE_BYTES, drop, read_bytes, write_bytes
from sfumato.work.luts.deliver import REPLACE, Apply, Judge, Loss, deliver
from sfumato.work.luts.proof import Yardstick
from sfumato.work.luts.target import Target
from sfumato.work.outlets.order import Form, Order, Written, free_together
from sfumato.work.tiles import bake_tiled

SPACE, AROUND = "ACES2065-1", "ACEScct"
_NAMES = "urn:ampas:aces:amf:v1.0"
_SHA = "http://www.w3.org/2001/04/xmlenc#sha256"
_VERSION = (1, 3, 0)  # of ACES, whose encodings the look stands between
# Of Academy S-2016-001, ACEScct: the logarithm above 0.0078125, its line below.
_CURVE = Log(
    base=2.0,
    log_slope=(1 / 17.52,) * 3,
    log_offset=(9.72 / 17.52,) * 3,
    lin_break=(0.0078125,) * 3,
    linear_slope=(10.5402377416545,) * 3,
)


def look_in_aces(study: Study, grid: int, order: Order) -> Transform:
    """Return the Look between ACES2065-1 and itself: to ACEScct, a lattice there, and back.

    Raises:
        ExportError: the study works in the codes of a display.
    """
    if not encoding(study.working).is_scene:
        raise ExportError(
            f"the look works in {study.working}: an ACES look needs scene-referred colours",
            hint="choose a log encoding as the study's working encoding",
        )

    def run(code: Rgb) -> Rgb:
        return convert(
            through_look(study, convert(code, AROUND, study.working)), study.working, AROUND
        )

    whole = Function("look in ACEScct", lambda rgb: chunked(Function("look", run), rgb))
    table = bake_tiled(Transform((whole,)), grid, order.cancel)
    table = attrs.evolve(table, values=table.values.clip(*NODE_RANGE))
    there = light_matrix(encoding(SPACE), encoding("ACEScg"))
    back = np.linalg.inv(there)
    stages: tuple[Stage, ...] = (
        Matrix(tuple(map(tuple, there.tolist()))),
        _CURVE,
        table,
        attrs.evolve(_CURVE, inverse=True),
        Matrix(tuple(map(tuple, back.tolist()))),
    )
    return Transform(stages, order.title, (span_note.written(SPACE, SPACE),))


def judge_of(yardstick: Yardstick, study: Study) -> Judge:
    """Return a judge of files between ACES2065-1 and itself, by what the View shows."""

    def judge(apply: Apply) -> Loss:
        return yardstick.loss(
            lambda rgb: convert(apply(convert(rgb, study.working, SPACE)), SPACE, study.working)
        )

    return judge


def metadata(name: str, clf: str, digest: str, when: str) -> bytes:
    """Return an ACES metadata file that refers to a CLF by its name and SHA-256."""
    root = ElementTree.Element("aces:acesMetadataFile", {"xmlns:aces": _NAMES, "version": "1.0"})

    def add(
        parent: ElementTree.Element, tag: str, words: str = "", **more: str
    ) -> ElementTree.Element:
        child = ElementTree.SubElement(parent, f"aces:{tag}", more)
        if words:
            child.text = xml.safe(words)
        return child

    def times(parent: ElementTree.Element) -> None:
        both = add(parent, "dateTime")
        add(both, "creationDateTime", f"{when}:00Z")
        add(both, "modificationDateTime", f"{when}:00Z")

    info = add(root, "amfInfo")
    add(info, "description", f"{name}, a look transform in {SPACE}")
    times(info)
    add(info, "uuid", f"urn:uuid:{uuid.uuid5(uuid.NAMESPACE_URL, digest + when)}")
    pipeline = add(root, "pipeline")
    about = add(pipeline, "pipelineInfo")
    times(about)
    version = add(about, "systemVersion")
    for part, number in zip(
        ("majorVersion", "minorVersion", "patchVersion"), _VERSION, strict=True
    ):
        add(version, part, str(number))
    look = add(pipeline, "lookTransform", applied="false")
    add(look, "description", name)
    add(look, "hash", digest, algorithm=_SHA)
    add(look, "file", clf)
    return xml.rendered(root)


def _write(order: Order) -> Written:
    study = attrs.evolve(order.study, span=Span(end=Joint.LOOK))
    clf, amf = free_together(order, (".clf", ".amf"))
    order.progress(0.05, f"baking {order.outlet.grid} points in ACEScct")
    whole = look_in_aces(study, order.outlet.grid, order)
    judge = None
    if order.yardstick is not None:
        judge = judge_of(Yardstick(study, order.frames, None, order.cancel), study)
    made = deliver(
        whole,
        Target("clf", depth=order.outlet.depth, suffix=".clf"),
        clf,
        order.existing,
        judge=judge,
        second=judge is not None,
        title=order.title,
        cancel=order.cancel,
        progress=order.progress,
    )
    assert made is not None
    digest = hashlib.sha256(read_bytes(clf, FormatError, MOST_TABLE_BYTES)).hexdigest()
    try:
        data = metadata(study.look.name, clf.name, digest, order.when)
        write_bytes(amf, data, force=order.existing == REPLACE)
    except ExportError:
        drop(clf)
        raise
    second = made.second
    readers = (second.reader,) if second is not None and second.loss is not None else ()
    return Written((clf, amf), made.own, readers, made.said)


SPEC = Form(ACES, _write, lambda _outlet: ".clf")
