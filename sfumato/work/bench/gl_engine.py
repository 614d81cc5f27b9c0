"""Runs an engine's sampling on the GL driver that is at hand, in a process of its own that stays.

A driver that fails takes that process with it and not the program: `python -m sfumato.work.bench.gl_engine`.
"""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Sequence
from typing import Any

import numpy as np

from sfumato.core.arrays import Array
from sfumato.core.bench.engine import NEAREST, STRIP, TILES, VOLUME, Import, Texture, across
from sfumato.core.errors import FormatError
from sfumato.work.beside import Beside, Message, serve
from sfumato.work.outlets.shader_text import LANGUAGES, shader_text

MOST_LOOKS = 2
_SRGB8 = 0x8C43  # GL_SRGB8_ALPHA8
_VERTEX = """#version 330 core
void main() {
    vec2 at = vec2(float((gl_VertexID & 1) << 2) - 1.0, float((gl_VertexID & 2) << 1) - 1.0);
    gl_Position = vec4(at, 0.0, 1.0);
}"""
_FLAT = """
vec3 NAME(vec3 code) {
    vec3 c = clamp(code, 0.0, 1.0) * (POINTS - 1.0);
    float low = min(floor(c.z), POINTS - 1.0);
    float high = min(low + 1.0, POINTS - 1.0);
    vec2 inside = c.xy + HALF;
    vec3 one = texture(NAME_lattice, (START(low) + inside) / SIZE).rgb;
    vec3 two = texture(NAME_lattice, (START(high) + inside) / SIZE).rgb;
    return mix(one, two, c.z - low);
}
"""
_STARTS = {
    STRIP: "#define START(b) vec2((b) * POINTS, 0.0)\n",
    TILES: "#define START(b) vec2(mod((b), ACROSS) * POINTS, floor((b) / ACROSS) * POINTS)\n",
}
_VOLUME = """
vec3 NAME(vec3 code) {
    vec3 c = clamp(code, 0.0, 1.0) * (POINTS - 1.0);
    return texture(NAME_lattice, (c + HALF) / POINTS).rgb;
}
"""
_MAIN = """
void main() {
    vec3 code = texelFetch(picture, ivec2(gl_FragCoord.xy), 0).rgb;
    vec3 sum = code * rest;
CALLS
    result = vec4(sum, 1.0);
}
"""


def shader_of(settings: Sequence[Import], *, sent: bool = False) -> str:
    """Return the fragment shader of an engine with so many looks.

    Args:
        sent: textures of three dimensions are read by the very shader that Send writes.
    """
    parts = [
        "#version 330 core\nuniform sampler2D picture;\nuniform float rest;\nout vec4 result;\n"
    ]
    calls = []
    for i, each in enumerate(settings):
        name = f"look_{i}"
        parts.append(f"uniform float part_{i};\n")
        if sent and each.layout == VOLUME:
            parts.append(
                "#line 1\n" + shader_text(LANGUAGES[".glsl"], name, each.points, "", "", "")
            )
            name += "_trilinear"
        else:
            parts.append(_own(each, name))
        calls.append(f"    if (part_{i} > 0.0) sum += part_{i} * {name}(code);")
    return "".join(parts) + _MAIN.replace("CALLS", "\n".join(calls))


