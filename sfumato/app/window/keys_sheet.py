"""The keyboard sheet: every key, of actions and of controls, searched by words."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtWidgets import QDialog, QLineEdit, QTreeWidget, QTreeWidgetItem, QVBoxLayout, QWidget

from sfumato.app.controls import (
    chroma_pad,
    curve_field,
    frame_bar,
    hue_field,
    levels_field,
    nudge_map,
    reach_field,
    scrub,
    tint_ramp,
)
from sfumato.app.labels import set_help, set_tip
from sfumato.app.services.actions import Actions
from sfumato.app.services.room import Keys
from sfumato.app.theme import strong_font
from sfumato.app.views import easel, scope

CONTROLS = {
    "Numbers": scrub.KEYS,
    "Easel": easel.KEYS,
    "Instruments": scope.KEYS,
    "Frames of a clip": frame_bar.KEYS,
    "Curve field": curve_field.KEYS,
    "Levels": levels_field.KEYS,
    "Chroma pads": chroma_pad.KEYS,
    "Tint ramp": tint_ramp.KEYS,
    "Hue table": hue_field.KEYS,
    "Nudge map": nudge_map.KEYS,
    "Reach strips": reach_field.KEYS,
}


def sheet(actions: Actions, own: Sequence[Mapping[str, Keys]]) -> dict[str, list[tuple[str, str]]]:
    """Return keys and what they do, by heading: the menus, the rooms' `own` controls, the others."""
    out: dict[str, list[tuple[str, str]]] = {}
    for spec in actions.specs:
        keys = actions.by_id[spec.id].shortcut().toString(QKeySequence.SequenceFormat.NativeText)
        if keys:
            out.setdefault(spec.menu, []).append((keys, spec.text.rstrip("…")))
    for keys_of in (*own, CONTROLS):
        out |= {name: list(rows) for name, rows in keys_of.items()}
    return out


class KeysSheet(QDialog):
    """Type to narrow: by what is done, by a key, or by a heading."""

    def __init__(
        self, actions: Actions, own: Sequence[Mapping[str, Keys]], parent: QWidget
    ) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Keyboard sheet")
        self.setObjectName("keys")
        self.resize(620, 640)
        self._sheet = sheet(actions, own)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 12, 12, 12)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Search keys: a word, or a key such as Ctrl+D")
        self.search.setAccessibleName("Search keys")
        set_tip(self.search, "Narrows the list to what is done, or to a key.")
        self.search.setClearButtonEnabled(True)
        column.addWidget(self.search)
        self.tree = QTreeWidget()
        self.tree.setColumnCount(2)
        self.tree.setHeaderHidden(True)
        self.tree.setRootIsDecorated(False)
        self.tree.setIndentation(12)
        self.tree.setAccessibleName("Keys")
        set_help(self.tree, "Every key and what it does, by where it works.")
        self.tree.setColumnWidth(0, 220)
        column.addWidget(self.tree, 1)
        self.search.textChanged.connect(self._narrow)
        self._narrow("")

    def _narrow(self, text: str) -> None:
        words = text.casefold().split()
        self.tree.clear()
        for heading, rows in self._sheet.items():
            found = [
                r for r in rows if all(w in f"{heading} {r[0]} {r[1]}".casefold() for w in words)
            ]
            if not found:
                continue
            top = QTreeWidgetItem([heading])
            top.setFont(0, strong_font())
            top.setFlags(Qt.ItemFlag.ItemIsEnabled)
            self.tree.addTopLevelItem(top)
            for keys, what in found:
                top.addChild(QTreeWidgetItem([keys, what]))
        self.tree.expandAll()
        if not self.tree.topLevelItemCount():
            self.tree.addTopLevelItem(QTreeWidgetItem(["", f"No key is about “{text}”"]))
