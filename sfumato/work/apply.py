"""A shot of a study, or any picture through a LUT, into a new file: Source, Ground, Look, output."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import attrs
from attrs import frozen

from sfumato._version import VERSION
from sfumato.core import path, study_json
from sfumato.core.arrays import Rgb
from sfumato.core.encodings import encoding
from sfumato.core.errors import ExportError
from sfumato.core.study import Shot, Study
from sfumato.core.transform import Transform
from sfumato.media.registry import by_suffix
from sfumato.work.cancel import Cancel, Progress, silent
from sfumato.work.clips import ClipWish, graded_clip
from sfumato.work.files import write_bytes
from sfumato.work.frames import open_still
from sfumato.work.stills import chain_of, default_bits, kind_for, rounded, write_still
from sfumato.work.tiles import run_tiled

SIDECAR = ".applied.json"


@frozen
class ApplyWish:
    """What is to come out: "" or 0 = as the View, the source or the suffix says.

    `encoding` is a display encoding of the result; `lut` takes the place of Ground and Look.
    """

    encoding: str = ""
    strength: float = 1.0
    bits: int = 0
    codec: str = ""
    quality: int = 16
    lut: Transform | None = None


def treatment(study: Study, shot: Shot, wish: ApplyWish) -> Callable[[Rgb], Rgb]:
    """Return what is done to a shot's code values, each pixel for itself.

    Strength backs the Look off (or pushes it): x + s (look(x) - x) in working values, over the
    Strength that the Look has itself. With a LUT of its own the numbers go through that alone.
    """
    if wish.lut is not None:
        return chain_of([wish.lut.at_strength(wish.strength)])
    display = encoding(wish.encoding) if wish.encoding else None
    look = attrs.evolve(study.look, strength=study.look.strength * wish.strength)
    graded = attrs.evolve(study, look=look)

    def run(code: Rgb) -> Rgb:
        working = path.through_ground(shot, graded, path.to_working(shot, graded, code))
        return path.through_view(graded, path.through_look(graded, working), display)

    return run


def apply_shot(
    study: Study,
    shot: Shot,
    target: str | Path,
    wish: ApplyWish = ApplyWish(),
    *,
    force: bool = False,
    cancel: Cancel | None = None,
    progress: Progress = silent,
) -> tuple[str, ...]:
    """Write a shot through its Ground and the Look into a new file, with a sidecar that says what was done.

    Returns:
        What could not be kept, in words.
    Raises:
        ExportError: the file exists and `force` is false, it is the source, or cannot be written.
        MediaError: the source cannot be read.
        Cancelled: nothing is left.
    """
    file = Path(target)
    if file.resolve() == Path(shot.path).resolve():
        raise ExportError(
            "the original is never written over", hint="choose another name", where=str(file)
        )
    run = treatment(study, shot, wish)
    kind = by_suffix(shot.path)
    remarks: tuple[str, ...] = ()
    if kind is not None and kind.key == "clip" and by_suffix(file.name) is kind:
        clip = ClipWish(wish.codec, wish.quality, shot.first, shot.last)
        made = graded_clip(
            shot.path, file, run, clip, force=force, cancel=cancel, progress=progress
        )
        remarks = made.remarks
    else:
        kind_for(file)
        still = open_still(shot.path, shot.frame)
        bits = wish.bits or default_bits(still, file.suffix)
        pixels = rounded(run_tiled(run, still.as_float(), cancel), bits)
        write_still(pixels, file, force=force)
    note = json.dumps(_record(study, shot, file, wish), indent=1, ensure_ascii=False)
    write_bytes(file.with_name(f"{file.name}{SIDECAR}"), f"{note}\n".encode(), force=True)
    return remarks


def _record(study: Study, shot: Shot, file: Path, wish: ApplyWish) -> dict[str, object]:
    """Return what was done, as plain data: enough to do it again."""
    only = attrs.evolve(study, shots=(shot,))
    plain = attrs.asdict(attrs.evolve(wish, lut=None))
    return {
        "sfumato_applied": 1,
        "version": VERSION,
        "source": str(Path(shot.path).resolve()),
        "result": file.name,
        "shot": shot.id,
        "wish": {**plain, "lut": wish.lut.source if wish.lut is not None else ""},
        "study": study_json.dump(only),
    }


@frozen
class Job:
    """One shot and the file that it becomes."""

    shot: Shot
    file: Path


def jobs_of(study: Study, ids: tuple[str, ...], folder: Path, still: str, clip: str) -> list[Job]:
    """Return the files that shots become in a folder; two of one name get a number.

    Args:
        still, clip: suffixes, such as ".tif" and ".mov".
    """
    taken: set[str] = set()
    found = []
    for shot in study.shots:
        if shot.id not in ids:
            continue
        kind = by_suffix(shot.path)
        suffix = clip if kind is not None and kind.key == "clip" else still
        plain = "".join(c if c.isalnum() or c in " -+._" else "_" for c in shot.name).strip(" .")
        stem = plain or "shot"
        name, i = f"{stem}{suffix}", 2
        while name.casefold() in taken:
            name, i = f"{stem} {i}{suffix}", i + 1
        taken.add(name.casefold())
        found.append(Job(shot, folder / name))
    return found


def is_done(study: Study, job: Job, wish: ApplyWish) -> bool:
    """Whether a file is there that was made from the same, by the same."""
    side = job.file.with_name(f"{job.file.name}{SIDECAR}")
    try:
        plain = json.loads(side.read_text(encoding="utf-8"))
        facts = job.file.stat()
    except (OSError, ValueError):
        return False
    now = json.loads(json.dumps(_record(study, job.shot, job.file, wish)))
    return facts.st_size > 0 and bool(plain == now)
