"""Encodings of the user's own. Not divided: file, checks and curves are one definition."""

from __future__ import annotations

import math
from typing import Any

import attrs
import numpy as np
from attrs import field, frozen

from sfumato.core import controls
from sfumato.core.arrays import Array, Rgb, as_rgb
from sfumato.core.colour import transfers as t
from sfumato.core.colour.adapt import D65, Xy, rgb_to_xyz
from sfumato.core.colour.encodings import Coder, Encoding, Family, encodings
from sfumato.core.controls import Choice, Number, Toggle, control
from sfumato.core.errors import DAMAGE, ValueRefused

VERSION = 1
LOG, LINEAR, GAMMA, DECODER = "Camera log", "Linear", "Gamma", "Decoder file"
OWN = "by numbers"
MOST_ENTRIES = 65536
_FAMILIES = {LOG: Family.LOG, LINEAR: Family.LINEAR, GAMMA: Family.DISPLAY}


def _named() -> dict[str, Encoding]:
    """Return one encoding that ships for each set of primaries and white, by the words for it."""
    known = encodings()
    return {
        "BT.709": known["Linear BT.709"],
        "BT.2020": known["Linear BT.2020"],
        "P3 at D65": known["Linear P3-D65"],
        "ACES AP0": known["ACES2065-1"],
        "ACES AP1": known["ACEScg"],
        "Tarn Wide": known["Tarn Log"],
    }


def _number(title: str, words: str, least: float, most: float, soft: tuple[float, float]) -> Number:
    return Number(title=title, least=least, most=most, help=words, step=0.001, digits=6, soft=soft)


@frozen
class LogCurve:
    """The seven parameters of a camera log curve as in CLF (SMPTE ST 2136-1, Log node)."""

    base: float = control(
        2.0, _number("Base", "Of the logarithm: 2, 10 or e.", 1.01, 1000, (2, 10))
    )
    lin_slope: float = control(
        1.0,
        _number(
            "Lin side slope", "Multiplies light before the logarithm is taken.", 1e-6, 1e6, (0, 20)
        ),
    )
    lin_offset: float = control(
        0.01,
        _number(
            "Lin side offset", "Added to light before the logarithm is taken.", -10, 10, (0, 0.5)
        ),
    )
    log_slope: float = control(
        0.1, _number("Log side slope", "Multiplies the logarithm.", 1e-4, 100, (0, 1))
    )
    log_offset: float = control(
        0.5,
        _number(
            "Log side offset", "Added to the logarithm: the code where it is 0.", -10, 10, (0, 1)
        ),
    )
    has_break: bool = control(
        True, Toggle(title="Straight line below a break", help="Most camera curves have one.")
    )
    lin_break: float = control(
        0.0,
        _number(
            "Lin side break", "The light below which the curve is a line.", -10, 10, (-0.05, 0.05)
        ),
    )
    own_slope: bool = control(
        False,
        Toggle(title="The line has a slope of its own", help="Else it goes on along the tangent."),
    )
    linear_slope: float = control(
        1.0, _number("Linear slope", "Code per light on the line.", 1e-6, 1e6, (0, 20))
    )

    @property
    def tangent(self) -> float:
        """The slope of the curve at its break, code per light."""
        inner = self.lin_slope * self.lin_break + self.lin_offset
        return self.log_slope * self.lin_slope / (math.log(self.base) * inner)

    def transfer(self, name: str) -> t.Transfer:
        """Return the curve.

        Raises:
            ValueRefused: the logarithm would be taken of a number that is not above zero.
        """
        if self.has_break and self.lin_slope * self.lin_break + self.lin_offset <= 0:
            raise ValueRefused(
                f"at the break ({self.lin_break:g}) the logarithm is taken of "
                f"{self.lin_slope * self.lin_break + self.lin_offset:g}",
                hint="raise the break or the lin side offset",
            )
        return t.camera_log(
            name,
            base=self.base,
            log_side_slope=self.log_slope,
            log_side_offset=self.log_offset,
            lin_side_slope=self.lin_slope,
            lin_side_offset=self.lin_offset,
            lin_side_break=self.lin_break if self.has_break else None,
            linear_slope=self.linear_slope if self.has_break and self.own_slope else None,
        )


@frozen
class PowerCurve:
    """A display's pure power."""

    gamma: float = control(
        2.4, Number(title="Gamma", least=0.1, most=10.0, help="Light = code to this power.")
    )


