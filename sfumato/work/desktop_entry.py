"""The program among the applications of the desktop: its entry, icon, MIME types and man page.

Everything goes into the user's own folders (XDG base directories); nothing needs more rights.
"""

from __future__ import annotations

import shutil
import subprocess
import sys
from importlib.resources import files
from pathlib import Path

import platformdirs

from sfumato.core.errors import ExportError
from sfumato.work.files import exists, is_file, is_folder, make_folder, refusal, write_bytes

# Where each file of `sfumato/desktop` belongs, below the user's (or the system's) data folder.
PLACES = {
    "sfumato.desktop": "applications",
    "sfumato.svg": "icons/hicolor/scalable/apps",
    "sfumato.xml": "mime/packages",
    "sfumato.metainfo.xml": "metainfo",
    "sfumato.1": "man/man1",
}
_CACHES = (("update-desktop-database", "applications"), ("update-mime-database", "mime"))


def data_folder() -> Path:
    """Return the folder in which desktops look for what a user has installed."""
    return Path(platformdirs.user_data_dir(appname=None))


def _program() -> str:
    """Return what starts this program: the command beside this Python, else the one on the path."""
    beside = Path(sys.executable).with_name("sfumato")
    return str(beside if is_file(beside) else shutil.which("sfumato") or "sfumato")


def install(folder: Path | None = None, program: str | None = None) -> list[Path]:
    """Put the files into a data folder; the entry names the program with its whole path.

    Raises:
        ExportError: the folder cannot be written.
    """
    root = folder or data_folder()
    command = program or _program()
    quoted = f'"{command}"' if " " in command else command
    made = []
    for name, place in PLACES.items():
        data = (files("sfumato") / "desktop" / name).read_bytes()
        if name == "sfumato.desktop":
            data = data.replace(b"Exec=sfumato ", f"Exec={quoted} ".encode())
        file = root / place / name
        make_folder(file.parent)
        write_bytes(file, data, force=True)
        made.append(file)
    _refresh(root)
    return made


def remove(folder: Path | None = None) -> list[Path]:
    """Take the files out again; return those that were there.

    Raises:
        ExportError: one of them cannot be removed.
    """
    root = folder or data_folder()
    gone = []
    for name, place in PLACES.items():
        file = root / place / name
        if exists(file):
            try:
                file.unlink()
            except OSError as error:
                raise refusal(error, file, ExportError) from error
            gone.append(file)
    _refresh(root)
    return gone


def _refresh(root: Path) -> None:
    """Let the desktop notice; without these tools it does so at the next login."""
    for command, place in _CACHES:
        if shutil.which(command) and is_folder(root / place):
            subprocess.run([command, str(root / place)], capture_output=True, check=False)
