"""The line of the Seal that says what the LUT expects and gives, and the menu that changes it."""

from __future__ import annotations

from functools import partial
from typing import Any

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QPaintEvent
from PySide6.QtWidgets import (
    QMenu,
    QPushButton,
    QSizePolicy,
    QStyle,
    QStyleOptionButton,
    QStylePainter,
)

from sfumato.app.controls.parts import passing_menu
from sfumato.app.guard import guarded
from sfumato.app.labels import set_tip
from sfumato.app.rooms.look.menus import encoding_picker
from sfumato.core.colour.encodings import encoding
from sfumato.core.path.path import SPANS, span_names, span_sentence, with_entry, with_leave
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study

_HELP = "What the LUT expects and gives; click to change it."


class SpanLine(QPushButton):
    """`chosen(Span)` when another Span is asked for."""

    chosen = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("seal.span")
        self.setProperty("flat", True)
        self.setProperty("line", True)
        self.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Fixed)
        set_tip(self, _HELP)
        self.setAccessibleName("Span of the LUT")
        self._study = Study()
        self._shot: Shot | None = None
        self.clicked.connect(self._open)

    def show_study(self, study: Study, shot: Shot | None) -> None:
        self._study, self._shot = study, shot
        self.setText(span_sentence(study, shot))
        self.setAccessibleDescription(self.text())
        set_tip(self, f"{self.text()}.\n{_HELP}")

    @guarded
    def minimumSizeHint(self) -> QSize:
        return QSize(80, super().minimumSizeHint().height())

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        option = QStyleOptionButton()
        self.initStyleOption(option)
        option.text = self.fontMetrics().elidedText(  # type: ignore[attr-defined]
            self.text(), Qt.TextElideMode.ElideRight, self.width() - 4
        )
        QStylePainter(self).drawControl(QStyle.ControlElement.CE_PushButton, option)

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
        ends = (
            ("Expects", with_entry, entry, lambda _space: True),
            ("Gives", with_leave, leave, lambda space: scene or not space.is_scene),
        )
        for title, change, name, offered in ends:
            action = menu.addAction(
                f"{title}…", partial(self._choose_end, title, change, name, offered)
            )
            action.setObjectName(f"span.{title.lower()}")
        return menu

    def _choose_end(self, title: str, change: Any, name: str, offered: Any) -> None:
        """Open the list of encodings for one end of the LUT."""
        picker = encoding_picker(
            self,
            f"What the LUT {title.lower()}",
            lambda chosen: self.chosen.emit(change(self._study, chosen)),
            name,
            offered,
        )
        picker.popup(self.mapToGlobal(self.rect().bottomLeft()))

    def _open(self) -> None:
        self.menu_of().popup(self.mapToGlobal(self.rect().bottomLeft()))
