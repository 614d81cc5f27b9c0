"""The text of a shader that looks colours up in a lattice: one template, three languages.

The text is a piece to include: it declares the texture and two functions, exact tetrahedral and
trilinear interpolation, that read single nodes. A sampler's own filter is not used, because many
drivers hold its weights in 8 bit.
"""

from __future__ import annotations

import re

from attrs import frozen


@frozen
class Language:
    """How a language writes what the template needs; `{}` stands for a name, a type or a value."""

    name: str
    suffix: str
    vector: str  # three floats
    whole: str  # three integers
    texture: str  # declaration of the texture `{}`
    fetch: str  # the node at `{place}` of texture `{name}`
    variable: str  # `{name}` of `{type}` with `{value}`
    function: str  # head of `{name}` that takes `code`
    helper: str  # head of `{name}` that takes a place `p`


LANGUAGES = {
    language.suffix: language
    for language in (
        Language(
            "GLSL",
            ".glsl",
            "vec3",
            "ivec3",
            "uniform sampler3D {};",
            "texelFetch({name}, {place}, 0).rgb",
            "{type} {name} = {value};",
            "vec3 {name}(vec3 code) {{",
            "vec3 {name}(ivec3 p) {{",
        ),
        Language(
            "HLSL",
            ".hlsl",
            "float3",
            "int3",
            "Texture3D<float4> {};",
            "{name}.Load(int4({place}, 0)).rgb",
            "{type} {name} = {value};",
            "float3 {name}(float3 code) {{",
            "float3 {name}(int3 p) {{",
        ),
        Language(
            "WGSL",
            ".wgsl",
            "vec3<f32>",
            "vec3<i32>",
            "@group(0) @binding(0) var {}: texture_3d<f32>;",
            "textureLoad({name}, {place}, 0).rgb",
            "var {name}: {type} = {value};",
            "fn {name}(code: vec3<f32>) -> vec3<f32> {{",
            "fn {name}(p: vec3<i32>) -> vec3<f32> {{",
        ),
    )
}

# Names in capitals are filled in; each node is read by itself, so that all filters are ours.
_TEMPLATE = """\
// TITLE
// SAYS
// The lattice of N x N x N nodes is in TEXTURE: red runs along x, green along y, blue along z.
// Load it as a 3D texture without mipmaps and without a colour space; no filter is needed.
// NAME(code) goes by tetrahedra, NAME_trilinear(code) by cubes; codes are held within 0 and 1.
DECLARATION

HEAD_NODE
    return FETCH;
}

HEAD
    VAR_AT
    VAR_I
    VAR_F
    VAR_A
    VAR_B
    VAR_S
    if (f.x >= f.y) {
        if (f.y >= f.z) {
            a = IVEC(1, 0, 0); b = IVEC(1, 1, 0); s = f;
        } else if (f.x >= f.z) {
            a = IVEC(1, 0, 0); b = IVEC(1, 0, 1); s = VEC(f.x, f.z, f.y);
        } else {
            a = IVEC(0, 0, 1); b = IVEC(1, 0, 1); s = VEC(f.z, f.x, f.y);
        }
    } else {
        if (f.z >= f.y) {
            a = IVEC(0, 0, 1); b = IVEC(0, 1, 1); s = VEC(f.z, f.y, f.x);
        } else if (f.z >= f.x) {
            a = IVEC(0, 1, 0); b = IVEC(0, 1, 1); s = VEC(f.y, f.z, f.x);
        } else {
            a = IVEC(0, 1, 0); b = IVEC(1, 1, 0); s = VEC(f.y, f.x, f.z);
        }
    }
    return (1.0 - s.x) * NAME_node(i) + (s.x - s.y) * NAME_node(i + a)
        + (s.y - s.z) * NAME_node(i + b) + s.z * NAME_node(i + IVEC(1, 1, 1));
}

HEAD_TRILINEAR
    VAR_AT
    VAR_I
    VAR_F
    VAR_LOW
    VAR_HIGH
    return (1.0 - f.z) * low + f.z * high;
}
"""


def _flat(text: str) -> str:
    """Return a text as one line of a comment."""
    return re.sub(r"[\x00-\x1f\x7f\\]+", " ", text)[:300]


def identifier(stem: str) -> str:
    """Return a name for functions that no language has taken: `Low tide` -> `look_low_tide`.

    >>> identifier("33 Low tide")
    'look_33_low_tide'
    """
    plain = re.sub(r"[^a-z0-9]+", "_", stem.casefold()).strip("_")[:60]
    return f"look_{plain}".rstrip("_")


def shader_text(
    language: Language, name: str, points: int, texture: str, title: str, says: str
) -> str:
    """Return the text of a shader for a lattice of so many points, whose functions have a name."""
    vec, whole, last = language.vector, language.whole, f"{points - 1}.0"
    cell = f"{points - 2}.0"

    def var(kind: str, title: str, value: str) -> str:
        return language.variable.format(type=kind, name=title, value=value)

    def node(x: int, y: int, z: int) -> str:
        return f"{name}_node(i + {whole}({x}, {y}, {z}))"

    def face(z: int) -> str:
        near = f"((1.0 - f.x) * {node(0, 0, z)} + f.x * {node(1, 0, z)})"
        far = f"((1.0 - f.x) * {node(0, 1, z)} + f.x * {node(1, 1, z)})"
        return f"(1.0 - f.y) * {near}\n        + f.y * {far}"

    three = "{0}({1}, {1}, {1})".format
    at = f"clamp(code, {three(vec, '0.0')}, {three(vec, '1.0')}) * {last}"
    words = {
        "TITLE": _flat(title),
        "SAYS": _flat(says),
        "TEXTURE": _flat(texture),
        "DECLARATION": language.texture.format(f"{name}_lattice"),
        "HEAD_NODE": language.helper.format(name=f"{name}_node"),
        "HEAD_TRILINEAR": language.function.format(name=f"{name}_trilinear"),
        "HEAD": language.function.format(name=name),
        "FETCH": language.fetch.format(name=f"{name}_lattice", place="p"),
        "VAR_AT": var(vec, "at", at),
        "VAR_I": var(whole, "i", f"{whole}(min(floor(at), {three(vec, cell)}))"),
        "VAR_F": var(vec, "f", f"at - {vec}(i)"),
        "VAR_A": var(whole, "a", three(whole, "0")),
        "VAR_B": var(whole, "b", three(whole, "0")),
        "VAR_S": var(vec, "s", "f"),
        "VAR_LOW": var(vec, "low", face(0)),
        "VAR_HIGH": var(vec, "high", face(1)),
        "IVEC": whole,
        "VEC": vec,
        "NAME": name,
        "N": str(points),
    }
    pattern = "|".join(sorted(words, key=len, reverse=True))
    return re.sub(rf"\b(?:{pattern})(?=\b|_node|_trilinear)", lambda m: words[m[0]], _TEMPLATE)
