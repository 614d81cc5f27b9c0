"""The one place from which the command line reaches the window."""

from __future__ import annotations

from pathlib import Path


def open_window(study: Path | None, picture: Path | None = None) -> int:
    """Open the window; return the exit status. See `sfumato.app.main.main`."""
    from sfumato.app.main import main

    return main(study, picture)
