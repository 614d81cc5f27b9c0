"""Runs a GLSL shader of ours on the GL driver that is at hand, in a process of its own.

A driver that fails takes that process with it and not the program: `python -m sfumato.work.outlets.gl_reader`.
"""

from __future__ import annotations

import functools
from typing import Any

import numpy as np

from sfumato.core.arrays import Array, Rgb
from sfumato.core.errors import FormatError
from sfumato.work.beside import Beside, Message, serve

_WIDE = 1024
_IDLE = 10.0  # seconds without a question, after which the process ends
_VERTEX = """#version 330 core
void main() {
    vec2 at = vec2(float((gl_VertexID & 1) << 2) - 1.0, float((gl_VertexID & 2) << 1) - 1.0);
    gl_Position = vec4(at, 0.0, 1.0);
}"""
_HEAD = """#version 330 core
uniform sampler2D pixels;
out vec4 result;
#line 1
"""
_MAIN = """
void main() { result = vec4(CALL(texelFetch(pixels, ivec2(gl_FragCoord.xy), 0).rgb), 1.0); }"""


def _context() -> Any:
    import moderngl

    how: Any = "egl"
    return moderngl.create_context(standalone=True, backend=how)


def run_here(text: str, call: str, lattice: Array, rgb: Rgb) -> Rgb:
    """Run a function of a shader over colours in this process.

    Args:
        lattice: nodes [b, g, r, 3]: float32, or uint8 for a texture of 8 bit.
        rgb: (k, 3) float32.
    """
    import moderngl

    context = _context()
    try:
        kind = "f1" if lattice.dtype == np.uint8 else "f4"
        full = np.concatenate([lattice, np.ones_like(lattice[..., :1])], -1)
        nodes = context.texture3d(lattice.shape[2::-1], 4, full.tobytes(), dtype=kind)
        rows = -(-len(rgb) // _WIDE)
        padded = np.zeros((rows * _WIDE, 3), np.float32)
        padded[: len(rgb)] = rgb
        picture = context.texture((_WIDE, rows), 3, padded.tobytes(), dtype="f4")
        result = context.texture((_WIDE, rows), 4, dtype="f4")
        target = context.framebuffer([result])
        program = context.program(
            vertex_shader=_VERTEX, fragment_shader=_HEAD + text + _MAIN.replace("CALL", call)
        )
        picture.use(0)
        nodes.use(1)
        program["pixels"] = 0
        name = next(n for n in program if n.endswith("_lattice"))
        program[name] = 1
        target.use()
        context.vertex_array(program, []).render(moderngl.TRIANGLES, 3)
        found = np.frombuffer(target.read(components=4, dtype="f4"), np.float32).reshape(-1, 4)
        return np.ascontiguousarray(found[: len(rgb), :3])
    finally:
        context.release()


_BESIDE = Beside(
    "sfumato.work.outlets.gl_reader",
    "the GL driver does not answer",
    "the GL driver refuses the shader: ",
)


@functools.cache
def driver() -> str:
    """Return the name of the GL driver that is at hand, "" when none runs."""
    try:
        return str(_BESIDE.ask({})[0]["name"])
    except FormatError:
        return ""


def run(text: str, call: str, lattice: Array, rgb: Any) -> Rgb:
    """Run a function of a shader over colours (..., 3) on the GL driver.

    Raises:
        FormatError: no driver runs, or it refuses.
    """
    flat = np.ascontiguousarray(np.nan_to_num(rgb), np.float32).reshape(-1, 3)
    _said, found = _BESIDE.ask({"text": text, "call": call}, lattice, flat)
    return np.asarray(found[0], np.float32).reshape(np.shape(rgb))


def _answer(head: dict[str, Any], arrays: list[Array]) -> Message:
    if not arrays:
        return {"name": str(_context().info["GL_RENDERER"])}, []
    return {}, [run_here(head["text"], head["call"], *arrays)]


def _serve() -> None:
    import moderngl

    serve(_answer, (moderngl.Error, ValueError, KeyError, StopIteration, OSError), _IDLE)


if __name__ == "__main__":
    _serve()
