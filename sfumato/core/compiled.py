"""The compiled forms of what every colour step is made of, once they are loaded; None until then.

Each has a NumPy form beside its caller that gives the same to rounding: it serves small arrays,
float64, and the first seconds of the program.
"""

from __future__ import annotations

from typing import Any

import numpy as np

WORTH = 96  # numbers from which a compiled form is quicker


class _Loaded:
    module: Any = None


def load_kernels() -> None:
    """Compile the kernels or load them from the cache."""
    from sfumato.core.kernels import colour

    _Loaded.module = colour


def kernels(x: Any) -> Any:
    """Return the compiled forms when they are loaded and `x` is float32 and large enough, else None."""
    if _Loaded.module is None or x.dtype != np.float32 or x.size < WORTH:
        return None
    return _Loaded.module
