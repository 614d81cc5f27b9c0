"""What a process holds, for when it holds too much: printed, and each time what is more than the time before."""

from __future__ import annotations

import ctypes
import faulthandler
import gc
import sys
import threading
from collections import Counter
from typing import Any

import numpy as np


class _Heap(ctypes.Structure):  # mallinfo2 of the GNU C library
    _fields_ = [
        (name, ctypes.c_size_t)
        for name in (
            *("arena", "ordblks", "smblks", "hblks", "hblkhd"),
            *("usmblks", "fsmblks", "uordblks", "fordblks", "keepcost"),
        )
    ]


class Held:
    """Tells of threads, arrays, objects and kinds of memory; of some only by how much they grew."""

    def __init__(self) -> None:
        self._arrays: Counter[Any] | None = None
        self._objects: Counter[str] = Counter()

    def tell(self) -> None:
        """Print it; stops everything for about a second."""
        sys.stdout.flush()
        faulthandler.dump_traceback(
            sys.stdout, all_threads=True
        )  # frames of threads that run may not be walked
        print("    ", {t.name: f"{t.ident:#018x}" for t in threading.enumerate()})
        arrays, sizes, seen = Counter[Any](), Counter[Any](), set()
        objects = gc.get_objects()
        for thing in objects:
            for array in gc.get_referents(thing):  # the collector does not know arrays themselves
                while isinstance(array, np.ndarray) and isinstance(array.base, np.ndarray):
                    array = array.base
                if isinstance(array, np.ndarray) and id(array) not in seen:
                    seen.add(id(array))
                    arrays[str(array.dtype), array.shape] += 1
                    sizes[str(array.dtype), array.shape] += array.nbytes
        kinds = Counter(type(thing).__name__ for thing in objects)
        print(f"    {sizes.total() / 1e6:.0f} MB of arrays, most of them:")
        for kind, size in sizes.most_common(12):
            print(f"        {size / 1e6:.0f} MB in {arrays[kind]} of", *kind)
        if self._arrays is not None:
            print("    more arrays:", (arrays - self._arrays).most_common(8))
            print("    more objects:", (kinds - self._objects).most_common(8))
        self._arrays, self._objects = arrays, kinds
        info = getattr(ctypes.CDLL(None), "mallinfo2", None)
        if info is not None:
            info.restype = _Heap
            heap = info()
            print(
                f"    heaps {heap.arena / 1e6:.0f} MB, of which free {heap.fordblks / 1e6:.0f}; "
                f"mapped apart {heap.hblkhd / 1e6:.0f} in {heap.hblks}",
                flush=True,
            )
