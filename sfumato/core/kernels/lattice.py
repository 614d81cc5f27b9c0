"""Interpolation in a packed 3D lattice: tetrahedral and trilinear, float32, uint8 and uint16 pixels.

A packed lattice is float32 (n**3 * 4,): four floats a node (R, G, B, 0), red fastest, blue slowest.

The loops are written here as text of LLVM's assembly language, for 32 pixels at a time, and compiled by it:
lattice coordinates, node numbers (in float32: below 2**24 they are exact) and weights of all in vectors,
then the four floats of the nodes of each, last the rounding. What a compiler makes of the same loops took
1.1 to 1.3 times as long, and seconds to compile; this takes a second once, and is kept.

Comparisons take their second operand for NaN, which so becomes 0.
"""

from __future__ import annotations

import contextlib
import ctypes
import hashlib
import os
import tempfile
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

import llvmlite.binding as llvm
import numpy as np

from sfumato.core.arrays import Array

_LANES = 32  # pixels side by side; with 16 it takes 1.2 times as long
_BLOCKS = 8  # of so many pixels, whose floats wait to be rounded together
_KINDS = {"float32": ("float", 0), "uint8": ("i8", 255), "uint16": ("i16", 65535)}
_PAIRS = (("float32", "float32"), ("float32", "uint8"), ("uint8", "uint8"), ("uint16", "uint16"))
_FAST = "nsz arcp contract"  # NaN and infinity keep their rules


def _vector(kind: str, lanes: int = _LANES) -> str:
    return f"<{lanes} x {kind}>"


_F, _I, _FOUR = _vector("float"), _vector("i32"), _vector("float", 4)


def _all(value: float | int, kind: str = "float") -> str:
    """Return a vector of one constant."""
    return f"<{', '.join([f'{kind} {value}'] * _LANES)}>"


class _Code:
    """The lines of a function; each step is named, and its name returned."""

    def __init__(self) -> None:
        self.lines: list[str] = []

    def say(self, line: str) -> None:
        self.lines.append(line)

    def __call__(self, step: str) -> str:
        name = f"%v{len(self.lines)}"
        self.say(f"{name} = {step}")
        return name

    def op(self, name: str, a: str, b: str, kind: str = _F) -> str:
        return self(f"{name} {_FAST} {kind} {a}, {b}")

    def compared(self, how: str, a: str, b: str) -> str:
        return self(f"fcmp {_FAST} {how} {_F} {a}, {b}")

    def chosen(self, where: str, a: str, b: str) -> str:
        return self(f"select {_vector('i1')} {where}, {_F} {a}, {_F} {b}")

    def lower(self, a: str, b: str) -> str:
        return self.chosen(self.compared("olt", a, b), a, b)

    def higher(self, a: str, b: str) -> str:
        return self.chosen(self.compared("ogt", a, b), a, b)

    def spread(self, value: str, lanes: int = _LANES) -> str:
        """Return a vector of one number."""
        kind = _vector("float", lanes)
        one = self(f"insertelement {kind} poison, float {value}, i64 0")
        order = f"<{lanes} x i32> zeroinitializer"
        return self(f"shufflevector {kind} {one}, {kind} poison, {order}")

    def place(self, kind: str, start: str, index: str | int) -> str:
        return self(f"getelementptr {kind}, ptr {start}, i64 {index}")

    def load(self, kind: str, start: str, index: str | int, align: int) -> str:
        return self(f"load {kind}, ptr {self.place(_element(kind), start, index)}, align {align}")

    def store(self, kind: str, value: str, start: str, index: str | int, align: int) -> None:
        where = self.place(_element(kind), start, index)
        self.say(f"store {kind} {value}, ptr {where}, align {align}")

    def whole(self, a: str, op: str, b: str | int) -> str:
        """Return a step with two 64-bit integers."""
        return self(f"{op} i64 {a}, {b}")


def _element(kind: str) -> str:
    return kind.rstrip(">").rpartition(" ")[2]


def _name(source: str, target: str, tetrahedral: bool) -> str:
    return f"{source}_{target}_{'tetrahedral' if tetrahedral else 'trilinear'}"


