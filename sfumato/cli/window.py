"""The only road from the command line into the window."""

from __future__ import annotations

from pathlib import Path


def open_window(study: Path | None) -> int:
    """Open the window on a study (None: empty); returns the exit status when it is closed."""
    from sfumato.app.main import main

    return main(study)
