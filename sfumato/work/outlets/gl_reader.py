"""Runs a GLSL shader of ours on the GL driver that is at hand, in a process of its own.

A driver that fails takes that process with it and not the program. `python -m
sfumato.work.outlets.gl_reader` is that process: it takes arrays on standard input.
"""

from __future__ import annotations

import functools
import io
import subprocess
import sys
from typing import Any

import numpy as np

from sfumato.core.arrays import Array, Rgb
from sfumato.core.errors import FormatError

_WIDE = 1024
_MOST_SECONDS = 60
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


@functools.cache
def driver() -> str:
    """Return the name of the GL driver that is at hand, "" when none runs."""
    try:
        return _asked(b"").decode(errors="replace")
    except FormatError:
        return ""


def _asked(question: bytes) -> bytes:
    command = [sys.executable, "-m", "sfumato.work.outlets.gl_reader"]
    try:
        done = subprocess.run(
            command, input=question, capture_output=True, timeout=_MOST_SECONDS, check=False
        )
    except (OSError, subprocess.TimeoutExpired) as error:
        raise FormatError("the GL driver does not answer") from error
    if done.returncode != 0:
        last = done.stderr.decode(errors="replace").strip().splitlines()[-1:]
        raise FormatError(f"the GL driver refuses the shader: {' '.join(last)[:200]}")
    return done.stdout


def run(text: str, call: str, lattice: Array, rgb: Any) -> Rgb:
    """Run a function of a shader over colours (..., 3) on the GL driver.

    Raises:
        FormatError: no driver runs, or it refuses the shader.
    """
    flat = np.ascontiguousarray(np.nan_to_num(rgb), np.float32).reshape(-1, 3)
    question = io.BytesIO()
    np.savez(question, text=np.array([text, call]), lattice=lattice, rgb=flat)
    answer = np.load(io.BytesIO(_asked(question.getvalue())), allow_pickle=False)
    return np.asarray(answer, np.float32).reshape(np.shape(rgb))


def _serve() -> None:
    data = sys.stdin.buffer.read()
    if not data:
        sys.stdout.write(str(_context().info["GL_RENDERER"]))
        return
    asked = np.load(io.BytesIO(data), allow_pickle=False)
    text, call = (str(v) for v in asked["text"])
    np.save(sys.stdout.buffer, run_here(text, call, asked["lattice"], asked["rgb"]))


if __name__ == "__main__":
    _serve()
