"""What a PNG says of its colours, byte for byte and as another reader understands it."""

from __future__ import annotations

import io
import struct

import av
import numpy as np
import pytest
from conftest import scene

from sfumato.media import png
from sfumato.media.parts.contract import H273, Saving

PIXELS = (scene(64, 40) * 65535).astype(np.uint16)


def chunks(data: bytes) -> dict[bytes, bytes]:
    found, at = {}, 8
    while at < len(data):
        (size,) = struct.unpack(">I", data[at : at + 4])
        found[data[at + 4 : at + 8]] = data[at + 8 : at + 8 + size]
        at += size + 12
    return found


@pytest.mark.parametrize(("name", "numbers"), [("BT.2100 PQ", (9, 16)), ("BT.2100 HLG", (9, 18))])
def test_pictures_beyond_a_profile_say_it_by_numbers(name: str, numbers: tuple[int, int]) -> None:
    """PNG, third edition: primaries, transfer, matrix 0 (RGB), full range 1."""
    assert H273[numbers] == name
    data = png.write(PIXELS, Saving(name))
    assert chunks(data)[b"cICP"] == bytes((*numbers, 0, 1))
    assert b"iCCP" not in chunks(data)
    with av.open(io.BytesIO(data)) as container:
        frame = next(container.decode(video=0))
        assert (int(frame.color_primaries), int(frame.color_trc)) == numbers
        assert int(frame.color_range) == 2  # full
        np.testing.assert_array_equal(frame.to_ndarray(format="rgb48le"), PIXELS)
    back = png.read(data, 0)
    assert back.facts.encoding == name
    assert "cICP" in back.facts.evidence


def test_a_display_encoding_comes_with_its_profile() -> None:
    found = chunks(png.write(PIXELS, Saving("sRGB")))
    assert b"iCCP" in found
    assert b"cICP" not in found
