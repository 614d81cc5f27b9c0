"""A picture through a study or LUT into a new file. Not divided: one path from source to record."""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from contextlib import nullcontext
from pathlib import Path
from typing import Any

import attrs
import numpy as np
from attrs import frozen

from sfumato._version import VERSION
from sfumato.core.arrays import Array, Rgb
from sfumato.core.breath import always_wanted
from sfumato.core.colour import span_note
from sfumato.core.colour.encodings import convert, encoding
from sfumato.core.errors import (
    DAMAGE,
    ExportError,
    NameTaken,
    SfumatoError,
    StudyError,
    ValueRefused,
)
from sfumato.core.lut.difference import Difference
from sfumato.core.lut.table import Table3D, lattice_colours
from sfumato.core.lut.transform import Transform
from sfumato.core.study import mask, painted, study_json
from sfumato.core.study.mask import Mask
from sfumato.core.study.printing import Printing
from sfumato.core.study.results import USUAL_NAME, Results
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.media.jpeg import SAMPLINGS
from sfumato.media.parts import printed
from sfumato.media.parts.contract import Saving, Still
from sfumato.raster.plates import Plates
from sfumato.work.cancel import Cancel, Cancelled, Progress, silent
from sfumato.work.files import (
    Sources,
    cut_name,
    exists,
    is_file,
    json_bytes,
    read_json,
    write_bytes,
)
from sfumato.work.frames import is_clip, open_still
from sfumato.work.luts.lut_files import read_lut
from sfumato.work.memory import heavy
from sfumato.work.results import plated
from sfumato.work.results.applied_proof import (
    AppliedProof,
    clip_proof,
    plates_proof,
    still_proof,
)
from sfumato.work.results.clip_line import ClipWish
from sfumato.work.results.clips import graded_clip
from sfumato.work.results.codecs import CODECS, EFFORTS
from sfumato.work.results.stills import (
    Chain,
    chain_of,
    default_bits,
    kind_for,
    rounded,
    write_still,
)
from sfumato.work.stores.study_store import loaded
from sfumato.work.tiles import run_tiled, spread

SIDECAR = ".applied.json"
# Of the codes that legal range can hold: 1 is white, 1.095 the last code.
_DOMAIN = (-0.075, -0.075, -0.075), (1.1, 1.1, 1.1)
_MOST_SIDECAR = 64 << 20
_ROWS = 256  # of a painted still at a time
_SHARE_WRITTEN = 0.9  # of the work; the rest is the proof


@frozen
class ApplyWish:
    """What is to come out: "" or 0 = as the View, the source or the suffix says.

    Attributes:
        encoding: of the result; scene-referred ones leave the View out.
        quality: of H.264 and HEVC, less is better; `jpeg_quality` 1..100, more is better.
        points: of a lattice that clips go through instead of the exact path, many times as fast; 0 =
            the exact path. The proof says what that costs.
        lut: takes the place of Ground and Look.
        damaged: clips whose source is short or damaged are written too.
    """

    encoding: str = ""
    strength: float = 1.0
    bits: int = 0
    codec: str = ""
    quality: int = 16
    effort: str = "quick"
    jpeg_quality: int = 95
    sampling: str = "4:4:4"
    points: int = 0
    lut: Transform | None = None
    damaged: bool = False


@frozen
class Applied:
    """What was done: what could not be kept, in words, and what the decoded result was found to be."""

    remarks: tuple[str, ...]
    proof: AppliedProof


def result_encoding(study: Study, wish: ApplyWish) -> str:
    """Return the encoding that results are in, "" when a LUT in the study's place does not say."""
    if wish.lut is not None:
        return wish.encoding or span_note.read(wish.lut.comments)[1] or ""
    return wish.encoding or study.view.encoding


def treatment(study: Study, shot: Shot, wish: ApplyWish) -> Callable[[Rgb], Rgb]:
    """Return what is done to a shot's code values, each pixel for itself; painted masks are left out.

    Strength backs the Look off (or pushes it): x + s (look(x) - x) in working values, over the
    Strength that the Look has itself. With a LUT of its own the numbers go through that alone.

    Raises:
        ValueRefused: the result's encoding cannot come out of that study or LUT.
    """
    if wish.lut is not None:
        lut = wish.lut.at_strength(wish.strength) if wish.strength != 1.0 else wish.lut
        expects, gives = span_note.read(wish.lut.comments)
        known = shot.encoding if expects else None
        to = wish.encoding if wish.encoding and gives else None
        if wish.encoding and not gives:
            raise ValueRefused(
                "the LUT does not say what it gives", hint="leave “Made for” as the LUT gives it"
            )
        return chain_of([lut], from_encoding=known, to_encoding=to)
    enter, leave = painted.entering(study, shot), painted.leaving(study, wish.encoding)
    look = painted.steps_of(study, attrs.evolve(shot, layers=()), wish.strength)[0][0]
    return lambda code: leave(look(enter(code)))


