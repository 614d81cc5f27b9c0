"""Menus made from the registries."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtWidgets import QMenu, QWidget

from sfumato.app.controls.parts import passing_menu
from sfumato.app.labels import set_tip
from sfumato.core.colour.encodings import Encoding, Family, encodings
from sfumato.core.glaze import Category, glazes


def glaze_menu(parent: QWidget, add: Callable[[str], None]) -> QMenu:
    """Make the "Add a glaze" menu from the registry, by group."""
    menu = passing_menu(parent)
    menu.setToolTipsVisible(True)
    for group in Category:
        specs = sorted((s for s in glazes().values() if s.group is group), key=lambda s: s.title)
        if not specs:
            continue
        menu.addSection(group.value)
        for spec in specs:
            action = menu.addAction(spec.title, partial(add, spec.key))
            action.setObjectName(f"add.{spec.key}")
            set_tip(action, spec.help)
    return menu


def encoding_menu(
    parent: QWidget,
    choose: Callable[[str], None],
    current: str | None,
    offered: Callable[[Encoding], bool] = lambda _space: True,
) -> QMenu:
    """Make a menu of encodings, by family."""
    menu = passing_menu(parent)
    for family in Family:
        spaces = [s for s in encodings().values() if s.family is family and offered(s)]
        if spaces:
            menu.addSection(family.value.capitalize())
        for space in spaces:
            if not space.is_view:
                action = menu.addAction(space.title, partial(choose, space.name))
                action.setCheckable(True)
                action.setChecked(space.name == current)
    return menu
