"""The line of the Seal that says what the LUT expects and gives, and the menu that changes it."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QMenu, QPushButton

from sfumato.app.controls.parts import passing_menu
from sfumato.app.labels import set_tip
from sfumato.app.rooms.look.menus import encoding_menu
from sfumato.core.colour.encodings import encoding
from sfumato.core.path.path import SPANS, span_names, span_sentence, with_entry, with_leave
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study


class SpanLine(QPushButton):
    """`chosen(Span)` when another Span is asked for."""

    chosen = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("seal.span")
        self.setProperty("flat", True)
        self.setProperty("line", True)
        set_tip(self, "What the LUT expects and gives; click to change it.")
        self.setAccessibleName("Span of the LUT")
        self._study = Study()
        self._shot: Shot | None = None
        self.clicked.connect(self._open)

    def show_study(self, study: Study, shot: Shot | None) -> None:
        self._study, self._shot = study, shot
        self.setText(span_sentence(study, shot))
        self.setAccessibleDescription(self.text())

    def menu_of(self) -> QMenu:
        """Make the menu: the usual Spans, then any encoding for either end."""
        study, shot = self._study, self._shot
        menu = passing_menu(self)
        for choice in SPANS:
            span = choice.span(study, shot)
            action = menu.addAction(choice.title, partial(self.chosen.emit, span))
            action.setObjectName(f"span.{choice.key}")
            action.setCheckable(True)
            action.setChecked(span == study.span)
        menu.addSeparator()
        entry, leave = span_names(study, shot)
        scene = encoding(study.working).is_scene
        expects = encoding_menu(menu, lambda n: self.chosen.emit(with_entry(self._study, n)), entry)
        gives = encoding_menu(
            menu,
            lambda n: self.chosen.emit(with_leave(self._study, n)),
            leave,
            lambda space: scene or not space.is_scene,
        )
        for part, title in ((expects, "Expects"), (gives, "Gives")):
            part.setTitle(title)
            part.setObjectName(f"span.{title.lower()}")
            menu.addMenu(part)
        return menu

    def _open(self) -> None:
        self.menu_of().popup(self.mapToGlobal(self.rect().bottomLeft()))