def by_lattice(run: Callable[[Rgb], Rgb], points: int, cancel: Cancel | None = None) -> Chain:
    """Return a function on code values as a look-up; codes a little beyond 0..1 are in it."""
    low, high = np.asarray(_DOMAIN, np.float32)
    nodes = run_tiled(run, lattice_colours(points) * (high - low) + low, cancel)
    return chain_of([Transform((Table3D(np.nan_to_num(nodes), _DOMAIN),))])


def graded_still(
    study: Study, shot: Shot, wish: ApplyWish, code: Rgb, cancel: Cancel | None = None
) -> Rgb:
    """Return a whole still (h, w, 3) as it is to be written, masks and layers too; not clipped."""
    run, whole = rows_run(study, shot, wish, code.shape[0])
    if not whole:
        return run_tiled(lambda part: run(part, 0), code, cancel)
    out = np.empty_like(code)

    def one(top: int) -> None:
        if cancel is not None:
            cancel.check()
        rows = slice(top, top + _ROWS)
        out[rows] = run(code[rows], top)

    spread(one, range(0, len(code), _ROWS))
    return out


def rows_run(study: Study, shot: Shot, wish: ApplyWish, height: int) -> tuple[plated.RowsRun, bool]:
    """Return what is done to rows of a still of so many, and whether they must be rows: masks lie on them.

    The second argument of what is returned is the number of the first row.
    """
    steps = painted.steps_of(study, shot, wish.strength)
    if wish.lut is not None or (painted.everywhere(steps) and len(steps) == 1):
        whole = treatment(study, shot, wish)
        return lambda code, _top: whole(code), False
    enter, leave = painted.entering(study, shot), painted.leaving(study, wish.encoding)

    def run(code: Rgb, top: int) -> Rgb:
        rows, width = code.shape[:2]
        region = (0.0, top / height, 1.0, (top + rows) / height)
        mattes: list[Array | None] = [
            None if m.is_plain else mask.rendered(m, width, rows, region) for _step, m in steps
        ]
        return leave(painted.run(steps, enter(code), mattes))

    return run, True


def apply_shot(
    study: Study,
    shot: Shot,
    target: str | Path,
    wish: ApplyWish = ApplyWish(),
    *,
    force: bool = False,
    cancel: Cancel | None = None,
    progress: Progress = silent,
) -> Applied:
    """Write a shot through its Ground and the Look into a new file, decode it again and compare.

    A sidecar says what was done: before the result is there without its proof, so that a run that
    is killed in between is known by it.

    Raises:
        ExportError: the file exists and `force` is false, it is the source, or cannot be written.
        MediaError: the source cannot be read.
        ValueRefused: the wish cannot be met.
        Cancelled: while it was written: nothing is left; later: a result that is proved by the
            next run.
    """
    check = always_wanted if cancel is None else cancel.check
    # A still is there whole, several times over; a clip frame by frame.
    with nullcontext() if is_clip(shot.path) else heavy(check):
        return _applied(study, shot, Path(target), wish, force, cancel, progress)


def _applied(
    study: Study,
    shot: Shot,
    file: Path,
    wish: ApplyWish,
    force: bool,
    cancel: Cancel | None,
    progress: Progress,
) -> Applied:
    if file.resolve() == Path(shot.path).resolve():
        raise ExportError(
            "the original is never written over", hint="choose another name", where=str(file)
        )
    side, record = _side(file), _record(study, shot, file, wish)
    there = _sidecar(file)
    if exists(file) and not force:
        if there is None or "proof" in there or there != json.loads(json.dumps(record)):
            raise NameTaken(str(file))
        # Made by a run that was stopped before it was proved.
        proof = _proof_of(study, shot, file, wish, cancel)
        if not proof.is_true:
            raise ExportError(
                f"a run that was stopped has left the file, and it is {proof.words()}",
                hint="remove it and apply again",
                where=str(file),
            )
        _write_side(side, {**record, "proof": attrs.asdict(proof)})
        return Applied((), proof)
    old = side.read_bytes() if there is not None else None
    _write_side(side, record)
    try:
        write = _write_clip if is_clip(shot.path) and is_clip(file) else _write_still
        remarks, meant = write(study, shot, file, wish, force, cancel, progress)
    except (SfumatoError, Cancelled):
        if old is None:
            side.unlink(missing_ok=True)
        else:
            write_bytes(side, old)  # the record of the file that is still there
        raise
    progress(_SHARE_WRITTEN, "is decoded again")
    proof = _proof_of(study, shot, file, wish, cancel, meant)
    _write_side(side, {**record, "proof": attrs.asdict(proof)})
    return Applied(remarks, proof)


