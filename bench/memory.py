"""Memory and speed over a long clip: `python -m bench.memory [FRAMES]`, each in a process of its own.

Prints the greatest memory after a tenth of the frames and after all of them, and frames a second.
"""

from __future__ import annotations

import resource
import subprocess
import sys
import tempfile
import time
from fractions import Fraction
from pathlib import Path

SIZES = ((320, 180, 10_000), (1920, 1080, 400))


def _source(file: Path, width: int, height: int, frames: int) -> None:
    import av
    import numpy as np

    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    with av.open(str(file), "w") as out:
        stream = out.add_stream("libx264", rate=25)
        context = stream.codec_context
        context.width, context.height, context.pix_fmt = width, height, "yuv420p"
        context.options = {"crf": "18", "preset": "ultrafast"}
        for i in range(frames):
            wave = np.sin(x / 40 + y / 60 + i / 9) * 100 + 128
            frame = av.VideoFrame.from_ndarray(
                np.repeat(wave.astype(np.uint8)[..., None], 3, 2), format="rgb24"
            )
            frame.pts, frame.time_base = i, Fraction(1, 25)
            out.mux(stream.encode(frame))
        out.mux(stream.encode())


def _peak() -> float:
    """Return the greatest memory of this process so far, in MB."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


def run(source: str, target: str, frames: int) -> None:
    """Apply the demo's Look to a clip and print what it took."""
    import numpy as np

    from sfumato.core.lut.table import Table3D, lattice_colours
    from sfumato.core.lut.transform import Transform
    from sfumato.work.results.clip_line import ClipWish
    from sfumato.work.results.clips import graded_clip
    from sfumato.work.results.stills import chain_of
    from sfumato.work.warm import warm

    warm()
    nodes = np.clip(lattice_colours(33) ** np.float32([1.1, 1.0, 0.9]), 0, 1)
    marks: list[float] = []

    def progress(share: float, _words: str) -> None:
        if share >= 0.1 and not marks:
            marks.append(_peak())

    start = time.perf_counter()
    made = graded_clip(
        source,
        target,
        chain_of([Transform((Table3D(nodes),))]),
        ClipWish("h264"),
        force=True,
        progress=progress,
    )
    seconds = time.perf_counter() - start
    assert made.frames == frames
    print(
        f"{frames} frames: {marks[0]:.0f} MB after a tenth, {_peak():.0f} MB after all, "
        f"{frames / seconds:.0f} frames a second"
    )


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        for width, height, frames in SIZES:
            source, target = Path(folder) / "in.mp4", Path(folder) / "out.mp4"
            _source(source, width, height, frames)
            print(f"{width} x {height}, ", end="", flush=True)
            words = [sys.executable, "-m", "bench.memory", str(source), str(target), str(frames)]
            subprocess.run(words, check=True)


if __name__ == "__main__":
    if len(sys.argv) == 4:
        run(sys.argv[1], sys.argv[2], int(sys.argv[3]))
    else:
        main()
