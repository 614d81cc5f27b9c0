"""What a process holds, for when it holds too much: printed, and each time what is more than the time before."""

from __future__ import annotations

import ctypes
import gc
import sys
import threading
import traceback
from collections import Counter
from collections.abc import Iterable, Iterator
from pathlib import Path
from types import FrameType
from typing import Any

import numpy as np

_LARGE = 256 << 10  # bytes of an array that is named
_DEEP = 5  # steps from an array to who has it


class _Heap(ctypes.Structure):  # mallinfo2 of the GNU C library
    _fields_ = [
        (name, ctypes.c_size_t)
        for name in (
            *("arena", "ordblks", "smblks", "hblks", "hblkhd"),
            *("usmblks", "fsmblks", "uordblks", "fordblks", "keepcost"),
        )
    ]


def _owners(values: Iterable[Any]) -> Iterator[np.ndarray]:
    """Yield the arrays among some values, of views what they look at."""
    for array in values:
        while isinstance(array, np.ndarray) and isinstance(array.base, np.ndarray):
            array = array.base
        if isinstance(array, np.ndarray):
            yield array


def _kind(array: np.ndarray) -> tuple[str, tuple[int, ...]]:
    return str(array.dtype), array.shape


def _path_to(array: np.ndarray, aside: set[int]) -> str:
    """Return who has an array, and who has that, by their types, the nearest first."""
    thing: Any = array
    words = []
    for _step in range(_DEEP):
        own = [r for r in gc.get_referrers(thing) if id(r) not in aside]
        own = [r for r in own if not isinstance(r, FrameType) or r.f_code.co_filename != __file__]
        aside |= {id(own)}
        if not own:
            break
        thing = own[0]
        words.append(f"{type(thing).__module__}.{type(thing).__qualname__}")
        if isinstance(thing, FrameType):
            words[-1] += f" of {thing.f_code.co_qualname}"
            break
    return " < ".join(words) or "nobody that the collector knows"


class Held:
    """Tells of threads, arrays, objects and kinds of memory; of some only by how much they grew."""

    def __init__(self) -> None:
        self._arrays: Counter[Any] | None = None
        self._objects: Counter[str] = Counter()

    def tell(self) -> None:
        """Print it; stops everything for about a second."""
        self._threads()
        arrays, sizes, seen = Counter[Any](), Counter[Any](), set[int]()
        one: dict[Any, np.ndarray] = {}
        objects = gc.get_objects()
        for thing in objects:
            for array in _owners(gc.get_referents(thing)):  # the collector knows no arrays
                if id(array) not in seen:
                    seen.add(id(array))
                    arrays[_kind(array)] += 1
                    sizes[_kind(array)] += array.nbytes
                    one[_kind(array)] = array
        kinds = Counter(type(thing).__name__ for thing in objects)
        print(f"    {sizes.total() / 1e6:.0f} MB of arrays, most of them:")
        for kind, size in sizes.most_common(12):
            print(f"        {size / 1e6:.0f} MB in {arrays[kind]} of", *kind)
            print("           ", _path_to(one[kind], {id(objects), id(one)}))
        if self._arrays is not None:
            print("    more arrays:", (arrays - self._arrays).most_common(8))
            print("    more objects:", (kinds - self._objects).most_common(8))
        self._arrays, self._objects = arrays, kinds
        self._memory()

    def _threads(self) -> None:
        """Print where each thread is, with the large arrays that it has at hand.

        From within, where they stand still: a dump from outside walks frames that are being made.
        """
        names = {t.ident: t.name for t in threading.enumerate()}
        for ident, top in sys._current_frames().items():
            print(f"    thread {names.get(ident, ident)}:")
            frame: FrameType | None = top
            for summary in reversed(traceback.extract_stack(top, limit=24)):
                at_hand: list[str] = []
                if frame is not None and ident != threading.get_ident():
                    large = [a for a in _owners(frame.f_locals.values()) if a.nbytes > _LARGE]
                    at_hand = [f"{a.dtype}{a.shape}" for a in large]
                    frame = frame.f_back
                place = "/".join(Path(summary.filename).parts[-3:])
                print(f"        {place}:{summary.lineno} {summary.name}", *at_hand)

    def _memory(self) -> None:
        """Print what the C library says, and the sizes of the blocks that are mapped."""
        info = getattr(ctypes.CDLL(None), "mallinfo2", None)
        if info is not None:
            info.restype = _Heap
            heap = info()
            print(
                f"    heaps {heap.arena / 1e6:.0f} MB, of which free {heap.fordblks / 1e6:.0f}; "
                f"mapped apart {heap.hblkhd / 1e6:.0f} in {heap.hblks}"
            )
        inside: Counter[str] = Counter()
        name = ""
        for line in Path("/proc/self/smaps").read_text().splitlines():
            words = line.split()
            if not words[0].endswith(":"):
                first, last = (int(n, 16) for n in words[0].split("-"))
                name = words[5] if len(words) > 5 else f"of no name, {(last - first) >> 20} MB"
            elif words[0] == "Rss:":
                inside[Path(name).name] += int(words[1]) >> 10
        print("    in memory, MB:", inside.most_common(20), flush=True)