def _write_side(side: Path, record: dict[str, object]) -> None:
    write_bytes(side, json_bytes(record), force=True)


def _write_clip(
    study: Study,
    shot: Shot,
    file: Path,
    wish: ApplyWish,
    force: bool,
    cancel: Cancel | None,
    progress: Progress,
) -> tuple[tuple[str, ...], None]:
    run, name = treatment(study, shot, wish), result_encoding(study, wish)
    if wish.points and wish.lut is None:
        run = by_lattice(run, wish.points, cancel)
    clip = ClipWish(
        wish.codec, wish.quality, wish.effort, shot.first, shot.last, name, wish.damaged
    )

    def writing(share: float, words: str) -> None:
        progress(share * _SHARE_WRITTEN, words)

    made = graded_clip(shot.path, file, run, clip, force=force, cancel=cancel, progress=writing)
    if shot.is_painted:
        said = "painted masks are for stills: the Look goes everywhere"
        return (*made.remarks, said), None
    return made.remarks, None


def _write_still(
    study: Study,
    shot: Shot,
    file: Path,
    wish: ApplyWish,
    force: bool,
    cancel: Cancel | None,
    _progress: Progress,
) -> tuple[tuple[str, ...], Rgb | Plates]:
    """Write a still; return what is not kept, and the codes, or the own numbers, that were meant."""
    kind, name = kind_for(file), result_encoding(study, wish)
    still = open_still(shot.path, shot.frame, shot.press)
    if still.plates is not None and _in_own_colours(still, file, wish):
        made, off = regraded(study, shot, wish, still.plates, cancel, over=True)
        facts = still.facts
        del still  # what was read is not needed any more, and is as large as what is written
        plated.write_plates(made, facts, file, force=force, quality=wish.jpeg_quality)
        return tuple(plated.words(made, off)), made
    bits = wish.bits or default_bits(still, file.suffix)
    meant = graded_still(study, shot, wish, still.as_float(), cancel)
    pixels = rounded(meant, bits, kind, name)
    remarks = write_still(pixels, file, saving_for(still, wish, name), force=force)
    if wish.lut is not None and shot.is_painted:
        remarks = (*remarks, "painted masks are of the Look: the LUT goes everywhere")
    return remarks, meant


def _proof_of(
    study: Study,
    shot: Shot,
    file: Path,
    wish: ApplyWish,
    cancel: Cancel | None,
    meant: Rgb | Plates | None = None,
) -> AppliedProof:
    """Decode a result and compare it with what is meant, computed anew where it is not given."""
    name = result_encoding(study, wish)
    if is_clip(shot.path) and is_clip(file):
        frames = shot.first, shot.last
        return clip_proof(shot.path, file, treatment(study, shot, wish), frames, name, cancel)
    still = None
    if meant is None:
        still = open_still(shot.path, shot.frame, shot.press)
        if still.plates is not None and _in_own_colours(still, file, wish):
            meant = regraded(study, shot, wish, still.plates, cancel)[0]
        else:
            meant = graded_still(study, shot, wish, still.as_float(), cancel)
    if isinstance(meant, Plates):
        return plates_proof(meant, open_still(file, 0, shot.press), kind_for(file))
    still = still or open_still(shot.path, shot.frame, shot.press)
    bits = wish.bits or default_bits(still, file.suffix)
    return still_proof(meant, open_still(file), kind_for(file), bits, name)


def regraded(
    study: Study,
    shot: Shot,
    wish: ApplyWish,
    plates: Plates,
    cancel: Cancel | None,
    *,
    over: bool = False,
) -> tuple[Plates, Difference | None]:
    """Return a picture's own numbers through the study or the LUT, and how far what they show lies off.

    Inks that go through a link from inks to inks are exactly what is meant: None.

    What is meant is a change of what is there: what the View alone does to a picture of a display is not
    part of the Look, and would move every ink.
    """
    by_link = plated.linked([wish.lut], plates) if wish.lut is not None else None
    if by_link is not None and wish.strength == 1.0:
        return by_link, None
    run, name = change_run(study, shot, wish, len(plates.values))
    return plated.regraded(plates, run, name, study.printing, cancel, over=over)