def _function(source: str, target: str, tetrahedral: bool) -> str:
    """Return the code of one pair of types and one interpolation.

    It takes `blocks` times 32 pixels from `in` to `out`. Floats are written four a pixel, of which the
    fourth is overwritten by the next pixel: behind the last one there has to be room for one more.
    `map` holds the scale and the shift of each channel.
    """
    kind, peak = _KINDS[target]
    c = _Code()
    c.say(f"define void @{_name(source, target, tetrahedral)}(ptr noalias readonly %in,")
    c.say("ptr noalias %out, ptr noalias readonly %lattice, i64 %blocks, i64 %n,")
    c.say("ptr noalias readonly %map) #0 {\nentry:")
    c.say(f"%nodes = alloca [{3 * _LANES} x i32], align 64")
    c.say(f"%weights = alloca [{8 * _LANES} x float], align 64")
    c.say(f"%mixed = alloca [{3 * _LANES * _BLOCKS + 1} x float], align 64")
    size = c("sitofp i64 %n to float")
    top, last = (c.spread(c(f"fsub float {size}, {less}")) for less in ("1.0", "2.0"))
    green, blue = c.spread(size), c.spread(c(f"fmul float {size}, {size}"))
    numbers = [c.spread(c.load("float", "%map", k, 4)) for k in range(6)]
    maps = list(zip(numbers[:3], numbers[3:], strict=True))
    row = c.whole("%n", "shl", 2)  # floats from one node to the next of green, and of blue
    plane = c.whole(row, "mul", "%n")
    steps = (row, plane, c.whole(row, "add", plane))
    starts = ["%lattice", *(c.place("float", "%lattice", step) for step in steps)]
    is_empty = c("icmp eq i64 %blocks, 0")
    c.say(f"br i1 {is_empty}, label %done, label %block")
    c.say(f"block:\n%b = phi i64 [ 0, %entry ], [ %next, {'%after' if peak else '%block'} ]")
    first = c.whole("%b", "mul", 3 * _LANES)
    at = [
        _coordinate(c, v, scale, shift, top)
        for v, (scale, shift) in zip(_channels(c, source, first), maps, strict=True)
    ]
    cells = [c.lower(c(f"call {_F} @llvm.floor.v{_LANES}f32({_F} {v})"), last) for v in at]
    rgb = [c.op("fsub", v, cell) for v, cell in zip(at, cells, strict=True)]
    up = c.op("fadd", c.op("fmul", cells[1], green), c.op("fmul", cells[2], blue))
    base = c.op("fadd", cells[0], up)
    if tetrahedral:
        _tetrahedra(c, base, rgb, green, blue)
    else:
        _cells(c, base, rgb)
    if peak:
        waiting = c.whole("%b", "and", _BLOCKS - 1)
        into = c.place("float", "%mixed", c.whole(waiting, "mul", 3 * _LANES))
    else:
        into = c.place("float", "%out", first)
    for pixel in range(_LANES):
        places = _corners(c, pixel, starts, tetrahedral)
        c.store(_FOUR, _mixed(c, pixel, places), into, 3 * pixel, 4)
    c.say("%next = add i64 %b, 1\n%ends = icmp eq i64 %next, %blocks")
    if peak:
        is_full = c(f"icmp eq i64 {waiting}, {_BLOCKS - 1}")
        rounds = c(f"or i1 {is_full}, %ends")
        c.say(f"br i1 {rounds}, label %round, label %after\nround:")
        start = c.whole("%b", "sub", waiting)
        c.say("br label %one\none:\n%j = phi i64 [ 0, %round ], [ %k, %one ]")
        _rounded(c, kind, peak, start)
        c.say(f"%k = add i64 %j, 1\n%last = icmp ugt i64 %k, {waiting}")
        c.say("br i1 %last, label %after, label %one\nafter:")
    c.say("br i1 %ends, label %done, label %block\ndone:\nret void\n}")
    return "\n".join(c.lines)


def _channels(c: _Code, source: str, first: str) -> list[str]:
    """Load pixels as three vectors of floats: red, green and blue."""
    kind, _peak = _KINDS[source]
    start = c.place(kind, "%in", first)
    thirds = []
    for third in range(3):
        v = c.load(_vector(kind), start, third * _LANES, 1)
        if kind != "float":
            v = c(f"sitofp {_I} {c(f'zext {_vector(kind)} {v} to {_I}')} to {_F}")
        thirds.append(v)
    double = _vector("float", 2 * _LANES)
    order = f"<{2 * _LANES} x i32> <{', '.join(f'i32 {k}' for k in range(2 * _LANES))}>"
    a = c(f"shufflevector {_F} {thirds[0]}, {_F} {thirds[1]}, {order}")
    b = c(f"shufflevector {_F} {thirds[2]}, {_F} poison, {order}")
    found = []
    for channel in range(3):
        order = ", ".join(f"i32 {3 * k + channel}" for k in range(_LANES))
        found.append(c(f"shufflevector {double} {a}, {double} {b}, {_vector('i32')} <{order}>"))
    return found


