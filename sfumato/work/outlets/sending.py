"""Sending looks to outlets: one row for each file, none of which harms the others."""

from __future__ import annotations

from collections.abc import Callable, Container, Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import attrs
from attrs import field, frozen

from sfumato.core.colour.encodings import encoding
from sfumato.core.controls import LutFile
from sfumato.core.errors import ExportError, NameTaken, SfumatoError
from sfumato.core.study import outlet as outlets
from sfumato.core.study.outlet import CAMERA, VERSION, Outlet
from sfumato.core.study.study import Study
from sfumato.core.study.version import MOST_VERSIONS, SentFile, Version
from sfumato.work.cancel import Cancel, Progress, silent
from sfumato.work.files import Sources, exists, is_file, is_folder, stamp_of
from sfumato.work.frames import Frames
from sfumato.work.luts import deliver
from sfumato.work.luts.proof import Yardstick
from sfumato.work.outlets.order import (
    Order,
    Written,
    fields_of,
    heading_of,
    place_for,
    suited,
)
from sfumato.work.outlets.sent import (
    Sending,
    digest_of,
    form_digest,
    is_as_sent,
    is_of,
    known_forms,
    last_place,
    place_of,
    version_for,
    wanted_place,
)
from sfumato.work.turns import behind

WRITTEN, REFUSED, KEPT = "written", "refused", "kept"
_AT_ONCE = 2  # looks: each takes up to 150 megabytes
_AWAY = ("mean", "p99", "worst")


@frozen(eq=False)
class Row:
    """What became of one look at one outlet.

    Attributes:
        state: WRITTEN, KEPT (it was there already, as it would be written) or REFUSED.
        words: why it was refused, or what is wrong with what was written; "" when all is well.
        files: those that were written, the one that counts first.
        mean, p99, worst: ΔE to the exact look, on the shots, or over the cube when there are none;
            None when it was not measured.
        readers: who else read it and confirmed it.
        warnings: what is to be known of it.
    """

    look: str
    outlet: Outlet
    state: str
    words: str = ""
    files: tuple[Path, ...] = ()
    size: int = 0
    digest: str = ""
    mean: float | None = None
    p99: float | None = None
    worst: float | None = None
    readers: tuple[str, ...] = ()
    warnings: tuple[str, ...] = ()
    is_taken: bool = False  # it was refused because a file of that name is there

    @property
    def is_good(self) -> bool:
        return self.state != REFUSED and not self.words


Existing = Callable[[Outlet, Path], str]  # what is done with a file that was not sent from here


def refuse(_outlet: Outlet, _file: Path) -> str:
    return deliver.REFUSE


@frozen(eq=False)
class _Run:
    """What the rows of one run share."""

    frames: Frames
    when: str
    existing: Existing
    sources: Sources
    sent: dict[Path, tuple[str, str, SentFile]]  # what was sent from here: look, outlet, file
    cancel: Cancel
    taken: set[Path] = field(factory=set)


