"""Studies to and from plain data, with upgrades of older glazes and unknown ones kept."""

from __future__ import annotations

import math
import re
from typing import Any

import attrs

from sfumato.core import controls
from sfumato.core.colour import user_encoding
from sfumato.core.colour.encodings import Encoding, also, encoding, encodings
from sfumato.core.colour.user_encoding import UserEncoding
from sfumato.core.errors import DAMAGE, StudyError, ValueRefused
from sfumato.core.lut.device import Device
from sfumato.core.path.span import Joint, Span
from sfumato.core.study import journey, loan, mask, outlet, printing, results, version, view
from sfumato.core.study.coat_json import dump_coat, dump_look, load_coat, load_look, number
from sfumato.core.study.shot import Layer, Shot
from sfumato.core.study.study import Study

VERSION = 1
_BROKEN_TEXT = re.compile("[\0\ud800-\udc7f\udd00-\udfff]")


def dump(study: Study) -> dict[str, Any]:
    """Return the study as plain data: dicts, lists, numbers and text."""
    own = used_encodings(study)
    return {
        "sfumato": VERSION,
        "name": study.name,
        "notes": study.notes,
        "working": study.working,
        "view": controls.dump(study.view),
        "span": [study.span.start.value, study.span.end.value],
        "span_encodings": [study.span.entry, study.span.leave],
        "grid": study.grid,
        "fit": study.fit,
        "target": controls.dump(study.device),
        "look": dump_look(study.look),
        "shots": [
            {
                "id": s.id,
                "name": s.name,
                "path": s.path,
                "frame": s.frame,
                **({"range": [s.first, s.last]} if s.first or s.last is not None else {}),
                "encoding": s.encoding,
                **({"group": s.group} if s.group else {}),
                **({"press": s.press} if s.press is not None else {}),
                "ground": [dump_coat(c) for c in s.ground],
                **({} if s.mask.is_plain else {"mask": mask.dump(s.mask)}),
                **({"layers": [_dump_layer(e) for e in s.layers]} if s.layers else {}),
            }
            for s in study.shots
        ],
        **({"configs": list(study.configs)} if study.configs else {}),
        **({"results": results.dump(study.results)} if study.results != results.Results() else {}),
        **({"journeys": [journey.dump(j) for j in study.journeys]} if study.journeys else {}),
        **({"outlets": [outlet.dump(o) for o in study.outlets]} if study.outlets else {}),
        **({"versions": [version.dump(v) for v in study.versions]} if study.versions else {}),
        **({"loan": loan.dump(study.loan)} if study.loan != loan.Loan() else {}),
        **(
            {"printing": printing.dump(study.printing)}
            if study.printing != printing.Printing()
            else {}
        ),
        **({"encodings": [user_encoding.dump(e) for e in own]} if own else {}),
    }


def used_encodings(study: Study) -> list[UserEncoding]:
    """Return the definitions of the user's own encodings that a study refers to: they travel with it."""
    names = {study.working, study.view.encoding, study.span.entry, study.span.leave}
    names |= {study.results.made_for, *(s.encoding or "" for s in study.shots)}
    names |= {end for j in study.journeys for end in (j.encoding, j.profile)}
    names |= {o.display for o in study.outlets} | study.loan.encodings
    for v in study.versions:
        names |= {v.working, v.view.encoding, v.span.entry, v.span.leave}
    for coat in study.every_coat():
        if attrs.has(type(coat.parameters)):
            names |= {
                v
                for v in attrs.asdict(coat.parameters, recurse=False).values()
                if isinstance(v, str)
            }
    known = encodings()
    return [known[n].definition for n in known if n in names and known[n].definition is not None]


_NO_NAMES = {
    "id",
    "group",
    "name",
    "path",
    "file",
    "notes",
    "glaze",
    "note",
    "configs",
    "names",
    "folder",
    "lut",
    "to",
    "shot",
    "says",
    "became",
    "corners",
    "key",
    "title",
    "target",
    "heading",
    "base",
    "outlet",
    "digest",
    "sent",
    "press",
}


def brought(plain: Any) -> tuple[Any, tuple[Encoding, ...]]:
    """Return a study with the names of its own encodings as they can be known here, and those encodings.

    One whose name is taken by another definition gets a name of its own. Nothing is made known.

    Raises:
        ValueRefused: a definition is none.
    """
    names: dict[str, str] = {}
    found: dict[str, Encoding] = {}
    own_ones = plain.get("encodings", []) if isinstance(plain, dict) else []
    for each in own_ones:
        own = user_encoding.load(each)
        name, known = own.name, {**encodings(), **found}
        for i in range(2, 100):
            there = known.get(name)
            if there is None or there.definition == attrs.evolve(own, name=name):
                break
            name = f"{own.name} {i}"
        if name not in known:
            found[name] = attrs.evolve(own, name=name).made()
        if name != own.name:
            names[own.name] = name

    def walk(value: Any) -> Any:
        if isinstance(value, dict):
            return {k: v if k in _NO_NAMES else walk(v) for k, v in value.items()}
        if isinstance(value, list):
            return [walk(v) for v in value]
        return names.get(value, value) if isinstance(value, str) else value

    return walk(plain) if names else plain, tuple(found.values())