def _coordinate(c: _Code, value: str, scale: str, shift: str, top: str) -> str:
    """Turn pixel values into lattice coordinates, 0..n-1."""
    moved = c.op("fadd", c.op("fmul", value, scale), shift)
    return c.lower(c.higher(moved, "zeroinitializer"), top)


def _keep_nodes(c: _Code, number: int, nodes: str) -> None:
    """Keep where nodes lie in the lattice, counted in floats; times four is exact in float32."""
    place = c(f"fptosi {_F} {c.op('fmul', nodes, _all(4.0))} to {_I}")
    c.store(_I, place, "%nodes", number * _LANES, 64)


def _keep_weights(c: _Code, number: int, weights: str) -> None:
    c.store(_F, weights, "%weights", number * _LANES, 64)


def _tetrahedra(c: _Code, base: str, rgb: list[str], green: str, blue: str) -> None:
    """Find the tetrahedron: its corners are the cell's nearest and farthest, and two between.

    The first step goes along the axis of the largest coordinate, the last one along that of the smallest.
    """
    r, g, b = rgb
    one = _all(1.0)
    green_first = c.compared("olt", r, g)
    low, high = c.chosen(green_first, r, g), c.chosen(green_first, g, r)
    blue_first = c.compared("olt", high, b)
    most, rest = c.chosen(blue_first, b, high), c.chosen(blue_first, high, b)
    least, middle = c.lower(low, b), c.higher(low, rest)
    first = c.chosen(blue_first, blue, c.chosen(green_first, green, one))
    green_last, blue_last = c.compared("ole", g, r), c.compared("ole", b, low)
    last = c.chosen(blue_last, blue, c.chosen(green_last, green, one))
    end = c.op("fadd", base, c.op("fadd", c.op("fadd", green, blue), one))
    # The fourth lies one step of each colour from the first.
    nodes = base, c.op("fadd", base, first), c.op("fsub", end, last)
    for k, v in enumerate(nodes):
        _keep_nodes(c, k, v)
    for k, (a, b) in enumerate(((one, most), (most, middle), (middle, least))):
        _keep_weights(c, k, c.op("fsub", a, b))
    _keep_weights(c, 3, least)


def _cells(c: _Code, base: str, rgb: list[str]) -> None:
    """Find the weights of the eight corners of the cell."""
    _keep_nodes(c, 0, base)
    rests = [c.op("fsub", _all(1.0), v) for v in rgb]
    for corner in range(8):
        r, g, b = (rgb[k] if corner >> k & 1 else rests[k] for k in range(3))
        _keep_weights(c, corner, c.op("fmul", c.op("fmul", r, g), b))


def _corners(c: _Code, pixel: int, starts: list[str], tetrahedral: bool) -> list[tuple[str, str]]:
    """Return where the nodes of a pixel lie: from which start, and how many floats behind it.

    `starts` are the lattice itself, and one step of green, of blue, and of both further.
    """

    def kept(number: int) -> str:
        place = c.load("i32", "%nodes", number * _LANES + pixel, 4)
        return c(f"zext i32 {place} to i64")

    base = kept(0)
    after = c.whole(base, "add", 4)  # the next node of red
    if tetrahedral:
        between = [(starts[0], kept(number)) for number in (1, 2)]
        return [(starts[0], base), *between, (starts[3], after)]
    return [(start, place) for start in starts for place in (base, after)]


def _mixed(c: _Code, pixel: int, places: list[tuple[str, str]]) -> str:
    """Return the four floats of a pixel: its nodes by their weights."""
    total = ""
    for number, (start, place) in enumerate(places):
        node = c.load(_FOUR, start, place, 4)
        weight = c.spread(c.load("float", "%weights", number * _LANES + pixel, 4), 4)
        part = c.op("fmul", node, weight, _FOUR)
        total = c.op("fadd", total, part, _FOUR) if total else part
    return total


def _rounded(c: _Code, kind: str, peak: int, start: str) -> None:
    """Write the codes of block %j of those that wait; clamped as integers."""
    block = c.place("float", "%mixed", c.whole("%j", "mul", 3 * _LANES))
    first = c.whole(c.whole(start, "add", "%j"), "mul", 3 * _LANES)
    into = c.place(kind, "%out", first)
    limits = (("smax", "zeroinitializer"), ("smin", _all(peak, "i32")))
    for third in range(3):
        v = c.op("fmul", c.load(_F, block, third * _LANES, 4), _all(float(peak)))
        code = c(f"fptosi {_F} {c.op('fadd', v, _all(0.5))} to {_I}")
        for how, limit in limits:
            code = c(f"call {_I} @llvm.{how}.v{_LANES}i32({_I} {code}, {_I} {limit})")
        code = c(f"trunc {_I} {code} to {_vector(kind)}")
        c.store(_vector(kind), code, into, third * _LANES, 1)


