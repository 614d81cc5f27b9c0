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
from sfumato.core.glaze import glazes
from sfumato.core.lut.device import Device
from sfumato.core.path.laying import Laying
from sfumato.core.path.span import Joint, Span
from sfumato.core.study import journey, mask, results
from sfumato.core.study.coat import GROUP, Coat, UnknownGlaze, grouped, new_id
from sfumato.core.study.shot import Layer, Shot
from sfumato.core.study.study import Look, Study
from sfumato.core.study.view import View

VERSION = 1
_BROKEN_TEXT = re.compile("[\0\ud800-\udc7f\udd00-\udfff]")
_COAT_KEYS = {"glaze", "v", "id", "on", "strength", "name", "note", "laying", "members"}


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
        "look": {
            "name": study.look.name,
            "strength": study.look.strength,
            "coats": [dump_coat(c) for c in study.look.coats],
        },
        "shots": [
            {
                "id": s.id,
                "name": s.name,
                "path": s.path,
                "frame": s.frame,
                **({"range": [s.first, s.last]} if s.first or s.last is not None else {}),
                "encoding": s.encoding,
                **({"group": s.group} if s.group else {}),
                "ground": [dump_coat(c) for c in s.ground],
                **({} if s.mask.is_plain else {"mask": mask.dump(s.mask)}),
                **({"layers": [_dump_layer(e) for e in s.layers]} if s.layers else {}),
            }
            for s in study.shots
        ],
        **({"configs": list(study.configs)} if study.configs else {}),
        **({"results": results.dump(study.results)} if study.results != results.Results() else {}),
        **({"journeys": [journey.dump(j) for j in study.journeys]} if study.journeys else {}),
        **({"encodings": [user_encoding.dump(e) for e in own]} if own else {}),
    }


def used_encodings(study: Study) -> list[UserEncoding]:
    """Return the definitions of the user's own encodings that a study refers to: they travel with it."""
    names = {study.working, study.view.encoding, study.span.entry, study.span.leave}
    names |= {study.results.made_for, *(s.encoding or "" for s in study.shots)}
    names |= {end for j in study.journeys for end in (j.encoding, j.profile)}
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


def dump_coat(coat: Coat) -> dict[str, Any]:
    head: dict[str, Any] = {
        "id": coat.id,
        "on": coat.on,
        "strength": coat.strength,
        "name": coat.name,
    }
    if isinstance(coat.parameters, UnknownGlaze):
        return {**coat.parameters.plain, **head}
    if coat.note:
        head["note"] = coat.note
    if coat.laying != Laying():
        head["laying"] = controls.dump(coat.laying)
    if coat.is_group:
        return {"glaze": GROUP, "v": 1, **head, "members": [dump_coat(m) for m in coat.members]}
    spec = glazes()[coat.key]
    return {"glaze": coat.key, "v": spec.version, **head, **controls.dump(coat.parameters)}


def load_coat(plain: dict[str, Any]) -> Coat:
    key = plain["glaze"]
    if not isinstance(key, str) or not key:
        raise ValueRefused("a glaze has no name")
    head: dict[str, Any] = {
        "id": str(plain.get("id") or new_id()),
        "on": bool(plain.get("on", True)),
        "strength": share(plain.get("strength", 1.0), "the Strength of a glaze"),
        "name": str(plain.get("name", "")),
        "note": str(plain.get("note", ""))[:4000],
    }
    if key == GROUP:
        members = plain.get("members", [])
        inside = grouped(tuple(load_coat(m) for m in members if m.get("glaze") != GROUP))
        if len(inside.members) != len(members):
            raise ValueRefused("a group holds a group")
        laying = controls.load(Laying, plain.get("laying") or {})
        return attrs.evolve(inside, laying=laying, **head)
    spec = glazes().get(key)
    version = int(plain.get("v", 1))
    if spec is None or version > spec.version:
        return Coat(key, UnknownGlaze(dict(plain)), **head)
    head["laying"] = controls.load(Laying, plain.get("laying") or {})
    values = {k: v for k, v in plain.items() if k not in _COAT_KEYS}
    for step in range(version, spec.version):
        values = spec.upgrades[step](values)
    return Coat(key, controls.load(spec.record, values), **head)


def _range(value: Any) -> dict[str, Any]:
    """Return the frames of a clip that belong to a shot, as fields of Shot."""
    if value is None:
        return {}
    first, last = value
    last = None if last is None else int(last)
    if int(first) < 0 or (last is not None and last < int(first)):
        raise ValueRefused(f"the frames {value!r} of a shot run backwards")
    return {"first": int(first), "last": last}


def _number(value: Any, least: float, most: float, what: str) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not least <= value <= most:
        raise ValueRefused(f"{what} is {value!r}, outside {least:g} to {most:g}")
    return float(value)


def share(value: Any, what: str) -> float:
    """Return a Strength, 0 to 2.

    Raises:
        ValueRefused: it is none.
    """
    return _number(value, 0.0, 2.0, what)


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


def _study(plain: dict[str, Any]) -> Study:
    look = plain["look"]
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
        look=Look(
            str(look["name"]),
            tuple(load_coat(c) for c in look["coats"]),
            share(look.get("strength", 1.0), "the Strength of the Look"),
        ),
        working=encoding(plain["working"]).name,
        view=controls.load(View, plain["view"]),
        span=Span(Joint(start), Joint(end), *ends),
        grid=int(_number(plain.get("grid", 33), 2, 129, "the grid")),
        fit=plain.get("fit", False) is True,
        device=controls.load(Device, plain.get("target") or {}),
        configs=tuple(str(c) for c in plain.get("configs", [])),
        results=results.load(plain.get("results") or {}),
        journeys=_journeys(plain.get("journeys", [])),
    )