def _own(settings: Import, name: str) -> str:
    half = "0.0" if settings.half_texel else "0.5"
    points = f"{settings.points}.0"
    if settings.layout == VOLUME:
        text = f"uniform sampler3D {name}_lattice;\n" + _VOLUME
    else:
        wide = across(settings.points)
        n = settings.points
        size = (n * n, n) if settings.layout == STRIP else (wide * n, -(-n // wide) * n)
        text = (
            f"uniform sampler2D {name}_lattice;\n#undef START\n" + _STARTS[settings.layout] + _FLAT
        )
        text = text.replace("SIZE", f"vec2({size[0]}.0, {size[1]}.0)").replace(
            "ACROSS", f"{wide}.0"
        )
    return text.replace("NAME", name).replace("POINTS", points).replace("HALF", half)


class Renderer:
    """Draws pictures through looks on a GL context of this process."""

    def __init__(self) -> None:
        import moderngl

        self._gl = moderngl
        how: Any = "egl"
        self._context: Any = moderngl.create_context(standalone=True, backend=how)
        self._program: Any = None
        self._textures: list[Any] = []
        self._picture: Any = None
        self._target: Any = None
        self._frame: Any = None

    @property
    def name(self) -> str:
        return str(self._context.info["GL_RENDERER"])

    def set_looks(self, shader: str, looks: Sequence[tuple[Array, bool, bool, bool]]) -> None:
        """Upload textures: texels (uint8 or float32), decoded from sRGB, with mip maps, nearest texel alone."""
        for old in (*self._textures, self._program):
            if old is not None:
                old.release()
        gl = self._gl
        self._program = self._context.program(vertex_shader=_VERTEX, fragment_shader=shader)
        self._frame = self._context.vertex_array(self._program, [])
        self._textures = []
        for texels, decodes, mips, nearest in looks:
            full = np.concatenate(
                [texels, np.ones_like(texels[..., :1]) * (255 if texels.dtype == np.uint8 else 1)],
                -1,
            )
            kind = "f1" if texels.dtype == np.uint8 else "f4"
            size = texels.shape[-2::-1]
            extra = {"internal_format": _SRGB8} if decodes else {}
            if len(size) == 3:
                made = self._context.texture3d(size, 4, full.tobytes(), dtype=kind)
            else:
                made = self._context.texture(size, 4, full.tobytes(), dtype=kind, **extra)
            made.repeat_x = made.repeat_y = False
            if len(size) == 3:
                made.repeat_z = False
            inner = gl.NEAREST if nearest else gl.LINEAR
            if mips:
                made.build_mipmaps()
                made.filter = (
                    gl.NEAREST_MIPMAP_LINEAR if nearest else gl.LINEAR_MIPMAP_LINEAR,
                    inner,
                )
            else:
                made.filter = (inner, inner)
            self._textures.append(made)

    def draw(self, picture: Array, parts: Sequence[float]) -> tuple[Array, float]:
        """Return a picture through the looks, of its own type, and the milliseconds that the shader took.

        Args:
            picture: (h, w, 3) uint8 or float32.
            parts: of each look.
        """
        gl, (high, wide) = self._gl, picture.shape[:2]
        kind = "f1" if picture.dtype == np.uint8 else "f4"
        wanted = (wide, high, kind)
        if self._target is None or self._target[0] != wanted:
            for old in (self._picture, *(self._target[1:] if self._target else ())):
                if old is not None:
                    old.release()
            self._picture = self._context.texture((wide, high), 3, dtype=kind, alignment=1)
            colours = self._context.texture((wide, high), 4, dtype=kind)
            self._target = (wanted, self._context.framebuffer([colours]), colours)
        self._picture.write(np.ascontiguousarray(picture).tobytes(), alignment=1)
        self._picture.use(0)
        self._set("picture", 0)
        self._set("rest", 1.0 - float(sum(parts)))
        for i, (texture, part) in enumerate(zip(self._textures, parts, strict=True)):
            texture.use(1 + i)
            self._set(f"look_{i}_lattice", 1 + i)
            self._set(f"part_{i}", float(part))
        frame = self._target[1]
        frame.use()
        self._context.finish()
        began = time.perf_counter()  # what a driver in software says of itself is not its work
        self._frame.render(gl.TRIANGLES, 3)
        self._context.finish()
        ms = 1000 * (time.perf_counter() - began)
        found = np.frombuffer(frame.read(components=3, dtype=kind, alignment=1), picture.dtype)
        return found.reshape(high, wide, 3), ms

    def _set(self, name: str, value: float) -> None:
        with contextlib.suppress(KeyError):  # what a shader does not need is gone from it
            self._program[name] = value


class GlEngine:
    """The driver beside, and what it was last given."""

    def __init__(self) -> None:
        self._beside = Beside(
            "sfumato.work.bench.gl_engine", "no GL driver answers", "the GL driver refuses: "
        )
        self._looks: Any = None
        self._lock = threading.Lock()

    def __enter__(self) -> GlEngine:
        return self

    def __exit__(self, *_error: object) -> None:
        self.close()

    def name(self) -> str:
        """Return the name of the driver, "" when none runs."""
        with self._lock:
            try:
                return str(self._beside.ask({"do": "name"})[0]["name"])
            except FormatError:
                return ""

    def draw(
        self,
        textures: Sequence[Texture],
        picture: Array,
        parts: Sequence[float],
        *,
        sent: bool = False,
    ) -> tuple[Array, float]:
        """Return a picture through textures, and the milliseconds that the shader took.

        Raises:
            FormatError: no driver runs, or it refuses.
        """
        with self._lock:
            known = tuple(id(t.texels) for t in textures), sent
            if not self._beside.is_running or known != self._looks:
                self._looks = None
                settings = [t.settings for t in textures]
                texels = [_as_uploaded(t) for t in textures]
                flags = [
                    (s.decodes and s.layout != VOLUME, s.mips, s.filter == NEAREST)
                    for s in settings
                ]
                shader = shader_of(settings, sent=sent)
                self._beside.ask({"do": "looks", "shader": shader, "flags": flags}, *texels)
                self._looks = known
                self._held = tuple(textures)  # so that their ids stay theirs
            head, found = self._beside.ask({"do": "draw", "parts": list(parts)}, picture)
            return found[0], float(head["ms"])

    def close(self) -> None:
        """End the process."""
        self._beside.close()


def _as_uploaded(texture: Texture) -> Array:
    if texture.settings.decodes and texture.settings.layout == VOLUME:
        return texture.levels[0]  # the binding knows no such texture: it is decoded before
    if texture.settings.is_eight:
        return np.asarray(np.rint(texture.texels * 255), np.uint8)
    return np.asarray(texture.texels, np.float32)


def _serve() -> None:
    import moderngl

    renderer: Renderer | None = None

    def answer(head: dict[str, Any], arrays: list[Array]) -> Message:
        nonlocal renderer
        renderer = renderer or Renderer()
        if head["do"] == "name":
            return {"name": renderer.name}, []
        if head["do"] == "looks":
            looks = [(a, *f) for a, f in zip(arrays, head["flags"], strict=True)]
            renderer.set_looks(head["shader"], looks)
            return {}, []
        found, ms = renderer.draw(arrays[0], head["parts"])
        return {"ms": ms}, [found]

    serve(answer, (moderngl.Error, ValueError, KeyError, OSError))


if __name__ == "__main__":
    _serve()
