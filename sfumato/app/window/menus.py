"""The menu bar, out of what actions declare."""

from __future__ import annotations

from PySide6.QtWidgets import QMainWindow, QMenu

from sfumato.app.services.actions import Actions, ActionSpec
from sfumato.app.window.study_files import StudyFiles


def make_menus(window: QMainWindow, table: Actions, files: StudyFiles) -> list[QMenu]:
    """Fill the menu bar of a window, and return its menus; all actions become the window's own."""
    bar = window.menuBar()
    menus: dict[str, QMenu] = {}
    inner: dict[tuple[str, str], QMenu] = {}
    last: ActionSpec | None = None
    for spec in table.specs:
        if spec.menu not in menus:
            menus[spec.menu] = bar.addMenu(spec.menu)
        elif last is not None and last.section != spec.section:
            menus[spec.menu].addSeparator()
        menu = menus[spec.menu]
        if spec.within:
            place = spec.menu, spec.within
            if place not in inner:
                inner[place] = menu.addMenu(spec.within)
            menu = inner[place]
        menu.addAction(table.by_id[spec.id])
        window.addAction(table.by_id[spec.id])
        if spec.id == "open_study":
            files.add_recent_menu(menu)
        last = spec
    return list(menus.values())
