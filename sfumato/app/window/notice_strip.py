"""The strip that says what happened, and the line of running work with its cancel button."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QRectF, Qt, QTimer
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QProgressBar, QPushButton, QWidget

from sfumato.app.controls.editor import painted, quiet_line
from sfumato.app.guard import guarded
from sfumato.app.labels import Label, Line, set_tip
from sfumato.app.services.jobs import Queue, single_shot
from sfumato.app.services.notices import Notices
from sfumato.app.theme import colour

_PIGMENTS = {"fault": "cinnabar", "note": "azurite", "good": "malachite"}
_WORDS = {"fault": "Not done", "note": "Note", "good": "Done"}
_STAY_MS = 9000
_SOON_MS = 150  # work that is over sooner moves nothing on the page


class NoticeStrip(QWidget):
    """One notice at a time; faults stay until they are closed."""

    def __init__(self, notices: Notices) -> None:
        super().__init__()
        self._level = "note"
        self._act: Any = None
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 5, 8, 5)
        self._word = Label()
        self._text = Label()
        self._text.setObjectName("notice.text")
        self._text.setWordWrap(True)
        self._text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._button = QPushButton()
        self._button.setObjectName("notice.button")
        self._button.clicked.connect(self._run)
        close = QPushButton("Close")
        close.setObjectName("notice.close")
        close.setProperty("flat", True)
        close.clicked.connect(self.hide)
        row.addWidget(self._word)
        row.addWidget(self._text, 1)
        row.addWidget(self._button)
        row.addWidget(close)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.hide)
        notices.said.connect(self.say)
        self.hide()

    def say(self, level: str, text: str, hint: str, button: str, act: Any) -> None:
        self._level, self._act = level, act
        self._word.setText(_WORDS[level])
        painted(self._word, _PIGMENTS[level])
        whole = f"{text}; {hint}." if hint else f"{text}."
        self._text.setText(whole)
        set_tip(self._text, whole if whole != self._text.text() else "")
        self._button.setText(button)
        self._button.setVisible(bool(button))
        self.setAccessibleName(f"{_WORDS[level]}: {text}")
        self._timer.stop()
        if level != "fault" and not button:
            self._timer.start(_STAY_MS)
        self.show()
        self.update()

    def text(self) -> str:
        return self._text.text() if self.isVisible() else ""

    def _run(self) -> None:
        self.hide()
        if self._act is not None:
            self._act()

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour("raised"))
        painter.fillRect(QRectF(0, 0, 4, self.height()), colour(_PIGMENTS[self._level]))


class WorkLine(QWidget):
    """Shown while a job runs: words, a bar, and Cancel."""

    def __init__(self, queue: Queue) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 4, 8, 4)
        self._title = Line()
        self._bar = QProgressBar()
        self._bar.setRange(0, 1000)
        self._bar.setTextVisible(False)
        self._bar.setFixedHeight(6)
        self._words = quiet_line("")
        cancel = QPushButton("Cancel")
        cancel.setObjectName("work.cancel")
        cancel.setProperty("flat", True)
        cancel.clicked.connect(queue.cancel)
        row.addWidget(self._title)
        row.addWidget(self._bar, 1)
        row.addWidget(self._words)
        row.addWidget(cancel)
        queue.started.connect(self._start)
        queue.progressed.connect(self._progress)
        queue.ended.connect(lambda _how: self._end())
        self._soon = single_shot(self, _SOON_MS, self.show)
        self.hide()

    def _start(self, title: str) -> None:
        self._title.setText(title)
        self._bar.setValue(0)
        self._words.setText("")
        self._soon.start()

    def _end(self) -> None:
        self._soon.stop()
        self.hide()

    def _progress(self, share: float, words: str) -> None:
        self._bar.setValue(round(share * 1000))
        self._words.setText(words)
