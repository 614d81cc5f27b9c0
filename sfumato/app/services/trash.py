"""The desktop's trash: a file into it, and out of it again."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QDir, QFile, QStandardPaths

from sfumato.core.errors import ExportError


def to_trash(path: Path) -> Path:
    """Put a file or folder into the trash and return where it lies there.

    Raises:
        ExportError: the desktop does not take it.
    """
    home = QStandardPaths.writableLocation(QStandardPaths.StandardLocation.GenericDataLocation)
    QDir().mkpath(home)  # the trash is made in it, and fails where it is not there yet
    file = QFile(str(path))
    if not file.moveToTrash():
        raise ExportError(
            f"{path.name} cannot be put into the trash",
            hint="delete it in the file manager",
            where=str(path),
        )
    return Path(file.fileName())


def forget_in_trash(place: Path) -> None:
    """Remove what the trash knows of a file that was taken out of it."""
    info = place.parent.parent / "info" / f"{place.name}.trashinfo"
    info.unlink(missing_ok=True)
