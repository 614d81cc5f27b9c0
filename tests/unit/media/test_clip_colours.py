"""What a clip says of its range, and what is said of it when it says nothing."""

from __future__ import annotations

from pathlib import Path

import av
import numpy as np
import pytest

from sfumato.media.clip import Clip


@pytest.mark.parametrize(("stated", "white"), [(0, 235), (1, 235), (2, 255)])
def test_range_is_taken_as_stated_and_an_unstated_one_is_told(
    stated: int, white: int, tmp_path: Path
) -> None:
    file = tmp_path / "grey.mkv"
    with av.open(str(file), "w") as out:
        video = out.add_stream("ffv1", rate=25)
        video.width, video.height, video.pix_fmt = 32, 16, "yuv420p"
        video.codec_context.color_range = stated
        frame = av.VideoFrame(32, 16, "yuv420p")
        for plane, value in zip(frame.planes, (white, 128, 128), strict=True):
            plane.update(bytes([value]) * plane.buffer_size)
        frame.color_range = stated
        out.mux(video.encode(frame))
        out.mux(video.encode())
    still = Clip(str(file)).frame(0)
    np.testing.assert_allclose(still.as_float(), 1.0, atol=1e-6)
    told = [r for r in still.facts.remarks if "range" in r]
    assert told == (["the range is not stated: taken as legal range"] if stated == 0 else [])
