"""What was sent: every state of the look, what changed between them, and going back."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.editor import quiet
from sfumato.app.controls.rows import panel_column
from sfumato.app.guard import guarded
from sfumato.app.labels import Label, Line, set_tip
from sfumato.app.rooms.send.send_model import SendModel
from sfumato.app.services.jobs import Lane
from sfumato.app.theme import strong_font
from sfumato.app.views.easel import Easel
from sfumato.core.arrays import Array
from sfumato.core.path import path
from sfumato.core.study.changes import changes
from sfumato.core.study.version import Version, as_sent, version_of
from sfumato.work.cancel import Cancel
from sfumato.work.tiles import run_tiled

_ROLE = Qt.ItemDataRole.UserRole
_WIDTH = 960  # of the pictures that are compared


class VersionsPage(QWidget):
    """`name_wanted(version)`, `go_back_wanted(version)`."""

    name_wanted = Signal(object)
    go_back_wanted = Signal(object)

    def __init__(self, model: SendModel) -> None:
        super().__init__()
        self._model = model
        self._asked: Any = None
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        left = QWidget()
        column = panel_column(left, 300)
        head = Label("Versions")
        head.setProperty("strong", True)
        column.addWidget(head)
        self.list = QListWidget()
        self.list.setObjectName("send.versions")
        self.list.setAccessibleName("Versions that were sent")
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        set_tip(
            self.list, "Choose two (Ctrl) to compare them; one is compared with the look as it is."
        )
        self.list.itemSelectionChanged.connect(self._show)
        column.addWidget(self.list, 1)
        for name, words, signal, tip in (
            ("name", "Name it…", self._name, "Give the version a name of its own."),
            (
                "back",
                "Go back to it",
                self._back,
                "The look becomes what it was; undo brings it back.",
            ),
        ):
            button = QPushButton(words)
            button.setObjectName(f"send.version.{name}")
            set_tip(button, tip)
            button.clicked.connect(signal)
            column.addWidget(button)
        row.addWidget(left)
        right = QWidget()
        inner = QVBoxLayout(right)
        inner.setContentsMargins(16, 12, 16, 12)
        self.title = Line()
        self.title.setFont(strong_font(15))
        inner.addWidget(self.title)
        self.words = Label()
        self.words.setObjectName("send.version.words")
        self.words.setWordWrap(True)
        inner.addWidget(self.words)
        self.easel = Easel()
        self.easel.set_mode("split")
        inner.addWidget(self.easel, 1)
        self.files = quiet("")
        self.files.setObjectName("send.version.files")
        self.files.setWordWrap(True)
        inner.addWidget(self.files)
        row.addWidget(right, 1)
        self._lane = Lane("versions", self)
        self._lane.answered.connect(lambda pair: self.easel.show_sides(*pair))
        self._lane.refused.connect(model.services.notices.fault)
        self._lane.crashed.connect(model.services.notices.bug)
        model.services.model.changed.connect(
            lambda _b, _a: self.refresh() if self.isVisible() else None
        )
        model.services.desk.screen_changed.connect(self._on_screen)
        self.refresh()

    def _on_screen(self) -> None:
        self._asked = None
        self._show()

    # --- what is chosen --------------------------------------------------------------------------
    def chosen(self) -> list[Version]:
        """Return the chosen versions, the older first."""
        rows = sorted((self.list.row(i) for i in self.list.selectedItems()), reverse=True)
        return [self.list.item(row).data(_ROLE) for row in rows]  # the newest stands first

    def _name(self) -> None:
        if self.chosen():
            self.name_wanted.emit(self.chosen()[-1])

    def _back(self) -> None:
        if self.chosen():
            self.go_back_wanted.emit(self.chosen()[-1])

    # --- what is shown ---------------------------------------------------------------------------
    def refresh(self) -> None:
        versions = self._model.study.versions
        shown = [self.list.item(i).data(_ROLE) for i in range(self.list.count())]
        if shown != list(reversed(versions)):
            kept = {(v.look.name, v.number) for v in self.chosen()}
            self.list.blockSignals(True)
            self.list.clear()
            for version in reversed(versions):
                when = version.sent.replace("T", " ")
                words = f"{version.look.name}, {version.title}\n{when} · {len(version.files)} files"
                item = QListWidgetItem(words)
                item.setData(_ROLE, version)
                self.list.addItem(item)
                item.setSelected((version.look.name, version.number) in kept)
            self.list.blockSignals(False)
            if versions and not self.list.selectedItems():
                self.list.setCurrentRow(0)
        self._show()

    def _show(self) -> None:
        chosen = self.chosen() if self.list.count() else []
        for button in self.findChildren(QPushButton):
            button.setEnabled(bool(chosen))
        if not chosen:
            self.title.setText("Nothing was sent yet")
            self.words.setText("Every state of a look that is sent is kept here, with its files.")
            self.files.setText("")
            self.easel.show_nothing()
            return
        study = self._model.study
        one = chosen[0]
        two = chosen[-1] if len(chosen) > 1 else version_of(study)
        name = two.title if len(chosen) > 1 else "the look as it is now"
        self.title.setText(f"From {one.title} to {name}")
        found = changes(one, two) if one.state != two.state else ()
        self.words.setText("; ".join(found) or "Nothing was changed.")
        self.files.setText("   ".join(Path(f.path).name for f in chosen[-1].files[:12]))
        self._ask(one, two)

    def _ask(self, one: Version, two: Version) -> None:
        study, shot = self._model.study, self._model.services.desk.shot
        if shot is None or not self.isVisible():
            return
        wanted = (one.state, two.state, shot)
        if wanted == self._asked:
            return
        self._asked = wanted
        frames, previewer = self._model.services.desk.frames, self._model.services.desk.previewer

        def work(cancel: Cancel) -> tuple[Array, Array]:
            source = frames.sample(shot, _WIDTH)

            def seen(version: Version) -> Array:
                then = as_sent(study, version)

                def run(rgb: Array) -> Array:
                    code = path.to_working(shot, then, rgb)
                    code = path.through_ground(shot, then, code)
                    return path.through_view(then, path.through_look(then, code))

                return previewer.screened(then, run_tiled(run, source, cancel), cancel)

            return seen(one), seen(two)

        self._lane.ask(work)

    @guarded
    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.refresh()

    @property
    def is_busy(self) -> bool:
        return self._lane.is_busy

    def close_lane(self) -> None:
        self._lane.close()