def send(
    looks: Sequence[Sending],
    to: Sequence[Outlet],
    frames: Frames,
    when: str,
    *,
    only: Container[tuple[str, str]] | None = None,
    existing: Existing = refuse,
    done: Callable[[tuple[Row, Sending]], None] = lambda _pair: None,
    cancel: Cancel | None = None,
    progress: Progress = silent,
) -> Iterator[tuple[Row, Sending]]:
    """Send looks to outlets, and yield a row for each pair as it is done, in the order of the looks.

    Args:
        when: the local time, ISO 8601: the date of new versions.
        only: pairs of a look's name and an outlet's key; None for every look at every outlet.
        existing: says what is done with a file that is there and was not sent from here, where the
            outlet asks: REFUSE, VERSION or REPLACE of `deliver`.
        done: is given each row as soon as it is there, in whatever order, by the thread that made it:
            of a run that is cancelled it knows what was written.
    Looks that have places of their own are worked on several at once.

    Raises:
        Cancelled: files that were written stay.
    """
    cancel = cancel or Cancel()
    sent = {
        Path(f.path): (v.look.name, f.outlet, f)
        for s in looks
        for v in s.study.versions
        for f in v.files
    }
    sources = Sources.of(_sources(looks))
    count = max(len(looks) * len(to), 1)
    best = 0.0

    def forward(share: float, words: str) -> None:
        nonlocal best
        best = max(best, share)
        progress(best, words)

    def rows_of(number: int, look: Sending) -> list[tuple[Row, Sending]]:
        run = _Run(frames, when, existing, sources, sent, cancel, shared if together else set())
        version = version_for(look.study, look.shot, when)
        yardsticks: dict[tuple[object, ...], Yardstick] = {}
        found = []
        for i, outlet in enumerate(to, (number - 1) * len(to)):
            cancel.check()
            if only is not None and (look.name, outlet.key) not in only:
                continue

            def within(part: float, words: str, i: int = i) -> None:
                forward((i + part) / count, words)

            found.append((_row(look, outlet, version, number, run, yardsticks, within), look))
            done(found[-1])
        return found

    shared: set[Path] = set()
    together = len(looks) < 2 or not _apart(looks, to, when)
    with ThreadPoolExecutor(1 if together else _AT_ONCE, initializer=behind) as pool:
        whole = False
        try:
            for rows in pool.map(rows_of, range(1, len(looks) + 1), looks):
                yield from rows
            whole = True
        finally:
            if not whole:  # the others need not be finished
                cancel.set()
    progress(1.0, "done")


def _apart(looks: Sequence[Sending], to: Sequence[Outlet], when: str) -> bool:
    """Whether every look has a place of its own at every outlet: then several are written at once."""
    places = [wanted_place(look, o, when, i) for i, look in enumerate(looks, 1) for o in to]
    return len(set(places)) == len(places)


def _sources(looks: Iterable[Sending]) -> Iterator[Path]:
    """Yield every file that the looks are made from."""
    for look in looks:
        for shot in look.study.shots:
            yield Path(shot.path)
        for coat in look.study.every_coat():
            file = getattr(coat.parameters, "file", None)
            if isinstance(file, LutFile) and file.path:
                yield Path(file.path)


def _row(
    look: Sending,
    outlet: Outlet,
    version: Version,
    number: int,
    run: _Run,
    yardsticks: dict[tuple[object, ...], Yardstick],
    progress: Progress,
) -> Row:
    warnings: list[str] = []
    try:
        study = suited(look.study, outlet, look.shot)
        shot = look.shot if study.span.with_ground else None
        form = known_forms()[outlet.form]
        values = fields_of(study, outlet, version.sent or run.when, version.number, number)
        file, said = place_for(outlet, values, form.ending(outlet))
        warnings += [said] if said else []
        kept = _kept(look, outlet, version, file)
        if kept is not None:
            return kept
        if outlet.there != VERSION:
            file = last_place(look, outlet, file)
        existing = _existing(look, outlet, file, run)
        _check_place(outlet, file, run)
        if existing == deliver.REPLACE:
            run.sources.check(file)

        def yardstick() -> Yardstick:
            key = (study.view, study.span, shot and shot.id)
            if key not in yardsticks:
                yardsticks[key] = Yardstick(study, run.frames, shot, run.cancel)
            return yardsticks[key]

        written = form.write(
            Order(
                study,
                outlet,
                run.frames,
                file,
                version.sent or run.when,
                shot,
                heading_of(outlet, values),
                existing,
                run.taken,
                yardstick=yardstick,
                cancel=run.cancel,
                progress=progress,
            )
        )
    except SfumatoError as error:
        return Row(
            look.name,
            outlet,
            REFUSED,
            error.sentence(),
            warnings=tuple(warnings),
            is_taken=isinstance(error, NameTaken),
        )
    return _told(look, outlet, study, written, warnings)