def _source() -> str:
    """Return the code of all flavours."""
    head = [f"declare {_F} @llvm.floor.v{_LANES}f32({_F})"]
    head += [f"declare {_I} @llvm.{how}.v{_LANES}i32({_I}, {_I})" for how in ("smax", "smin")]
    wide = '"prefer-vector-width"="512" "min-legal-vector-width"="512"'
    functions = [_function(*pair, how) for pair in _PAIRS for how in (True, False)]
    return "\n".join([*head, f"attributes #0 = {{ nounwind {wide} }}", *functions])


class _Compiled:
    """The functions in this process: compiled, or as they were kept for this processor."""

    def __init__(self) -> None:
        llvm.initialize_native_target()
        llvm.initialize_native_asmprinter()
        processor, features = llvm.get_host_cpu_name(), llvm.get_host_cpu_features().flatten()
        self._machine = llvm.Target.from_default_triple().create_target_machine(
            cpu=processor, features=features, opt=2, jit=True
        )
        self._engine = llvm.create_mcjit_compiler(llvm.parse_assembly(""), self._machine)
        place = os.environ.get("NUMBA_CACHE_DIR", "")  # where kernels are kept, if anywhere
        own = Path(__file__).read_bytes()
        mark = own + f"{processor}{features}{llvm.llvm_version_info}".encode()
        file = Path(place) / f"lattice-{hashlib.sha256(mark).hexdigest()[:24]}.o"
        code = _kept(file) if place else None
        if code is None:
            module = llvm.parse_assembly(_source())
            module.verify()
            code = self._machine.emit_object(module)
            if place:
                _keep(file, code)
        self._engine.add_object_file(llvm.ObjectFileRef.from_data(code))
        self._engine.finalize_object()

    def function(self, name: str) -> Callable[..., None]:
        pointer, number = ctypes.c_void_p, ctypes.c_int64
        kind = ctypes.CFUNCTYPE(None, pointer, pointer, pointer, number, number, pointer)
        return kind(self._engine.get_function_address(name))


_MARK = 32  # bytes of the checksum


def _kept(file: Path) -> bytes | None:
    """Return what was compiled before; None when it is not there or not whole: damaged, it would crash."""
    with contextlib.suppress(OSError):
        found = file.read_bytes()
        if hashlib.sha256(found[_MARK:]).digest() == found[:_MARK]:
            return found[_MARK:]
    return None


def _keep(file: Path, code: bytes) -> None:
    with contextlib.suppress(OSError):
        file.parent.mkdir(parents=True, exist_ok=True)
        with tempfile.NamedTemporaryFile(dir=file.parent, delete=False) as out:
            try:
                out.write(hashlib.sha256(code).digest() + code)
                out.flush()
                os.replace(out.name, file)
            except OSError:  # a full disk
                os.unlink(out.name)
                raise


_COMPILED = _Compiled()


def _apply(
    by_tetrahedra: Callable[..., None],
    by_cells: Callable[..., None],
    pixels: Array,
    out: Array,
    lattice: Array,
    n: int,
    scale: Array,
    shift: Array,
    tetrahedral: bool,
) -> None:
    arrays = pixels, out, lattice
    if not all(a.flags.c_contiguous for a in arrays) or lattice.dtype != np.float32:
        raise ValueError("the kernels take arrays without gaps")
    if pixels.size == 0 or pixels.size != out.size or lattice.size != 4 * n**3:
        raise ValueError("the arrays do not fit")
    run = by_tetrahedra if tetrahedral else by_cells
    maps = np.concatenate([scale, shift]).astype(np.float32)
    where = lattice.ctypes.data
    blocks = (pixels.size // 3 - 1) // _LANES  # the last one apart: it needs room behind it
    run(pixels.ctypes.data, out.ctypes.data, where, blocks, n, maps.ctypes.data)
    rest = slice(3 * _LANES * blocks, None)
    few, made = np.zeros(3 * _LANES, pixels.dtype), np.empty(3 * _LANES + 1, out.dtype)
    few[: pixels.size - rest.start] = pixels[rest]
    run(few.ctypes.data, made.ctypes.data, where, 1, n, maps.ctypes.data)
    out[rest] = made[: pixels.size - rest.start]


def _kernel(source: str, target: str) -> Any:
    by_tetrahedra, by_cells = (_COMPILED.function(_name(source, target, h)) for h in (True, False))
    return partial(_apply, by_tetrahedra, by_cells)


KERNELS: dict[tuple[str, str], Any] = {pair: _kernel(*pair) for pair in _PAIRS}
