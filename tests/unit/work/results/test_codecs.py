"""The layout that a codec takes is the one nearest to the source, by a search of our own."""

from __future__ import annotations

import itertools

import pytest

from sfumato.work.results.codecs import CODECS, out_layout
from sfumato.work.results.planes import Layout

SAMPLINGS = {"420": (2, 2), "422": (2, 1), "444": (1, 1)}


@pytest.mark.parametrize("key", CODECS)
def test_the_nearest_layout_is_taken_and_what_is_lost_is_said(key: str) -> None:
    codec = CODECS[key]
    offered = {(int(f[7:-2]) if f.endswith("le") else 8, *SAMPLINGS[f[3:6]]) for f in codec.formats}
    for bits, sampling, full in itertools.product((8, 10, 12), SAMPLINGS.values(), (False, True)):
        source = Layout(bits, *sampling, full, 1)
        found, said = out_layout(source, codec, 640, 360)
        got = (found.bits, found.across, found.down)
        assert got in offered
        if (bits, *sampling) in offered:
            assert got == (bits, *sampling)
            continue
        # Nothing offered loses less chroma, nor at the same chroma fewer bits.
        chroma = max(found.across - sampling[0], 0) + max(found.down - sampling[1], 0)
        lost = max(bits - found.bits, 0)
        for other in offered:
            less = max(other[1] - sampling[0], 0) + max(other[2] - sampling[1], 0)
            assert less >= chroma
            assert less > chroma or max(bits - other[0], 0) >= lost
        assert any("less chroma" in words for words in said) == (chroma > 0)
        assert any(f"{found.bits} bit of {bits}" in words for words in said) == (lost > 0)
        assert found.full == (full and codec.full)
        assert any("legal range only" in words for words in said) == (full and not codec.full)
    odd, said = out_layout(Layout(8, 2, 2, False, 9), codec, 640, 360)
    assert (odd.matrix == 9) == (9 in codec.matrices)
    assert any("BT.709 matrix" in words for words in said) == (9 not in codec.matrices)