def _dump_layer(layer: Layer) -> dict[str, Any]:
    return {"coat": dump_coat(layer.coat), "mask": mask.dump(layer.mask)}


def _range(value: Any) -> dict[str, Any]:
    """Return the frames of a clip that belong to a shot, as fields of Shot."""
    if value is None:
        return {}
    first, last = value
    last = None if last is None else int(last)
    if int(first) < 0 or (last is not None and last < int(first)):
        raise ValueRefused(f"the frames {value!r} of a shot run backwards")
    return {"first": int(first), "last": last}


def load(plain: Any) -> Study:
    """Make a study from plain data; encodings that it brings are known while it is made, not after.

    Raises:
        StudyError: it is not a study, is from a newer version, or a value is refused.
    """
    if not isinstance(plain, dict) or not isinstance(plain.get("sfumato"), int):
        raise StudyError("this is not a study", hint="choose a .sfumato file")
    if plain["sfumato"] > VERSION:
        raise StudyError(
            f"the study was written by a newer version (format {plain['sfumato']})",
            hint="open it with that version",
        )
    try:
        check_plain(plain)
        renamed, own = brought(plain)
        with also(own):
            return _study(renamed)
    except ValueRefused as error:
        raise StudyError(f"a value is refused: {error.summary}", hint=error.hint) from error
    except DAMAGE as error:
        detail = f"{type(error).__name__} {error}"[:120]
        raise StudyError(
            f"the study is damaged ({detail})", hint="open the copy that was saved before it"
        ) from error


def check_plain(plain: Any) -> None:
    """Refuse what no file could hold again: infinite numbers, texts with NUL or half a pair of UTF-16.

    Odd bytes of file names (U+DC80 to U+DCFF) are let through.

    Raises:
        ValueRefused: there is one.
    """
    waiting = [plain]
    while waiting:
        value = waiting.pop()
        if isinstance(value, dict):
            waiting += [*value.keys(), *value.values()]
        elif isinstance(value, list):
            waiting += value
        elif isinstance(value, str) and _BROKEN_TEXT.search(value):
            raise ValueRefused("a text holds characters that cannot be")
        elif isinstance(value, float) and not math.isfinite(value):
            raise ValueRefused("a number is not finite")


def _journeys(plain: Any) -> tuple[journey.Journey, ...]:
    found = tuple(journey.load(j) for j in plain)
    if len({j.id for j in found}) != len(found):
        raise ValueRefused("two journeys have the same id")
    return found


def _outlets(plain: Any) -> tuple[outlet.Outlet, ...]:
    found = tuple(outlet.load(o) for o in plain[: outlet.MOST_OUTLETS])
    if len({o.key for o in found}) != len(found):
        raise ValueRefused("two outlets have the same key")
    return found


def _study(plain: dict[str, Any]) -> Study:
    start, end = plain["span"]
    ends = [encoding(e).name if e else "" for e in plain.get("span_encodings", ["", ""])]
    shots = tuple(
        Shot(
            path=str(s["path"]),
            name=str(s["name"]),
            encoding=encoding(s["encoding"]).name if s.get("encoding") else None,
            frame=int(s.get("frame", 0)),
            ground=tuple(load_coat(c) for c in s.get("ground", [])),
            id=str(s["id"]),
            group=str(s.get("group", "")),
            press=None if s.get("press") is None else str(s["press"])[:4096],
            mask=mask.load(s.get("mask") or {}),
            layers=tuple(
                Layer(load_coat(e["coat"]), mask.load(e.get("mask") or {}))
                for e in s.get("layers", [])
            ),
            **_range(s.get("range")),
        )
        for s in plain["shots"]
    )
    if len({s.id for s in shots}) != len(shots):
        raise ValueRefused("two shots have the same id")
    return Study(
        name=str(plain["name"]),
        notes=str(plain.get("notes", "")),
        shots=shots,
        look=load_look(plain["look"]),
        working=encoding(plain["working"]).name,
        view=view.load(plain["view"]),
        span=Span(Joint(start), Joint(end), *ends),
        grid=int(number(plain.get("grid", 33), 2, 129, "the grid")),
        fit=plain.get("fit", False) is True,
        device=controls.load(Device, plain.get("target") or {}),
        configs=tuple(str(c) for c in plain.get("configs", [])),
        results=results.load(plain.get("results") or {}),
        journeys=_journeys(plain.get("journeys", [])),
        outlets=_outlets(plain.get("outlets", [])),
        versions=version.load_all(plain.get("versions", [])),
        loan=loan.load(plain["loan"]) if plain.get("loan") else loan.Loan(),
        printing=printing.load(plain.get("printing") or {}),
    )
