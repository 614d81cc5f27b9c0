"""Whether a clip is whole: frames that it promises and has, and those that are damaged.

Decoders mend what they can and go on; what they find wrong they only log. So a clip is decoded once
more by a process of its own, in one thread, where a message belongs to the frame that was being
decoded. (In this process a message from a decoder's own thread could meet one that waits for it.)

    python -m sfumato.media.parts.clip_check CLIP FIRST LAST      prints {"found": N, "damaged": [...]}
"""

from __future__ import annotations

import json
import subprocess
import sys
from typing import Any

import av
import av.logging
from attrs import frozen

from sfumato.core.errors import MediaError

_MOST_DAMAGED = 1000  # that are counted


@frozen
class Health:
    """`found`: frames that could be decoded; `damaged`: those of them that a decoder had to mend."""

    found: int
    damaged: tuple[int, ...] = ()

    def words(self) -> str:
        """Name the damaged frames, "" when there are none."""
        if not self.damaged:
            return ""
        some = ", ".join(str(n + 1) for n in self.damaged[:5])
        more = f" and {len(self.damaged) - 5} more" if len(self.damaged) > 5 else ""
        plural = "s" if len(self.damaged) > 1 else ""
        return f"damaged in the source: frame{plural} {some}{more}"


def promised(container: Any, stream: Any) -> tuple[int, float]:
    """Return how many frames and seconds a clip says that it has, 0 where it does not say.

    Seconds are those of the stream, of the track's tag (Matroska), or of the file when it holds
    nothing else.
    """
    seconds = float(stream.duration * stream.time_base) if stream.duration else 0.0
    tag = stream.metadata.get("DURATION", "")
    if not seconds and tag.count(":") == 2:
        try:
            hours, minutes, rest = tag.split(":")
            seconds = int(hours) * 3600 + int(minutes) * 60 + float(rest)
        except ValueError:
            seconds = 0.0
    if not seconds and container.duration and len(container.streams) == 1:
        seconds = container.duration / av.time_base
    return int(stream.frames), seconds if 0 < seconds < 1e6 else 0.0


def examined(path: str, first: int, last: int | None) -> Health:
    """Decode frames `first` to `last` in this thread; for a process of its own.

    Raises:
        av.error.FFmpegError: the clip cannot be opened.
    """
    av.logging.set_level(av.logging.ERROR)
    damaged: list[int] = []
    number = -1
    with av.logging.Capture(local=True) as messages, av.open(path) as container:
        stream = container.streams.video[0]
        stream.thread_type = "NONE"
        seen = 0
        for packet in container.demux(stream):
            try:
                frames = packet.decode()
            except av.error.FFmpegError:
                damaged.append(number + 1)
                continue
            for frame in frames:
                number += 1
                wrong = frame.is_corrupt or len(messages) > seen
                seen = len(messages)
                if wrong and number >= first and len(damaged) < _MOST_DAMAGED:
                    damaged.append(number)
                if last is not None and number >= last:
                    return Health(number + 1, tuple(damaged))
    return Health(number + 1, tuple(damaged))


class Examination:
    """A process that examines a clip beside other work."""

    def __init__(self, path: str, first: int, last: int | None) -> None:
        end = "" if last is None else str(last)
        self._process = subprocess.Popen(
            [sys.executable, "-m", "sfumato.media.parts.clip_check", path, str(first), end],
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            stdin=subprocess.DEVNULL,
        )

    def result(self) -> Health:
        """Wait for the answer.

        Raises:
            MediaError: the clip could not be examined.
        """
        out, _ = self._process.communicate()
        try:
            plain = json.loads(out)
            return Health(int(plain["found"]), tuple(int(n) for n in plain["damaged"]))
        except (ValueError, KeyError, TypeError) as error:
            raise MediaError("the clip could not be examined", hint="export it again") from error

    def stop(self) -> None:
        """Give the examination up, if it is not over."""
        if self._process.poll() is None:
            self._process.kill()
        if self._process.stdout is not None and not self._process.stdout.closed:
            self._process.communicate()


def main() -> None:
    path, first, last = sys.argv[1:4]
    found = examined(path, int(first), int(last) if last else None)
    print(json.dumps({"found": found.found, "damaged": found.damaged}))


if __name__ == "__main__":
    main()