_NAMES = ("BT.709", "BT.2020", "P3 at D65", "ACES AP0", "ACES AP1", "Tarn Wide", OWN)


def _xy(title: str) -> Number:
    return Number(title=title, least=-1.0, most=2.0, step=0.0005, digits=5, soft=(0, 1))


@frozen
class Gamut:
    """Primaries and white: by name, or as chromaticities."""

    named: str = control(
        "BT.709", Choice(title="Primaries", options=_NAMES, help="Whose red, green and blue.")
    )
    red_x: float = control(0.64, _xy("Red x"))
    red_y: float = control(0.33, _xy("Red y"))
    green_x: float = control(0.30, _xy("Green x"))
    green_y: float = control(0.60, _xy("Green y"))
    blue_x: float = control(0.15, _xy("Blue x"))
    blue_y: float = control(0.06, _xy("Blue y"))
    white_x: float = control(D65[0], _xy("White x"))
    white_y: float = control(D65[1], _xy("White y"))

    def chosen(self) -> tuple[tuple[Xy, Xy, Xy], Xy]:
        """Return primaries and white.

        Raises:
            ValueRefused: the numbers make no triangle with the white inside.
        """
        if self.named != OWN:
            space = _named()[self.named]
            return space.primaries, space.white
        three = (
            (self.red_x, self.red_y),
            (self.green_x, self.green_y),
            (self.blue_x, self.blue_y),
        )
        white = (self.white_x, self.white_y)
        fault = ValueRefused(
            "these chromaticities make no triangle around the white", hint="check x and y of each"
        )
        if any(abs(y) < 1e-6 for _x, y in three) or white[1] < 1e-3:
            raise fault
        try:
            matrix = rgb_to_xyz(three, white)
        except np.linalg.LinAlgError:
            raise fault from None
        if not np.isfinite(matrix).all() or (matrix.sum(axis=0) <= 0).any():
            raise fault
        return three, white


@frozen
class Decoder:
    """A table from code to light, rising, each channel for itself, and a matrix after it."""

    values: Rgb = field(eq=attrs.cmp_using(eq=np.array_equal))  # (n, 3) light
    low: float = 0.0
    high: float = 1.0
    matrix: tuple[float, ...] = (1, 0, 0, 0, 1, 0, 0, 0, 1)
    display: bool = False  # whether the light is that of a display rather than of the scene
    file: str = ""

    def __attrs_post_init__(self) -> None:
        v = self.values
        if v.ndim != 2 or v.shape[1] != 3 or not 2 <= len(v) <= MOST_ENTRIES:
            raise ValueRefused(f"a decoder has 2 to {MOST_ENTRIES} entries of three numbers")
        if not np.isfinite(v).all() or not np.isfinite(self.matrix).all() or self.low >= self.high:
            raise ValueRefused("a decoder holds numbers that are not finite")
        if (np.diff(v, axis=0) < 0).any() or (v[-1] <= v[0]).any():
            raise ValueRefused(
                "the decoder does not rise from code to code, so it has no inverse",
                hint="choose a LUT that turns code values into light",
            )
        if len(self.matrix) != 9 or abs(np.linalg.det(self._matrix)) < 1e-9:
            raise ValueRefused("the matrix of the decoder cannot be undone")

    @property
    def _matrix(self) -> Array:
        return np.asarray(self.matrix, np.float64).reshape(3, 3)

    def coder(self) -> Coder:
        """Return both directions; beyond the table the curve goes on along its end slopes."""
        n = len(self.values)
        codes = np.linspace(self.low, self.high, n)
        columns = [_rising(codes, self.values[:, c].astype(np.float64)) for c in range(3)]
        there, back = self._matrix.T, np.linalg.inv(self._matrix).T

        def decode(code: Rgb) -> Rgb:
            light = np.stack([_follow(code[..., c], *columns[c]) for c in range(3)], axis=-1)
            return np.asarray(light @ there, np.float32)

        def encode(light: Rgb) -> Rgb:
            x = light.astype(np.float64) @ back
            code = [_follow(x[..., c], *columns[c][::-1]) for c in range(3)]
            return np.asarray(np.stack(code, axis=-1), np.float32)

        return Coder(decode, encode)


def _rising(x: Array, y: Array) -> tuple[Array, Array]:
    """Return the knots of a curve without those on which it stands still."""
    keep = np.concatenate([[True], np.diff(np.maximum.accumulate(y)) > 0])
    return x[keep], y[keep]


