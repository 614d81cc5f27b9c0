"""Actions: every command is declared once, by the window or by a room.

Menus, palette, keyboard sheet and shortcuts derive from the declarations; the objects that carry
them out have a method for each id.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from attrs import field, frozen
from PySide6.QtCore import QObject, Qt
from PySide6.QtGui import QAction, QKeySequence

K = QKeySequence.StandardKey


@frozen
class ActionSpec:
    """One command.

    `menu` is a heading of the menu bar, `section` its part of that menu (0 first; a line stands
    between sections), `within` a menu of its own inside that part. `when` is a condition that a room
    or the window gives, "" = always; `on` one that puts a check mark before it, "" = never.
    """

    id: str
    text: str
    menu: str
    shortcut: str | K = ""
    when: str = ""
    help: str = field(default="", kw_only=True)
    section: int = field(default=0, kw_only=True)
    within: str = field(default="", kw_only=True)
    on: str = field(default="", kw_only=True)


FIRST, LAST = ("Study", "Edit", "View"), ("Help",)  # menus; those that rooms bring stand between


def in_order(specs: Sequence[ActionSpec]) -> list[ActionSpec]:
    """Return actions by menu, then section; within one as they come."""
    menus = dict.fromkeys([*FIRST, *(s.menu for s in specs if s.menu not in LAST), *LAST])
    place = {menu: i for i, menu in enumerate(menus)}
    return sorted(specs, key=lambda s: (place[s.menu], s.section))


def owned(owners: Sequence[object], name: str) -> Callable[[], object]:
    """Return the method of an action's name: exactly one of its owners has it."""
    found: list[Callable[[], object]] = [getattr(o, name) for o in owners if hasattr(o, name)]
    if len(found) != 1:
        raise RuntimeError(f"the action {name} needs one owner, not {len(found)}")
    return found[0]


class Actions:
    """The declared commands as QActions that call what carries them out."""

    def __init__(self) -> None:
        self.specs: list[ActionSpec] = []
        self.by_id: dict[str, QAction] = {}
        self._true: set[str] | None = None  # the conditions that are met

    def fill(
        self,
        window: QObject,
        specs: Sequence[ActionSpec],
        runs: Mapping[str, Callable[[], object]],
    ) -> None:
        """Make the actions; `runs` carries them out."""
        self.specs = in_order(specs)
        for spec in self.specs:
            action = QAction(spec.text, window)
            action.setObjectName(spec.id)
            action.setCheckable(bool(spec.on))
            if spec.shortcut:
                action.setShortcut(QKeySequence(spec.shortcut))
            action.setShortcutContext(Qt.ShortcutContext.WindowShortcut)
            if spec.id in self.by_id:
                raise RuntimeError(f"the action {spec.id} is declared twice")
            action.triggered.connect(self._runner(runs[spec.id]))
            self.by_id[spec.id] = action

    def run(self, name: str) -> None:
        """Do what an action does, from a button or another room."""
        self.by_id[name].trigger()

    def name_file(self, name: str, ids: Sequence[str]) -> None:
        """Let commands that say "the file" name it; "" takes the name out again."""
        for spec in self.specs:
            if spec.id in ids:
                plain = name.replace("&", "&&")
                text = spec.text.replace("the file", plain) if name else spec.text
                self.by_id[spec.id].setText(text)

    @staticmethod
    def _runner(run: Callable[[], object]) -> Callable[..., None]:
        def runner(*_checked: object) -> None:
            run()

        return runner

    def refresh(self, true: set[str]) -> None:
        """Enable what can run, and check what is on; `true` holds the conditions that are met."""
        for spec in self.specs:
            if spec.on:  # a click has turned it over, whatever it did
                self.by_id[spec.id].setChecked(spec.on in true)
        if true == self._true:
            return  # as at each step of a drag
        self._true = true
        for spec in self.specs:
            self.by_id[spec.id].setEnabled(not spec.when or spec.when in true)
