"""The kinds of control a panel can offer. Not divided: a list of small kinds, each complete.

Each checks, dumps and loads the values of its field.

A field is declared `amount: float = control(0.0, Number(...))`: an attrs field whose validator is
`kind.check` and whose metadata holds the kind. Panels, study files, the command line, help and
tests are derived from these.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import Any

import attrs
from attrs import field, frozen

from sfumato.core.errors import ValueRefused


@frozen(kw_only=True)
class Kind:
    """What all kinds share: the `title` on the panel and one sentence of `help` on its effect."""

    title: str
    help: str = ""

    def check(self, _owner: Any, field: Any, value: Any) -> None:
        raise NotImplementedError  # pragma: no cover

    def dump(self, value: Any) -> Any:
        return value

    def load(self, plain: Any) -> Any:
        return plain


def _finite(field: Any, title: str, value: Any, least: float, most: float) -> None:
    if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
        raise ValueRefused(f"{title} ({field.name}) takes a number, not {value!r}")
    if not least <= value <= most:
        raise ValueRefused(
            f"{title} ({field.name}) is {value:g}, outside {least:g} to {most:g}",
            hint=f"choose a value from {least:g} to {most:g}",
        )


@frozen(kw_only=True)
class Number(Kind):
    """One number from `least` to `most` (`soft` on the slider); a `whole` one counts something."""

    least: float
    most: float
    step: float = 0.01
    digits: int = 2
    unit: str = ""
    signed: bool = False
    soft: tuple[float, float] | None = None
    whole: bool = False

    def check(self, _owner: Any, field: Any, value: Any) -> None:
        _finite(field, self.title, value, self.least, self.most)

    def load(self, plain: Any) -> Any:
        if self.whole and isinstance(plain, float) and not plain.is_integer():
            raise ValueRefused(f"{self.title} takes a whole number, not {plain!r}")
        return float(plain) if isinstance(plain, int) and not isinstance(plain, bool) else plain


def counted(title: str, least: float, most: float, help: str, unit: str = "") -> Number:
    """Return the kind of a number of things: whole, in steps of one."""
    return Number(
        title=title, least=least, most=most, step=1, digits=0, whole=True, unit=unit, help=help
    )


@frozen(kw_only=True)
class Triple(Kind):
    """Three numbers, for red, green and blue."""

    least: float
    most: float
    step: float = 0.001
    digits: int = 3
    signed: bool = False

    def check(self, _owner: Any, field: Any, value: Any) -> None:
        if not isinstance(value, tuple) or len(value) != 3:
            raise ValueRefused(f"{self.title} ({field.name}) takes three numbers, not {value!r}")
        for each in value:
            _finite(field, self.title, each, self.least, self.most)

    def dump(self, value: Any) -> Any:
        return list(value)

    def load(self, plain: Any) -> Any:
        return tuple(plain) if isinstance(plain, list) else plain


@frozen(kw_only=True)
class Pad(Kind):
    """Three numbers, for red, green and blue, set as a level and a colour direction on a chroma pad.

    `span` is how far a channel departs from the level at the edge of the pad; all Pad fields of a
    glaze share one set of pads.
    """

    least: float
    most: float
    span: float
    step: float = 0.005
    digits: int = 3
    signed: bool = False
    check = Triple.check
    dump = Triple.dump
    load = Triple.load


@frozen(kw_only=True)
class LevelSet(Kind):
    """Five numbers: black in, gamma, white in, black out, white out; `pigment` names the channel.

    All LevelSet fields of a glaze share one field on the panel, a tab each.
    """

    pigment: str = "neutral"
    dump = Triple.dump
    load = Triple.load

    def check(self, _owner: Any, field: Any, value: Any) -> None:
        if not isinstance(value, tuple) or len(value) != len(LEVELS):
            raise ValueRefused(f"{self.title} ({field.name}) takes five numbers, not {value!r}")
        for each, part in zip(value, LEVELS, strict=True):
            _finite(field, f"{self.title}, {part.title.lower()}", each, part.least, part.most)


@frozen(kw_only=True)
class Toggle(Kind):
    """Yes or no."""

    def check(self, _owner: Any, field: Any, value: Any) -> None:
        if not isinstance(value, bool):
            raise ValueRefused(f"{self.title} ({field.name}) takes true or false, not {value!r}")


@frozen(kw_only=True)
class Choice(Kind):
    """One of several words: a fixed row, or what a function lists when it is asked."""

    listed: tuple[str, ...] | Callable[[], tuple[str, ...]] = field(alias="options")

    @property
    def options(self) -> tuple[str, ...]:
        return self.listed() if callable(self.listed) else self.listed

    def check(self, _owner: Any, field: Any, value: Any) -> None:
        if value not in self.options:
            raise ValueRefused(
                f"{self.title} ({field.name}) does not know {value!r}",
                hint=f"choose one of {', '.join(self.options)}",
            )


@frozen(kw_only=True)
class Text(Kind):
    """A line of words, of at most `longest` characters; `usual` stands there while it is empty."""

    longest: int = 200
    usual: str = ""

    def check(self, _owner: Any, field: Any, value: Any) -> None:
        if not isinstance(value, str) or len(value) > self.longest:
            raise ValueRefused(
                f"{self.title} ({field.name}) takes up to {self.longest} characters",
                hint="write it shorter",
            )


Points = tuple[tuple[float, float], ...]
STRAIGHT: Points = ((0.0, 0.0), (1.0, 1.0))


def _dump_points(_kind: Kind, value: Any) -> Any:
    """Return points as lists, as they stand in files."""
    return [list(p) for p in value]


def _load_points(_kind: Kind, plain: Any) -> Any:
    """Return points as tuples; what is no list of points is left for `check` to refuse."""
    if not isinstance(plain, list):
        return plain
    return tuple(
        tuple(float(c) if isinstance(c, int) else c for c in p) if isinstance(p, list) else p
        for p in plain
    )


@frozen(kw_only=True)
class Curve(Kind):
    """A curve through 2 to 64 points (in, out), in rising order; `pigment` names its colour.

    All Curve fields of a glaze share one curve field on the panel, a tab each.
    """

    pigment: str = "neutral"
    dump = _dump_points
    load = _load_points

    def check(self, _owner: Any, field: Any, value: Any) -> None:
        if not isinstance(value, tuple) or not 2 <= len(value) <= 64:
            raise ValueRefused(f"{self.title} ({field.name}) takes 2 to 64 points")
        for point in value:
            if not isinstance(point, tuple) or len(point) != 2:
                raise ValueRefused(f"{self.title} ({field.name}): a point is two numbers")
            _finite(field, self.title, point[0], -4.0, 64.0)
            _finite(field, self.title, point[1], -4.0, 64.0)
        if any(b[0] - a[0] < 1e-4 for a, b in zip(value, value[1:], strict=False)):
            raise ValueRefused(
                f"{self.title} ({field.name}): points must rise by at least 0.0001 from left to right"
            )


HuePoints = tuple[tuple[float, float], ...]


@frozen(kw_only=True)
class HueCurve(Kind):
    """A curve round the hues: up to 24 points (hue in degrees, value -1..1); none is a straight 0.

    `scale` and `unit` say what a value of 1 means. All HueCurve fields of a glaze share one table.
    """

    unit: str = ""
    scale: float = 1.0
    dump = _dump_points
    load = _load_points

    def check(self, _owner: Any, field: Any, value: Any) -> None:
        if not isinstance(value, tuple) or len(value) > 24:
            raise ValueRefused(f"{self.title} ({field.name}) takes up to 24 points")
        for point in value:
            if not isinstance(point, tuple) or len(point) != 2:
                raise ValueRefused(f"{self.title} ({field.name}): a point is two numbers")
            _finite(field, self.title, point[0], 0.0, 360.0)
            _finite(field, self.title, point[1], -1.0, 1.0)
        if any(b[0] - a[0] < 0.5 for a, b in zip(value, value[1:], strict=False)) or (
            len(value) > 1 and value[0][0] + 360 - value[-1][0] < 0.5
        ):
            raise ValueRefused(
                f"{self.title} ({field.name}): points must lie at least half a degree apart"
            )


Stop = tuple[float, float, float, float]
Stops = tuple[Stop, ...]


@frozen(kw_only=True)
class Ramp(Kind):
    """Up to 12 tint stops in rising order of tone: (tone, hue in degrees, Oklab chroma, width)."""

    dump = _dump_points
    load = _load_points

    def check(self, _owner: Any, field: Any, value: Any) -> None:
        if not isinstance(value, tuple) or len(value) > MOST_STOPS:
            raise ValueRefused(f"{self.title} ({field.name}) takes up to {MOST_STOPS} stops")
        for stop in value:
            if not isinstance(stop, tuple) or len(stop) != len(STOP):
                raise ValueRefused(f"{self.title} ({field.name}): a stop is four numbers")
            for each, part in zip(stop, STOP, strict=True):
                _finite(field, f"{self.title}, {part.title.lower()}", each, part.least, part.most)
        if any(b[0] - a[0] < STOP_GAP - 1e-9 for a, b in zip(value, value[1:], strict=False)):
            raise ValueRefused(
                f"{self.title} ({field.name}): stops must rise by at least {STOP_GAP} in tone"
            )


Lab = tuple[float, float, float]


@frozen
class Pair:
    """A picked colour and the colour it should become, in Oklab of working light (L, a, b).

    `reach` is the distance in a and b, `depth` the distance in L, at which half of the move is left.
    """

    source: Lab
    target: Lab
    reach: float = 0.08
    depth: float = 0.4
    keep: bool = True  # keep the lightness of the source

    @property
    def goal(self) -> Lab:
        """Where the source is to go."""
        return (self.source[0], *self.target[1:]) if self.keep else self.target


@frozen(kw_only=True)
class Pairs(Kind):
    """Up to 16 pairs of colours."""

    def check(self, _owner: Any, field: Any, value: Any) -> None:
        if not isinstance(value, tuple) or len(value) > MOST_PAIRS:
            raise ValueRefused(f"{self.title} ({field.name}) takes up to {MOST_PAIRS} pairs")
        for pair in value:
            if not isinstance(pair, Pair) or not isinstance(pair.keep, bool):
                raise ValueRefused(f"{self.title} ({field.name}) takes pairs, not {pair!r}")
            for place in (pair.source, pair.target):
                if not isinstance(place, tuple) or len(place) != 3:
                    raise ValueRefused(f"{self.title} ({field.name}): a colour is three numbers")
                for each in place:
                    _finite(field, self.title, each, -8.0, 8.0)
            for part in (REACH, DEPTH):
                size = pair.reach if part is REACH else pair.depth
                _finite(field, f"{self.title}, {part.title.lower()}", size, part.least, part.most)

    def dump(self, value: Any) -> Any:
        return [attrs.asdict(p, value_serializer=lambda _i, _f, v: v) for p in value]

    def load(self, plain: Any) -> Any:
        if not isinstance(plain, list):
            return plain

        def one(plain_pair: Any) -> Pair:
            items = plain_pair.items()
            values: Any = {k: tuple(v) if isinstance(v, list) else v for k, v in items}
            return Pair(**values)

        try:
            return tuple(one(p) for p in plain)
        except (TypeError, AttributeError):
            return plain


@frozen
class LutFile:
    """A LUT file as a value: its path, its chain once it was read, and a stamp of its contents.

    `transform` is None while nothing was chosen or the file could not be read.
    """

    path: str = ""
    transform: Any = attrs.field(default=None, eq=False, repr=False)
    stamp: str = ""

    @property
    def is_missing(self) -> bool:
        return bool(self.path) and self.transform is None


@frozen(kw_only=True)
class File(Kind):
    """A LUT file; study files hold its path."""

    def check(self, _owner: Any, field: Any, value: Any) -> None:
        if not isinstance(value, LutFile):
            raise ValueRefused(f"{self.title} ({field.name}) takes a LUT file, not {value!r}")

    def dump(self, value: Any) -> Any:
        return value.path

    def load(self, plain: Any) -> Any:
        return LutFile(plain) if isinstance(plain, str) else plain


def control(default: Any, kind: Kind) -> Any:
    """Declare a field of a record: its default and its kind; what counts something stays whole."""
    whole = isinstance(kind, Number) and kind.whole
    return attrs.field(
        default=default,
        validator=kind.check,
        converter=_whole if whole else None,
        metadata={"kind": kind},
    )


def _whole(value: Any) -> Any:
    """Return a number as a whole one: a fine drag passes between two. What is none is left to be refused."""
    return round(value) if isinstance(value, float) and math.isfinite(value) else value


def kinds(record: Any) -> dict[str, Kind]:
    """Return the controls of a record or record class, by field name, in panel order."""
    cls = record if isinstance(record, type) else type(record)
    return {f.name: f.metadata["kind"] for f in attrs.fields(cls) if "kind" in f.metadata}


def dump(record: Any) -> dict[str, Any]:
    """Return a record as plain data for a file."""
    return {name: kind.dump(getattr(record, name)) for name, kind in kinds(record).items()}


def load(cls: type, plain: dict[str, Any]) -> Any:
    """Make a record from plain data; fields that are missing take their defaults.

    Raises:
        ValueRefused: a field is unknown or its value is outside its control.
    """
    table = kinds(cls)
    unknown: Sequence[str] = sorted(set(plain) - set(table))
    if unknown:
        raise ValueRefused(f"{cls.__name__} has no control named {unknown[0]!r}")
    return cls(**{name: table[name].load(value) for name, value in plain.items()})


# The numbers inside a level set, a tint stop and a pair, as their panels offer them.
LEVELS = (
    Number(
        title="Black in",
        least=-0.5,
        most=0.95,
        digits=3,
        step=0.005,
        signed=True,
        soft=(-0.1, 0.5),
        help="The tone that becomes black.",
    ),
    Number(
        title="Middle",
        least=0.1,
        most=10.0,
        soft=(0.3, 3.0),
        help="Gamma between black and white: above 1 is brighter.",
    ),
    Number(
        title="White in",
        least=0.05,
        most=2.0,
        digits=3,
        step=0.005,
        soft=(0.5, 1.2),
        help="The tone that becomes white.",
    ),
    Number(
        title="Black out",
        least=-0.5,
        most=1.0,
        digits=3,
        step=0.005,
        signed=True,
        soft=(0.0, 0.5),
        help="What black becomes: above 0 fades it.",
    ),
    Number(
        title="White out",
        least=0.0,
        most=2.0,
        digits=3,
        step=0.005,
        soft=(0.5, 1.0),
        help="What white becomes: below 1 dulls it.",
    ),
)
STRAIGHT_LEVELS = (0.0, 1.0, 1.0, 0.0, 1.0)
MOST_STOPS, STOP_GAP, MOST_PAIRS = 12, 0.01, 16
STOP = (
    Number(
        title="Tone",
        least=0.0,
        most=1.0,
        digits=3,
        step=0.005,
        help="The luma, in code values, at which the tint is at its fullest.",
    ),
    Number(
        title="Hue",
        least=0.0,
        most=360.0,
        digits=0,
        step=1,
        unit="°",
        help="The hue of the tint in Oklab: red is near 30, yellow 110, green 140, blue 265.",
    ),
    Number(
        title="Chroma",
        least=0.0,
        most=0.2,
        soft=(0.0, 0.06),
        digits=3,
        step=0.001,
        help="How strong the tint is, as Oklab chroma that is added.",
    ),
    Number(
        title="Width",
        least=0.02,
        most=1.0,
        digits=2,
        step=0.01,
        help="The share of the tones that take the tint fully, before it passes to its neighbours.",
    ),
)
REACH = Number(
    title="Reach",
    least=0.01,
    most=0.5,
    digits=3,
    step=0.002,
    help="How far round the picked colour the nudge acts: at this distance in a and b, half of it.",
)
DEPTH = Number(
    title="Tones",
    least=0.02,
    most=4.0,
    digits=2,
    step=0.02,
    soft=(0.02, 1.0),
    help="How far into lighter and darker colours it acts: at this distance in lightness, half of it.",
)
