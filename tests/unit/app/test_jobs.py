"""Lanes keep the newest answer, queues do everything in order; faults go where they belong."""

from __future__ import annotations

import threading
import time

import numpy as np
import pytest
from PySide6.QtCore import QEventLoop, QObject, QTimer
from shiboken6 import delete

from sfumato.app.services.jobs import Lane, Queue, Turn
from sfumato.core import breath
from sfumato.core.colour.encodings import encoding
from sfumato.core.errors import MediaError
from sfumato.core.lut.stages import Exponent
from sfumato.core.lut.transform import Transform
from sfumato.core.path.path import through_coat
from sfumato.core.study.coat import new_coat
from sfumato.work import memory, turns
from sfumato.work.tiles import workers


@pytest.fixture
def lane(qtbot):
    lane = Lane("test")
    yield lane
    lane.close()


def test_only_the_newest_answer_is_delivered(lane: Lane, qtbot) -> None:
    answers: list[int] = []
    lane.answered.connect(answers.append)
    gate = threading.Event()

    def slow(cancel) -> int:
        gate.wait(5)
        cancel.check()
        return 0

    lane.ask(slow)
    for i in range(1, 6):
        lane.ask(lambda _cancel, i=i: i)
    gate.set()
    qtbot.waitUntil(lambda: not lane.is_busy)
    assert answers == [5]


def test_patient_asks_let_the_running_one_show_its_step(lane: Lane, qtbot) -> None:
    answers: list[int] = []
    lane.answered.connect(answers.append)
    gate = threading.Event()

    def slow(cancel) -> int:
        gate.wait(5)
        cancel.check()
        return 0

    lane.ask(slow, patient=True)
    for i in range(1, 6):
        lane.ask(lambda _cancel, i=i: i, patient=True)
    gate.set()
    qtbot.waitUntil(lambda: not lane.is_busy)
    assert answers == [0, 5]


def test_dropped_work_is_silent_and_faults_are_told_apart(lane: Lane, qtbot) -> None:
    heard: list[object] = []
    lane.answered.connect(heard.append)
    lane.refused.connect(heard.append)
    lane.crashed.connect(heard.append)
    lane.ask(lambda _cancel: "never")
    lane.drop()

    def refuse(_cancel):
        raise MediaError("no picture")

    with qtbot.waitSignal(lane.refused):
        lane.ask(refuse)
    with qtbot.waitSignal(lane.crashed):
        lane.ask(lambda _cancel: 1 / 0)
    assert isinstance(heard[0], MediaError)
    assert "ZeroDivisionError" in str(heard[1])
    assert len(heard) == 2


def test_a_queue_does_all_in_order_and_cancels_one(qtbot) -> None:
    queue = Queue()
    done: list[object] = []
    queue.cancelled.connect(lambda title: done.append(title))
    gate = threading.Event()

    def long(cancel, progress):
        progress(0.5, "half")
        gate.wait(5)
        cancel.check()

    with qtbot.waitSignal(queue.progressed):
        queue.add("long", long)
        queue.add("short", lambda _cancel, _progress: 2, then=done.append, ended=done.append)
    queue.cancel()
    gate.set()
    qtbot.waitUntil(lambda: not queue.is_busy)
    assert done == ["long", 2, "finished"]
    queue.close()


def test_what_is_gone_is_told_nothing(qtbot) -> None:
    """Neither by a method of its own, nor by a function that it made within one."""

    class Sheet(QObject):
        def told(self, answer: int) -> None:
            answers.append((self.objectName(), answer))

        def asks(self, number: int) -> None:
            def then(answer: int) -> None:
                answers.append((self.objectName(), answer))

            queue.add("a", lambda _cancel, _progress: number, then=self.told)
            queue.add("b", lambda _cancel, _progress: number + 1, then=then)
            queue.add("c", lambda _cancel, _progress: number + 2, then=lambda n: self.told(n))

    answers, faults = list[tuple[str, int]](), list[str]()
    queue, gate = Queue(), threading.Event()
    queue.crashed.connect(faults.append)
    queue.add("first", lambda _cancel, _progress: gate.wait(5))
    stays, goes = Sheet(), Sheet()
    stays.setObjectName("stays")
    goes.asks(1)
    stays.asks(11)
    delete(goes)
    gate.set()
    qtbot.waitUntil(lambda: not queue.is_busy)
    assert answers == [("stays", 11), ("stays", 12), ("stays", 13)]
    assert faults == []
    queue.close()