def _follow(at: Array, x: Array, y: Array) -> Array:
    """Interpolate, and go on along the end slopes beyond the knots."""
    inner = np.interp(at, x, y)
    first, last = (y[1] - y[0]) / (x[1] - x[0]), (y[-1] - y[-2]) / (x[-1] - x[-2])
    return np.asarray(inner + np.minimum(at - x[0], 0) * first + np.maximum(at - x[-1], 0) * last)


@frozen
class UserEncoding:
    """The definition of an encoding of the user's: it makes the encoding, and stands in files."""

    name: str = "My encoding"
    note: str = ""
    kind: str = LOG
    curve: LogCurve = LogCurve()
    power: PowerCurve = PowerCurve()
    gamut: Gamut = Gamut()
    decoder: Decoder | None = None

    def made(self) -> Encoding:
        """Return the encoding.

        Raises:
            ValueRefused: the numbers make no curve or no triangle; says which.
        """
        name = self.name.strip()
        if not name or len(name) > 60 or not name.isprintable():
            raise ValueRefused("an encoding has a name of 1 to 60 characters", hint="name it")
        primaries, white = self.gamut.chosen()
        coder, transfer = None, t.LINEAR
        family = _FAMILIES.get(self.kind, Family.LOG)
        if self.kind == LOG:
            transfer = self.curve.transfer(name)
        elif self.kind == GAMMA:
            transfer = t.power(name, self.power.gamma)
        elif self.kind == DECODER:
            if self.decoder is None:
                raise ValueRefused("no decoder is chosen", hint="choose a 1D LUT or a CLF file")
            coder = self.decoder.coder()
            family = Family.DISPLAY if self.decoder.display else Family.LOG
        elif self.kind != LINEAR:
            raise ValueRefused(f"there is no kind of encoding named {self.kind!r}")
        source = self.note or "defined by the user"
        return Encoding(
            name, name, family, transfer, primaries, white, source, coder=coder, definition=self
        )


@frozen
class CurveCheck:
    """One thing that was looked at: whether it is well, and in which words."""

    well: bool
    words: str


def checks(space: Encoding) -> tuple[CurveCheck, ...]:
    """Return what can be said of an encoding's curve: rising, invertible, where greys lie, its range."""
    code = np.linspace(-0.05, 1.05, 2201, dtype=np.float32)
    grey = np.repeat(code[:, None], 3, 1)
    with np.errstate(all="ignore"):
        light = space.decode(grey)
        back = space.encode(light)
        finite = bool(np.isfinite(light).all() and np.isfinite(back).all())
        steps = np.diff(light[:, 1].astype(np.float64))
        rising = finite and bool((steps >= 0).all() and steps.sum() > 0)
        off = float(np.abs(back - grey)[(code >= 0) & (code <= 1)].max()) if finite else np.inf
    out = [
        CurveCheck(
            rising,
            "rises everywhere" if rising else "does not rise everywhere: two codes mean one light",
        ),
        CurveCheck(
            off < 2e-4,
            f"code to light and back: off by {off:.1e}" if finite else "has values without end",
        ),
    ]
    bend = _bend(space)
    if bend is not None:
        well = bend < 0.02
        words = (
            "meets its line smoothly"
            if well
            else f"has a corner of {bend * 100:.0f} % at its break"
        )
        out.append(CurveCheck(well, words))
    for name, level in (("18 % grey", 0.18), ("90 % white", 0.9), ("black", 0.0)):
        at = float(space.encode(as_rgb([level] * 3))[1])
        out.append(
            CurveCheck(-0.01 <= at <= 1.01, f"{name} at {at:.4f} ({round(at * 1023)} of 1023)")
        )
    if space.family is not Family.DISPLAY:
        top = float(space.decode(as_rgb([1.0] * 3))[1])
        if np.isfinite(top) and top > 0:
            stops = np.log2(top / 0.18)
            out.append(CurveCheck(bool(stops > 1), f"code 1 is {stops:.1f} stops above 18 % grey"))
    return tuple(out)


def _bend(space: Encoding) -> float | None:
    """Return by how much the slope jumps at the break of a camera log curve; None without one."""
    curve = space.definition.curve if space.definition is not None else None
    if curve is None or space.definition.kind != LOG or not (curve.has_break and curve.own_slope):
        return None
    return float(abs(curve.linear_slope / curve.tangent - 1))


