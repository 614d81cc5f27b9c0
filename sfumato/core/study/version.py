"""Versions: every state of a look that was sent, and the files that it became."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import attrs
from attrs import frozen

from sfumato.core import controls
from sfumato.core.colour.encodings import encoding
from sfumato.core.controls import LutFile
from sfumato.core.errors import ValueRefused
from sfumato.core.path.span import Joint, Span
from sfumato.core.study import view
from sfumato.core.study.coat import Coat, every, without_ids
from sfumato.core.study.coat_json import dump_look, load_look, number
from sfumato.core.study.look import Look
from sfumato.core.study.view import View

if TYPE_CHECKING:
    from sfumato.core.study.study import Study

MOST_VERSIONS, _MOST_FILES, _MOST_BESIDE = 1000, 2000, 200
_LONGEST = 4096


@frozen
class SentFile:
    """A file that a version became.

    Attributes:
        outlet: the key of the outlet that it went to.
        path, digest, size: the file, its SHA-256 (of several the SHA-256 of theirs), its bytes.
        form: SHA-256 of the outlet's record: another one makes another file.
        mean, p99, worst: ΔE to the exact look, as it was measured when it was written.
        readers: who else read it then and confirmed it, with commas between.
        beside: files that belong to it.
    """

    outlet: str
    path: str
    digest: str = ""
    size: int = 0
    form: str = ""
    mean: float = 0.0
    p99: float = 0.0
    worst: float = 0.0
    readers: str = ""
    beside: tuple[str, ...] = ()

    @property
    def all(self) -> tuple[str, ...]:
        return (self.path, *self.beside)


@frozen
class Version:
    """A state of a look that was sent: all that its files follow from.

    Attributes:
        number: from 1 for each look, by its name.
        name: what the person calls it, "" for none.
        sent: the local time, ISO 8601 to the minute.
        shot: id of the shot whose Ground is in it, "" when none is.
        luts: stamps of the LUT files in the look, as they were.
    """

    number: int
    look: Look
    working: str = "sRGB"
    view: View = View()
    span: Span = Span()
    grid: int = 33
    fit: bool = False
    shot: str = ""
    luts: str = ""
    name: str = ""
    sent: str = ""
    files: tuple[SentFile, ...] = ()

    @property
    def title(self) -> str:
        return self.name or f"version {self.number}"

    @property
    def state(self) -> tuple[Any, ...]:
        """What its files follow from, without the ids of glazes."""
        coats: tuple[Coat, ...] = tuple(map(without_ids, self.look.coats))
        look = attrs.evolve(self.look, coats=coats)
        ends = self.working, self.view, self.span
        return look, *ends, self.grid, self.fit, self.shot, self.luts

    def file_of(self, outlet: str) -> SentFile | None:
        """Return the newest file that went to an outlet."""
        return next((f for f in reversed(self.files) if f.outlet == outlet), None)

    def with_files(self, files: tuple[SentFile, ...]) -> Version:
        """Return it with files, each in the place of an older one at its path."""
        paths = {f.path for f in files}
        kept = tuple(f for f in self.files if f.path not in paths)
        return attrs.evolve(self, files=(*kept, *files)[-_MOST_FILES:])

    def without(self, paths: set[str]) -> Version:
        return attrs.evolve(self, files=tuple(f for f in self.files if f.path not in paths))


def version_of(study: Study, shot: str = "") -> Version:
    """Return the state of a study's look, numbered after those that there are of that name."""
    before = [v.number for v in study.versions if v.look.name == study.look.name]
    return Version(
        max(before, default=0) + 1,
        study.look,
        study.working,
        study.view,
        study.span,
        study.grid,
        study.fit,
        shot if study.span.with_ground else "",
        _stamps(study.look),
    )


def _stamps(look: Look) -> str:
    found = (getattr(c.parameters, "file", None) for c in every(look.coats))
    return " ".join(f.stamp for f in found if isinstance(f, LutFile) and f.path)


def as_sent(study: Study, version: Version) -> Study:
    """Return a study with the look, View, Span and grid of a version."""
    return attrs.evolve(
        study,
        look=version.look,
        working=version.working,
        view=version.view,
        span=version.span,
        grid=version.grid,
        fit=version.fit,
    )


_FILE = tuple(a.name for a in attrs.fields(SentFile) if a.name != "beside")
_WORDS = ("outlet", "path", "digest", "form", "readers")
_AMOUNTS = {"size": 1e12, "mean": 1e6, "p99": 1e6, "worst": 1e6}


def dump(version: Version) -> dict[str, Any]:
    """Return it as plain data."""
    span = version.span
    return {
        "number": version.number,
        "name": version.name,
        "sent": version.sent,
        "look": dump_look(version.look),
        "working": version.working,
        "view": controls.dump(version.view),
        "span": [span.start.value, span.end.value],
        "span_encodings": [span.entry, span.leave],
        "grid": version.grid,
        "fit": version.fit,
        "shot": version.shot,
        "luts": version.luts,
        "files": [_plain(f) for f in version.files],
    }


def _plain(file: SentFile) -> dict[str, Any]:
    found = {n: getattr(file, n) for n in _FILE}
    return {**found, "beside": list(file.beside)} if file.beside else found


def _file(plain: Any) -> SentFile:
    if not isinstance(plain, dict) or not isinstance(plain.get("path"), str):
        raise ValueRefused("a file that was sent is no record")
    found: dict[str, Any] = {n: str(plain.get(n, ""))[:_LONGEST] for n in _WORDS}
    for name, most in _AMOUNTS.items():
        found[name] = number(plain.get(name, 0), 0, most, f"the {name} of a file that was sent")
    beside = tuple(str(f)[:_LONGEST] for f in plain.get("beside", [])[:_MOST_BESIDE])
    return SentFile(**{**found, "size": int(found["size"]), "beside": beside})


def _load(plain: Any) -> Version:
    start, end = plain["span"]
    ends = [encoding(e).name if e else "" for e in plain.get("span_encodings", ["", ""])]
    return Version(
        int(number(plain["number"], 1, 1e6, "the number of a version")),
        load_look(plain["look"]),
        encoding(plain["working"]).name,
        view.load(plain["view"]),
        Span(Joint(start), Joint(end), *ends),
        int(number(plain.get("grid", 33), 2, 129, "the grid")),
        plain.get("fit", False) is True,
        str(plain.get("shot", "")),
        str(plain.get("luts", ""))[:_LONGEST],
        str(plain.get("name", ""))[:200],
        str(plain.get("sent", ""))[:40],
        tuple(_file(f) for f in plain.get("files", [])[:_MOST_FILES]),
    )


def load_all(plain: Any) -> tuple[Version, ...]:
    """Make versions from plain data.

    Raises:
        ValueRefused: one is no record, or a value is outside its control.
    """
    return tuple(_load(v) for v in plain[-MOST_VERSIONS:])