def test_a_job_says_that_it_waits_for_other_large_work(qtbot, monkeypatch) -> None:
    monkeypatch.setattr(memory, "_HEAVY", memory._Turns(1))
    queue, said, gate, taken = Queue(), list[tuple[float, str]](), threading.Event(), []

    def other() -> None:
        with memory.heavy(lambda: None):
            taken.append(True)
            gate.wait(5)

    def work(cancel, progress) -> str:
        progress(0.3, "reading")
        with memory.heavy(cancel.check):
            return "done"

    first = threading.Thread(target=other)
    first.start()
    qtbot.waitUntil(lambda: bool(taken))
    queue.progressed.connect(lambda share, words: said.append((share, words)))
    answers: list[str] = []
    queue.add("export", work, then=answers.append)
    qtbot.waitUntil(lambda: len(said) == 2)
    assert said[1] == (0.3, "waiting for other large work to end")
    assert not answers
    gate.set()
    first.join()
    qtbot.waitUntil(lambda: answers == ["done"])
    queue.add("export", work, then=answers.append)  # nobody is before it: nothing is said
    qtbot.waitUntil(lambda: len(answers) == 2)
    assert len(said) == 3
    queue.close()


def test_lanes_in_turn_run_few_at_once_and_let_go_of_what_is_dropped(qtbot) -> None:
    most = max(1, workers() // 2)
    lanes = [Lane(f"turn {i}", turn=Turn.LAST) for i in range(most + 2)]
    running, seen, gate = [0], [0], threading.Event()
    lock = threading.Lock()

    def work(_cancel) -> int:
        with lock:
            running[0] += 1
            seen[0] = max(seen[0], running[0])
        gate.wait(5)
        with lock:
            running[0] -= 1
        return 1

    answers: list[int] = []
    for lane in lanes:
        lane.answered.connect(answers.append)
        lane.ask(work)
    qtbot.waitUntil(lambda: running[0] == most)
    quick = Lane("hand", turn=Turn.FIRST)  # what the hand waits for does not take turns
    quick.answered.connect(answers.append)
    quick.ask(lambda _cancel: 7)
    qtbot.waitUntil(lambda: answers == [7])
    waiting = next(lane for lane in reversed(lanes) if lane.is_busy)
    waiting.drop()  # no turn was its own yet: it ends without an answer
    gate.set()
    qtbot.waitUntil(lambda: not any(lane.is_busy for lane in lanes))
    qtbot.waitUntil(lambda: len(answers) == most + 2)
    assert seen[0] <= most
    for lane in (*lanes, quick):
        lane.close()


@pytest.mark.parametrize("where", ["check", "glaze", "stage"])
def test_workers_give_way_while_the_window_does_not_answer(
    lane: Lane, qtbot, monkeypatch, where: str
) -> None:
    """They pause when it has much to do, go on when it answers, and do not wait for ever."""
    monkeypatch.setattr(breath, "_PAUSES", [])
    with monkeypatch.context() as still:
        still.setattr(turns.sys, "setswitchinterval", lambda _seconds: None)
        still.setattr(turns, "_ask_short_slices", lambda: None)
        turns.short_turns()
    steps, halted = [], threading.Event()
    code, working = np.full((4, 3), 0.4, np.float32), encoding("BT.1886")
    coat, brighter = new_coat("exposure", stops=1.0), Transform((Exponent((1.1,) * 3),))
    work = {
        "check": lambda cancel: cancel.check(),
        "glaze": lambda _cancel: through_coat(coat, code, working),
        "stage": lambda _cancel: brighter.apply(code),
    }[where]

    def count(cancel) -> None:
        while not halted.is_set():
            work(cancel)
            steps.append(time.perf_counter())
            time.sleep(0.001)

    lane.ask(count)
    qtbot.waitUntil(lambda: len(steps) > 50)
    time.sleep(0.06)  # a loop of events that stands still
    then = len(steps)
    time.sleep(0.1)
    assert len(steps) == then
    qtbot.waitUntil(lambda: len(steps) > then + 20)
    then = len(steps)
    end = time.monotonic() + 20
    while len(steps) < then + 400 and time.monotonic() < end:
        time.sleep(0.01)
    assert len(steps) >= then + 400
    halted.set()
    qtbot.waitUntil(lambda: not lane.is_busy)


def test_answers_that_come_at_once_leave_the_window_a_turn_between(qtbot) -> None:
    lanes = [Lane(f"test {i}", turn=Turn.FIRST) for i in range(4)]
    heard: list[object] = []
    turn = QTimer()
    turn.setInterval(0)  # fires once in each turn of the loop

    def work_long(answer: object) -> None:
        heard.append(answer)
        time.sleep(0.02)  # longer than any wait between two answers

    gone = threading.Barrier(5)
    for i, lane in enumerate(lanes):
        lane.answered.connect(work_long)
        lane.ask(lambda _cancel, i=i: (gone.wait(5), i)[1])
    gone.wait(5)
    for lane in lanes:
        lane._pool.shutdown(wait=True)  # all four answers wait in the loop now
    turn.timeout.connect(lambda: heard.append("turn") if heard else None)
    turn.start()
    qtbot.waitUntil(lambda: not any(lane.is_busy for lane in lanes))
    turn.stop()
    for lane in lanes:
        lane.close()
    answers = [a for a in heard if a != "turn"]
    assert sorted(answers) == [0, 1, 2, 3]
    between = [i for i, a in enumerate(heard) if a != "turn"]
    assert all(b - a > 1 for a, b in zip(between, between[1:], strict=False)), heard


def test_answers_come_while_one_of_them_runs_a_loop_of_its_own(qtbot) -> None:
    first, second = Lane("first"), Lane("second")
    heard: list[object] = []
    loop = QEventLoop()
    second.answered.connect(lambda answer: (heard.append(answer), loop.quit()))

    def open_a_sheet(answer: object) -> None:
        heard.append(answer)
        second.ask(lambda _cancel: "in its loop")
        QTimer.singleShot(5000, loop.quit)
        loop.exec()
        heard.append("closed")

    first.answered.connect(open_a_sheet)
    first.ask(lambda _cancel: "opens")
    qtbot.waitUntil(lambda: len(heard) == 3)
    first.close()
    second.close()
    assert heard == ["opens", "in its loop", "closed"]


def test_no_lane_runs_far_ahead_of_a_window_that_is_behind(lane: Lane, qtbot) -> None:
    """Answers are pictures: while the window is busy a lane keeps two of them, and the newest work."""
    answers: list[int] = []
    lane.answered.connect(answers.append)
    done: list[int] = []
    for i in range(6):  # nobody looks at events meanwhile
        lane.ask(lambda _cancel, i=i: (done.append(i), i)[1], patient=True)
        end = time.monotonic() + (2 if i < 2 else 0.1)
        while len(done) <= i and time.monotonic() < end:
            time.sleep(0.002)
        time.sleep(0.02)  # until the worker has let go of it
    assert done == [0, 1]
    assert lane.is_busy
    qtbot.waitUntil(lambda: not lane.is_busy)
    assert answers == [0, 1, 5]
