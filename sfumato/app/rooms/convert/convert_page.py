"""The Convert room: files in at the left, the assay in the middle, files out at the right."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent, QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QStackedWidget, QWidget

from sfumato.app.guard import guarded
from sfumato.app.rooms.convert.assay_panel import AssayPanel
from sfumato.app.rooms.convert.batch_panel import BatchPanel
from sfumato.app.rooms.convert.compare_panel import ComparePanel
from sfumato.app.rooms.convert.convert_model import ConvertModel
from sfumato.app.rooms.convert.lut_list import LutList
from sfumato.app.rooms.convert.targets_panel import TargetsPanel


class ConvertPage(QWidget):
    """Lays the three parts out; the middle shows the assay, a comparison or a batch."""

    def __init__(self, model: ConvertModel) -> None:
        super().__init__()
        self.list = LutList(model)
        self.assay = AssayPanel(model)
        self.compare = ComparePanel()
        self.batch = BatchPanel()
        self.targets = TargetsPanel(model)
        self.list.setFixedWidth(290)
        self.targets.setFixedWidth(286)
        self.middle = QStackedWidget()
        for page in (self.assay, self.compare, self.batch):
            self.middle.addWidget(page)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        row.addWidget(self.list)
        row.addWidget(self.middle, 1)
        row.addWidget(self.targets)
        self.compare.closed.connect(self.show_assay)
        self.batch.closed.connect(self.show_assay)
        model.chosen_changed.connect(self._on_chosen)

    def _on_chosen(self) -> None:
        if self.middle.currentWidget() is self.compare:
            self.show_assay()

    @guarded
    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.list.files.setFocus()

    def show_assay(self) -> None:
        self.middle.setCurrentWidget(self.assay)

    @guarded
    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape and self.middle.currentWidget() is self.compare:
            self.show_assay()
        else:
            super().keyPressEvent(event)