def change_run(
    study: Study, shot: Shot, wish: ApplyWish, height: int = 1
) -> tuple[plated.RowsRun, str]:
    """Return what a study or LUT means for rows of a picture as it is seen, and the display of those codes.

    Args:
        height: of the picture, where masks lie on it.
    """
    run, name = rows_run(study, shot, wish, height)[0], result_encoding(study, wish)
    if wish.lut is not None or not name:
        return run, name or printed.SEEN
    bare = attrs.evolve(study, look=attrs.evolve(study.look, coats=()))
    plain = attrs.evolve(shot, ground=(), layers=(), mask=Mask())
    base, _ = rows_run(bare, plain, attrs.evolve(wish, strength=1.0), height)

    def change(code: Rgb, top: int) -> Rgb:
        return run(code, top) + (convert(code, printed.SEEN, name) - base(code, top))

    return change, name


def _in_own_colours(still: Still, file: Path, wish: ApplyWish) -> bool:
    """Whether a result stays in Lab or CMYK: it is kept so, and nothing else is asked for."""
    return plated.keeps_plates(still, file) and not wish.encoding and not wish.bits


def saving_for(still: Still, wish: ApplyWish, name: str) -> Saving:
    """Return what is written beside the pixels of a result."""
    facts = still.facts
    keep = b"" if name else facts.profile  # a LUT that says nothing leaves codes in what they were
    return Saving(name, keep, facts.exif, facts.xmp, wish.jpeg_quality, wish.sampling)


def _record(study: Study, shot: Shot, file: Path, wish: ApplyWish) -> dict[str, object]:
    """Return what was done, as plain data: enough to do it again."""
    printing = study.printing if plated.is_printed(shot.path) else Printing()
    printing = attrs.evolve(printing, paper=False, press="")  # of what is looked at alone
    only = attrs.evolve(study, shots=(shot,), results=Results(), printing=printing)
    plain = attrs.asdict(attrs.evolve(wish, lut=None))
    del plain["damaged"]  # what is made is the same
    return {
        "sfumato_applied": 1,
        "version": VERSION,
        "source": str(Path(shot.path).resolve()),
        "result": file.name,
        "shot": shot.id,
        "wish": {**plain, "lut": _lut_record(wish.lut)},
        "study": study_json.dump(only),
    }


def _lut_record(lut: Transform | None) -> dict[str, str] | None:
    """Return which LUT it was: its file, and that file's date and size."""
    if lut is None:
        return None
    try:
        facts = Path(lut.source).stat()
    except OSError:
        return {"file": lut.source, "stamp": ""}
    return {"file": lut.source, "stamp": f"{facts.st_mtime_ns}-{facts.st_size}"}


@frozen
class Job:
    """One shot and the file that it becomes."""

    shot: Shot
    file: Path


_FIELD = re.compile(r"\{(\w+)\}")
NAME_FIELDS = ("shot", "source", "look", "study", "group", "number", "encoding")


def name_of(pattern: str, study: Study, shot: Shot, encoding: str = "") -> str:
    """Return a file name by a pattern, without suffix; what no file system likes is replaced.

    Raises:
        ValueRefused: the pattern has a field that is not known.
    """
    values = {
        "shot": shot.name,
        "source": Path(shot.path).stem,
        "look": study.look.name,
        "study": study.name,
        "group": shot.group,
        "number": f"{[s.id for s in study.shots].index(shot.id) + 1:03}",
        "encoding": encoding,
    }

    def value(found: re.Match[str]) -> str:
        if found[1] not in values:
            raise ValueRefused(
                f"names have no field {{{found[1]}}}",
                hint=f"use {', '.join('{' + n + '}' for n in NAME_FIELDS)}",
            )
        return values[found[1]]

    text = _FIELD.sub(value, pattern)
    plain = "".join(c if c.isalnum() or c in " -+._()" else "_" for c in text).strip(" .")
    return cut_name(plain, 180) or "shot"


