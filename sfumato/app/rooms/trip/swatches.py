"""The folder of the Swatchbook that a look goes to."""

from __future__ import annotations

from pathlib import Path

from sfumato.app.services.services import Services
from sfumato.work.files import is_folder, make_folder
from sfumato.work.stores.coats import library_folder
from sfumato.work.trip.adopt import may_write


def swatch_folder(services: Services) -> Path | None:
    """Return the one folder of the Swatchbook that can be written to; ask when there are others or none."""
    kept = services.settings.texts("swatch_folders")
    folders = [Path(f) for f in kept if is_folder(Path(f)) and may_write(Path(f))]
    if len(folders) == 1:
        return folders[0].resolve()
    start = folders[0] if folders else library_folder()
    if not folders:
        make_folder(start)
    chosen = services.ports.choose_folder(services.window, start, "Folder of the Swatchbook")
    return chosen.resolve() if chosen is not None else None


def shown_there(services: Services, folder: Path) -> None:
    """Let the Swatchbook show a folder from now on."""
    kept = services.settings.texts("swatch_folders")
    if str(folder) not in kept:
        services.settings.set("swatch_folders", [*kept, str(folder)])
