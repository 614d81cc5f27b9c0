"""Lists made from the registries: of glazes, of encodings."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QWidget

from sfumato.app.controls.chooser import encoding_entry
from sfumato.app.controls.picker import Entry, Picker
from sfumato.core.colour.encodings import Encoding, Family, encodings
from sfumato.core.glaze import Category, glazes


def glaze_picker(parent: QWidget, add: Callable[[str], None]) -> Picker:
    """Make the list of "Add a glaze" from the registry, by group."""
    entries = [
        Entry(spec.key, spec.title, spec.group.value, spec.help)
        for group in Category
        for spec in sorted(glazes().values(), key=lambda s: s.title)
        if spec.group is group
    ]
    picker = Picker("Add a glaze", entries, parent)
    picker.chosen.connect(add)
    return picker


def encoding_picker(
    parent: QWidget,
    title: str,
    choose: Callable[[str], None],
    current: str | None,
    offered: Callable[[Encoding], bool] = lambda _space: True,
    more: dict[str, Callable[[], None]] | None = None,
) -> Picker:
    """Make a list of encodings, by family; those of a config by themselves."""
    spaces = [s for s in encodings().values() if not s.is_view and offered(s)]
    families = list(Family)
    spaces.sort(key=lambda s: (s.config, families.index(s.family)))
    picker = Picker(title, [encoding_entry(s) for s in spaces], parent, current=current, more=more)
    picker.chosen.connect(choose)
    return picker