def jobs_of(
    study: Study,
    ids: tuple[str, ...],
    folder: Path,
    still: str,
    clip: str,
    pattern: str = USUAL_NAME,
    encoding: str = "",
) -> list[Job]:
    """Return the files that shots become in a folder; two of one name get a number.

    Args:
        still, clip: suffixes, such as ".tif" and ".mov".
        pattern: of the names, with NAME_FIELDS in braces.
    Raises:
        ValueRefused: the pattern has a field that is not known.
    """
    taken: set[str] = set()
    found = []
    for shot in study.shots:
        if shot.id not in ids:
            continue
        suffix = clip if is_clip(shot.path) else still
        stem = name_of(pattern, study, shot, encoding)
        name, i = f"{stem}{suffix}", 2
        while name.casefold() in taken:
            name, i = f"{stem} {i}{suffix}", i + 1
        taken.add(name.casefold())
        found.append(Job(shot, folder / name))
    return found


def is_done(study: Study, job: Job, wish: ApplyWish) -> bool:
    """Whether a file is there that was made from the same, by the same, and proved."""
    there = _sidecar(job.file)
    if there is None or "proof" not in there or not is_file(job.file):
        return False
    del there["proof"]
    return bool(there == json.loads(json.dumps(_record(study, job.shot, job.file, wish))))


def _side(file: Path) -> Path:
    return file.with_name(f"{file.name}{SIDECAR}")


def _sidecar(file: Path) -> dict[str, object] | None:
    """Return what stands beside a result, None where nothing of ours does."""
    try:
        plain = read_json(_side(file), "a record of a result", "", _MOST_SIDECAR)
    except (SfumatoError, OSError):
        return None
    return plain if isinstance(plain, dict) else None


def again(side: str | Path, target: str | Path, *, force: bool = False) -> Applied:
    """Do once more what a sidecar says, into a file.

    Raises:
        StudyError: it is no sidecar, or is damaged.
        ExportError: its LUT is another one now, or the target cannot be written.
    """
    file = Path(side)
    plain = read_json(
        file, "a record of a result", "choose a file NAME.applied.json", _MOST_SIDECAR
    )
    try:
        study = loaded(plain["study"], file).opened()
        shot, values = study.shot(plain["shot"]), dict(plain["wish"])
        lut = values.pop("lut")
        wish = _wish(values)
        if lut is not None:
            lut = {name: str(lut[name]) for name in ("file", "stamp")}
    except ValueRefused as error:
        raise StudyError(
            f"the record is damaged: {error.summary}", hint="apply the shot anew", where=str(file)
        ) from error
    except DAMAGE as error:
        raise StudyError(
            f"the record is damaged ({type(error).__name__} {error})"[:120],
            hint="apply the shot anew",
            where=str(file),
        ) from error
    if lut is not None:
        there = read_lut(lut["file"]).transform
        wish = attrs.evolve(wish, lut=attrs.evolve(there, source=lut["file"]))
        if _lut_record(wish.lut) != lut:
            raise ExportError(
                "the LUT has changed since", hint="bring the old one back", where=lut["file"]
            )
    Sources.of([file]).check(Path(target))
    return apply_shot(study, shot, target, wish, force=force)


_CHOICES: dict[str, tuple[Any, ...]] = {
    "bits": (0, 8, 16, 32),
    "codec": ("", *CODECS),
    "effort": tuple(EFFORTS),
    "sampling": SAMPLINGS,
}
_NUMBERS = {"strength": (0, 2), "quality": (0, 51), "jpeg_quality": (1, 100), "points": (0, 129)}


def _wish(values: dict[str, Any]) -> ApplyWish:
    """Make a wish from plain values.

    Raises:
        ValueRefused: one is missing, not known, or outside what it may be.
    """
    known = {f.name for f in attrs.fields(ApplyWish)}
    if set(values) != known - {"lut", "damaged"}:
        raise ValueRefused("it holds other wishes than are known")
    name = values["encoding"]
    if not isinstance(name, str) or (name and encoding(name).name != name):
        raise ValueRefused(f"there is no encoding {str(name)[:60]!r}")
    for key, choices in _CHOICES.items():
        if isinstance(values[key], bool) or values[key] not in choices:
            raise ValueRefused(f"{key} is {str(values[key])[:40]!r}")
    for key, (least, most) in _NUMBERS.items():
        value = values[key]
        if (
            isinstance(value, bool)
            or not isinstance(value, int | float)
            or not least <= value <= most
        ):
            raise ValueRefused(f"{key} is {str(value)[:40]!r}, outside {least} to {most}")
        if key != "strength" and value != int(value):
            raise ValueRefused(f"{key} is no whole number")
    return ApplyWish(**values)