def _kept(look: Sending, outlet: Outlet, version: Version, file: Path) -> Row | None:
    """Return the row of a file that is there already just as it would be written, None when it is not."""
    there = version.file_of(outlet.key)
    if there is None or there.form != form_digest(outlet, look.study):
        return None
    if not is_of(place_of(there, outlet), file) or not is_as_sent(there):
        return None
    readers = tuple(filter(None, there.readers.split(", ")))
    measured = there.mean, there.p99, there.worst
    files = tuple(map(Path, there.all))
    return Row(look.name, outlet, KEPT, "", files, there.size, there.digest, *measured, readers)


def _told(
    look: Sending, outlet: Outlet, study: Study, written: Written, warnings: list[str]
) -> Row:
    loss = written.loss
    if study.span.with_ground and look.shot is not None:
        warnings.append(f"includes the Ground of {look.shot.name}")
    if loss is not None and not loss.is_close:
        warnings.append(f"1 of 100 colours is off by more than {loss.main.p99:.1f} ΔE")
    warnings += [*_misfits(study, outlet), *written.said]
    sizes = (stamp_of(f) for f in written.files)
    away = {} if loss is None else {n: getattr(loss.main, n) for n in _AWAY}
    return Row(
        look.name,
        outlet,
        WRITTEN,
        written.wrong,
        written.files,
        sum(s[1] for s in sizes if s is not None),
        digest_of(written.files),
        readers=written.readers,
        warnings=tuple(warnings),
        **away,
    )


def _misfits(study: Study, outlet: Outlet) -> Iterator[str]:
    """Say where what the LUT expects is not what the shots are."""
    entry = study.span.entry or study.working
    if outlet.span != CAMERA or study.span.with_ground:
        return
    others = [s for s in study.shots if s.encoding and s.encoding != entry]
    if others and encoding(entry).is_scene:
        count = len(others)
        whose = "a shot is" if count == 1 else f"{count} shots are"
        yield f"expects {entry}; {whose} not in it"


def _existing(look: Sending, outlet: Outlet, file: Path, run: _Run) -> str:
    """Return what is done with a file that is there: one of ours is replaced, others as was agreed."""
    if outlet.there == VERSION:
        return deliver.VERSION
    if file in run.taken:
        return deliver.VERSION  # another look of this run has the name
    if not exists(file):
        return deliver.REFUSE
    main = known_forms()[outlet.form].main_of(outlet, file)
    name, key, there = run.sent.get(main, ("", "", SentFile("", "")))
    ours = (name, key) == (look.name, outlet.key) and is_as_sent(there)
    if ours or outlet.there == outlets.REPLACE:
        return deliver.REPLACE
    return run.existing(outlet, file)


def _check_place(outlet: Outlet, file: Path, run: _Run) -> None:
    """Refuse a folder that is not there, and a device without a free place.

    Raises:
        ExportError: nothing can be written there.
    """
    folder = file.parent
    if not is_folder(folder):
        raise ExportError(
            "the folder is not there",
            hint="put the card in, create the folder, or choose another",
            where=str(folder),
        )
    if not outlet.places:
        return
    there = {f for f in folder.iterdir() if f.suffix.lower() == file.suffix.lower() and is_file(f)}
    if len((there | run.taken) - {file}) >= outlet.places:
        raise ExportError(
            f"all {outlet.places} places are used", hint="take one back", where=str(folder)
        )


def with_sent(study: Study, rows: Iterable[tuple[Row, Sending]], when: str) -> Study:
    """Return a study that knows what was sent: each look's version, with its files."""
    for row, look in rows:
        if row.state == REFUSED or not row.files:
            continue
        whole = attrs.evolve(look.study, versions=study.versions)
        version = version_for(whole, look.shot, when)
        found = SentFile(
            row.outlet.key,
            str(row.files[0]),
            row.digest,
            row.size,
            form_digest(row.outlet, look.study),
            row.mean or 0.0,
            row.p99 or 0.0,
            row.worst or 0.0,
            ", ".join(row.readers),
            tuple(map(str, row.files[1:])),
        )
        new = version.with_files((found,))
        versions = [v for v in study.versions if v != version]
        study = attrs.evolve(study, versions=(*versions, new)[-MOST_VERSIONS:])
    return study