# --- plain data ----------------------------------------------------------------------------------
def dump(own: UserEncoding) -> dict[str, Any]:
    """Return the definition as plain data: numbers, lists and text."""
    plain: dict[str, Any] = {
        "sfumato_encoding": VERSION,
        "name": own.name,
        "note": own.note,
        "kind": own.kind,
        "primaries": controls.dump(own.gamut),
    }
    if own.kind == LOG:
        plain["curve"] = controls.dump(own.curve)
    elif own.kind == GAMMA:
        plain["gamma"] = own.power.gamma
    elif own.decoder is not None:
        d = own.decoder
        plain["decoder"] = {
            "low": d.low,
            "high": d.high,
            "matrix": list(d.matrix),
            "display": d.display,
            "file": d.file,
            "values": [[float(f"{v:.9g}") for v in row] for row in d.values.tolist()],
        }
    return plain


def load(plain: Any) -> UserEncoding:
    """Make a definition from plain data.

    Raises:
        ValueRefused: it is none, or a value in it is refused.
    """
    if not isinstance(plain, dict) or plain.get("sfumato_encoding") != VERSION:
        raise ValueRefused("this is no encoding of Sfumato's", hint="choose a .json file of one")
    try:
        decoder = None
        if plain.get("decoder") is not None:
            d = plain["decoder"]
            values = np.array(d["values"], np.float32)
            matrix = tuple(float(v) for v in d["matrix"])
            low, high = float(d["low"]), float(d["high"])
            decoder = Decoder(
                values, low, high, matrix, d.get("display") is True, str(d.get("file", ""))
            )
        own = UserEncoding(
            str(plain["name"]),
            str(plain.get("note", "")),
            str(plain.get("kind", LOG)),
            controls.load(LogCurve, plain.get("curve") or {}),
            controls.load(PowerCurve, {"gamma": plain.get("gamma", 2.4)}),
            controls.load(Gamut, plain.get("primaries") or {}),
            decoder,
        )
        own.made()
    except ValueRefused:
        raise
    except DAMAGE as error:
        raise ValueRefused(
            f"the encoding is damaged ({type(error).__name__} {error})"[:160]
        ) from error
    return own


def decoder_of(run: Any, size: int, low: float, high: float, file: str) -> Decoder:
    """Return a chain as a decoder: a curve for each channel and a matrix, as far as it is just that.

    Args:
        run: function float32 (..., 3) -> float32 (..., 3), code to light.
    Raises:
        ValueRefused: it mixes channels in a way that is no matrix, or does not rise.
    """
    code = np.linspace(low, high, size, dtype=np.float32)
    base = np.asarray(run(np.full((1, 3), low, np.float32)), np.float64)[0]
    curves, columns = [], []
    for c in range(3):
        only = np.full((size, 3), low, np.float32)
        only[:, c] = code
        out = np.asarray(run(only), np.float64) - base
        main = out[-1]
        scale = float(main @ main)
        if not np.isfinite(out).all() or scale == 0:
            raise ValueRefused("the file turns no code values into light", hint="choose another")
        curves.append(out @ main / scale)
        columns.append(main)
    matrix = np.stack(columns, axis=1)
    gains = np.linalg.solve(matrix, np.ones(3)) if abs(np.linalg.det(matrix)) > 1e-12 else None
    if gains is None or not np.isfinite(gains).all() or (np.abs(gains) < 1e-9).any():
        raise ValueRefused("the matrix in the file cannot be undone", hint="choose another file")
    matrix = matrix * gains
    offset = np.linalg.solve(matrix, base)
    values = np.stack(curves, axis=1) / gains + offset
    trial = np.random.default_rng(5).uniform(low, high, (400, 3)).astype(np.float32)
    each = np.stack([np.interp(trial[:, c], code, values[:, c]) for c in range(3)], axis=1)
    meant = np.asarray(run(trial), np.float64)
    if not np.allclose(each @ matrix.T, meant, rtol=2e-3, atol=2e-3 * np.abs(meant).max()):
        raise ValueRefused(
            "the file mixes channels in more than one matrix: a decoder is a curve for each channel, "
            "and a matrix after them",
            hint="use it as a LUT glaze instead",
        )
    if np.allclose(matrix, np.eye(3), atol=1e-6):
        matrix, values = np.eye(3), np.asarray(run(np.repeat(code[:, None], 3, 1)), np.float64)
    return Decoder(
        values.astype(np.float32), low, high, tuple(map(float, matrix.reshape(-1))), False, file
    )
