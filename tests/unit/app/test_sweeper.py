"""What is of Qt ends in the window's thread: cycles, what workers were given, drawings that are cancelled."""

from __future__ import annotations

import gc
import threading
import weakref

import pytest
from PySide6.QtCore import QObject
from PySide6.QtWidgets import QWidget

from sfumato.app.paper import pdf, png
from sfumato.app.services import sweeper
from sfumato.app.services.sweeper import Sweeper, later
from sfumato.work.cancel import Cancelled


class _Sheet(QWidget):
    """A widget in a cycle, as one that was closed is; says in which thread it ends."""

    def __init__(self, ends: list[str]) -> None:
        super().__init__()
        self.again = lambda: self
        weakref.finalize(self, lambda: ends.append(threading.current_thread().name))


def _in_a_worker(work) -> None:
    thread = threading.Thread(target=work, name="worker")
    thread.start()
    thread.join()


def test_cycles_end_in_the_windows_thread(qtbot) -> None:
    window = QObject()
    swept = Sweeper(window)
    ends: list[str] = []
    _Sheet(ends)
    kept: list[list[int]] = []
    _in_a_worker(
        lambda: kept.extend([i] for i in range(200_000))
    )  # Python itself would look by then
    assert ends == []
    for _ in range(12):
        kept.extend([i] for i in range(1000))
        swept.look()
    assert ends == [threading.main_thread().name]
    del swept
    window.deleteLater()
    qtbot.waitUntil(gc.isenabled)


def test_what_a_worker_was_given_does_not_end_there(qtbot, monkeypatch) -> None:
    monkeypatch.setattr(sweeper, "_LATE", 0.0)
    ends: list[str] = []
    sheets = [_Sheet(ends)]

    def work() -> None:
        later(sheets.pop())

    window = QObject()
    swept = Sweeper(window)
    _in_a_worker(work)
    assert ends == []
    swept.look()
    gc.collect()
    assert ends == [threading.main_thread().name]
    window.deleteLater()
    qtbot.waitUntil(gc.isenabled)


@pytest.mark.parametrize("draw_on", [png, pdf])
def test_a_drawing_can_be_cancelled_in_a_worker(qtbot, draw_on) -> None:
    """What was left over ended the process."""
    said: list[str] = []

    def draw(painter, *_page: object) -> None:
        painter.drawLine(0, 0, 50, 50)
        raise Cancelled

    def work() -> None:
        for _ in range(100):
            try:
                png(900, 900, draw) if draw_on is png else pdf("Looks", 2, draw)
            except Cancelled:
                said.append("cancelled")

    _in_a_worker(work)
    assert len(said) == 100
