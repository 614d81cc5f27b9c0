"""The ICC profile of the screen, as the desktop tells it: "ICC Profiles in X", 0.4."""

from __future__ import annotations

import ctypes
import ctypes.util

_MOST = 8 << 20
_ANY = 0


def x11_profile(screen: int = 0) -> bytes | None:
    """Return the profile that the X server's root window carries for a screen; None without one."""
    name = ctypes.util.find_library("X11")
    if name is None:
        return None
    x11 = ctypes.CDLL(name)
    x11.XOpenDisplay.restype = ctypes.c_void_p
    x11.XDefaultRootWindow.argtypes = [ctypes.c_void_p]
    x11.XDefaultRootWindow.restype = ctypes.c_ulong
    x11.XInternAtom.argtypes = [ctypes.c_void_p, ctypes.c_char_p, ctypes.c_int]
    x11.XInternAtom.restype = ctypes.c_ulong
    x11.XCloseDisplay.argtypes = [ctypes.c_void_p]
    x11.XFree.argtypes = [ctypes.c_void_p]
    x11.XGetWindowProperty.argtypes = [
        ctypes.c_void_p,
        ctypes.c_ulong,
        ctypes.c_ulong,
        ctypes.c_long,
        ctypes.c_long,
        ctypes.c_int,
        ctypes.c_ulong,
        ctypes.POINTER(ctypes.c_ulong),
        ctypes.POINTER(ctypes.c_int),
        ctypes.POINTER(ctypes.c_ulong),
        ctypes.POINTER(ctypes.c_ulong),
        ctypes.POINTER(ctypes.c_void_p),
    ]
    display = x11.XOpenDisplay(None)
    if not display:
        return None
    try:
        atom_name = "_ICC_PROFILE" if screen == 0 else f"_ICC_PROFILE_{screen}"
        atom = x11.XInternAtom(display, atom_name.encode(), True)
        if not atom:
            return None
        kind, form = ctypes.c_ulong(), ctypes.c_int()
        count, left, data = ctypes.c_ulong(), ctypes.c_ulong(), ctypes.c_void_p()
        found = (kind, form, count, left, data)
        root = x11.XDefaultRootWindow(display)
        ask = (display, root, atom, 0, _MOST // 4, False, _ANY)
        if x11.XGetWindowProperty(*ask, *(ctypes.byref(f) for f in found)) or not data.value:
            return None
        profile = ctypes.string_at(data.value, count.value) if form.value == 8 else b""
        x11.XFree(data)
        return profile or None
    finally:
        x11.XCloseDisplay(display)
