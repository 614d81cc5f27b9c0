"""Errors in methods that Qt calls: reported like any other, and answered as Qt would by itself."""

from __future__ import annotations

import functools
import sys
from collections.abc import Callable
from typing import Any, TypeVar

M = TypeVar("M", bound=Callable[..., Any])


def guarded(method: M) -> M:
    """Let an override of a Qt method report its errors and answer with what the base does.

    Qt calls such a method from C++, through which no Python error can pass. PySide6 6.11 on Python
    3.11 ends the process when C code raises one (`list.index`, `int("x")`) and the call came by
    `sendEvent`, `setFocus`, `resize` or `close`. So none is let out; a test holds that every override
    has this.
    """

    @functools.wraps(method)
    def run(self: Any, *given: Any) -> Any:
        try:
            return method(self, *given)
        except Exception:
            sys.excepthook(*sys.exc_info())  # type: ignore[arg-type]
            return _by_qt(self, run, given)

    run.is_guarded = True  # type: ignore[attr-defined]
    return run  # type: ignore[return-value]


def _by_qt(self: Any, override: Any, given: tuple[Any, ...]) -> Any:
    """Do what the method of Qt does that was overridden; nothing when that fails as well."""
    name = override.__name__
    order = type(self).__mro__
    own = next((i for i, cls in enumerate(order) if vars(cls).get(name) is override), 0)
    for base in order[own + 1 :]:
        if base.__module__.startswith("PySide6") and name in vars(base):
            try:
                return vars(base)[name](self, *given)
            except Exception:
                return None
    return None
