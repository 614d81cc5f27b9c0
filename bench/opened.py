"""A real window for benches, with folders of its own and stand-ins for the desktop's choosers."""

from __future__ import annotations

import os
import sys
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parents[1]


def own_folders(folder: Path) -> dict[str, str]:
    """Return the environment in which the program keeps everything below a folder."""
    kinds = {
        f"XDG_{kind}_HOME": str(folder / kind.lower())
        for kind in ("CONFIG", "STATE", "DATA", "CACHE")
    }
    return {
        "HOME": str(folder),
        "QT_QPA_PLATFORM": os.environ.get("QT_QPA_PLATFORM", "offscreen"),
    } | kinds


def opened(folder: Path, ports: Any = None, *, fast: bool = True) -> tuple[Any, Any]:
    """Open a window of 1280x800 whose folders lie in `folder`; return the application and a hand on it.

    `fast` shortens the rests as the tests do.
    """
    os.environ.update(own_folders(folder))
    os.environ.setdefault("NUMBA_CACHE_DIR", str(ROOT / ".numba_cache"))
    sys.path.insert(0, str(ROOT / "tests"))
    from sfumato.work.turns import one_thread_a_product, short_turns
    from sfumato.work.warm import choose_cache, warm

    one_thread_a_product()
    choose_cache()
    import attrs
    from hand import RESTS, Hand, StandInPorts
    from PySide6.QtWidgets import QApplication

    from sfumato.app import theme
    from sfumato.app.services.settings import Settings
    from sfumato.app.window.main_window import MainWindow
    from sfumato.work.memory import keep_large_apart

    keep_large_apart()
    short_turns()
    warm()
    application = QApplication([])
    theme.install(application)
    ports = ports or StandInPorts()
    # Random use works on a copy: results lie beside it.
    demo = getattr(ports, "demo", ROOT / "demo" / "saltglass.sfumato")
    rests = attrs.evolve(RESTS, rooms=300) if fast else None
    window = MainWindow(Settings(folder / "s.ini"), ports, demo, rests)
    window.resize(1280, 800)
    window.show()
    return application, Hand(window, ports)
