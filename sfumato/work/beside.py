"""A Python process beside this one, for libraries that hold the interpreter for long or may crash.

Messages go through its pipes: a line of JSON, and then the bytes of the arrays that it announces.
"""

from __future__ import annotations

import contextlib
import json
import select
import subprocess
import sys
import threading
from collections.abc import Callable
from typing import Any, BinaryIO

import numpy as np

from sfumato.core.arrays import Array
from sfumato.core.errors import FormatError

Message = tuple[dict[str, Any], list[Array]]
_MOST_MESSAGE = 1 << 28
_MOST_SECONDS = 60


def _sent(pipe: BinaryIO, head: dict[str, Any], *arrays: Array) -> None:
    head = {**head, "arrays": [(a.dtype.str, a.shape) for a in arrays]}
    pipe.write(json.dumps(head).encode() + b"\n")
    for array in arrays:
        pipe.write(np.ascontiguousarray(array).data)
    pipe.flush()


def _received(pipe: BinaryIO) -> Message:
    line = pipe.readline(1 << 20)
    if not line:
        raise EOFError
    head = json.loads(line)
    arrays = []
    for kind, shape in head["arrays"]:
        dtype = np.dtype(kind)
        count = int(np.prod(shape, dtype=np.int64)) * dtype.itemsize
        if count > _MOST_MESSAGE:
            raise EOFError
        data = pipe.read(count)
        if len(data) < count:
            raise EOFError
        arrays.append(np.frombuffer(data, dtype).reshape(shape))
    return head, arrays


class Beside:
    """A process that runs a module of ours: started when it is first asked, and again when it has ended.

    Args:
        module: name of a module whose `__main__` calls `serve`.
        silent: what is said when it cannot be started, ends or does not answer within a minute.
        refuses: begin of what is said when it answers that it cannot.
    """

    def __init__(self, module: str, silent: str, refuses: str = "") -> None:
        self._module, self._silent, self._refuses = module, silent, refuses
        self._process: subprocess.Popen[bytes] | None = None
        self._lock = threading.Lock()

    @property
    def is_running(self) -> bool:
        return self._process is not None and self._process.poll() is None

    def ask(self, head: dict[str, Any], *arrays: Array) -> Message:
        """Return its answer: words and arrays.

        Raises:
            FormatError: it is silent, or refuses.
        """
        with self._lock:
            fresh = not self.is_running
            try:
                try:
                    answer, found = self._asked(head, arrays)
                except (OSError, EOFError):
                    if fresh:
                        raise
                    # It had just ended, having nothing to do.
                    answer, found = self._asked(head, arrays)
            except (OSError, EOFError, ValueError) as error:
                raise FormatError(self._silent) from error
        if "error" in answer:
            raise FormatError(f"{self._refuses}{answer['error'][:200]}")
        return answer, found

    def _asked(self, head: dict[str, Any], arrays: tuple[Array, ...]) -> Message:
        if not self.is_running:
            self._end()
            self._process = subprocess.Popen(
                [sys.executable, "-m", self._module],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL,
            )
        process = self._process
        assert process is not None
        watch = threading.Timer(_MOST_SECONDS, process.kill)
        watch.daemon = True
        watch.start()
        try:
            _sent(process.stdin, head, *arrays)  # type: ignore[arg-type]
            return _received(process.stdout)  # type: ignore[arg-type]
        except (OSError, EOFError, ValueError):
            self._end()
            raise
        finally:
            watch.cancel()

    def close(self) -> None:
        """End the process."""
        with self._lock:
            self._end()

    def _end(self) -> None:
        process, self._process = self._process, None
        if process is None:
            return
        with contextlib.suppress(OSError):
            if process.stdin is not None:
                process.stdin.close()
        try:
            process.wait(2)
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait()
        if process.stdout is not None:
            process.stdout.close()


def serve(
    answer: Callable[[dict[str, Any], list[Array]], Message],
    errors: tuple[type[Exception], ...],
    idle: float | None = None,
) -> None:
    """Answer what the other side asks, until it goes or, if given, for as many idle seconds.

    Args:
        errors: what is told to the other side, after which the next question is awaited.
    """
    asked, out = sys.stdin.buffer, sys.stdout.buffer
    while select.select([asked], [], [], idle)[0]:
        try:
            head, arrays = _received(asked)
        except EOFError:
            return
        try:
            words, found = answer(head, arrays)
        except errors as error:
            words, found = {"error": str(error).strip() or type(error).__name__}, []
        _sent(out, words, *found)
