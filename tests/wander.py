"""Random use: seeded events of mouse, keys, wheel and drops, and every action, on the real window."""

from __future__ import annotations

import faulthandler
import os
import random
import re
import resource
import shutil
import sys
import tempfile
import threading
import time
import traceback
from collections.abc import Callable
from pathlib import Path
from typing import Any

import attrs
from hand import Hand, StandInPorts
from PySide6.QtCore import (
    QEvent,
    QMimeData,
    QPoint,
    QPointF,
    Qt,
    QTimer,
    QtMsgType,
    QUrl,
    qInstallMessageHandler,
)
from PySide6.QtGui import (
    QDesktopServices,
    QDragEnterEvent,
    QDragLeaveEvent,
    QDragMoveEvent,
    QDropEvent,
)
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialog, QMenu, QWidget
from shiboken6 import isValid

from sfumato.app.views.graph import Graph
from sfumato.core.study.study import Study
from sfumato.work.stores import presets
from sfumato.work.stores.study_store import read_study, with_luts

ROOT = Path(__file__).resolve().parents[1]
BEAT = 5  # milliseconds
_GAP = 0.1  # seconds
# What takes another study, or ends the window: the way back to the first one would be cut.
_LEFT_OUT = {"new_study", "open_study", "open_demo", "close_window", "quit"}
_NAMES = (
    *"ABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789",
    *("Up", "Down", "Left", "Right", "Tab", "Backtab", "Return", "Escape", "Delete", "Backspace"),
    *("Home", "End", "PageUp", "PageDown", "Space", "Minus", "Plus", "Period", "F2", "F5", "F10"),
)
_KEYS = [getattr(Qt.Key, f"Key_{name}") for name in _NAMES]
_HELD = [
    Qt.KeyboardModifier.NoModifier,
    Qt.KeyboardModifier.NoModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.AltModifier,
    Qt.KeyboardModifier.ControlModifier,
]
_LEFT, _RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton


class AnyPorts(StandInPorts):
    """A person who answers anything; every file that is written lies in one folder."""

    def __init__(self, dice: random.Random, folder: Path) -> None:
        super().__init__()
        self.dice, self.folder = dice, folder
        self.end: Path | None = None
        demo = folder / "demo"  # a copy: files are renamed and thrown away
        shutil.copytree(ROOT / "demo", demo)
        self.looks = folder / "looks"
        shutil.copytree(presets.shipped_folder(), self.looks)
        self.demo = demo / "saltglass.sfumato"
        self.pool = [
            *sorted(demo.glob("**/*.tif"))[:3],
            *sorted(demo.glob("*.mov")),
            demo / "poster.tif",
            folder / "missing.png",
        ]
        self.tables = [*sorted((demo / "luts").iterdir())[:12], folder / "missing.cube"]

    def _maybe(self, found: Path) -> Path | None:
        return found if self.dice.random() < 0.7 else None

    def choose_pictures(self, _parent, _folder, _title=None):
        return self.dice.sample(self.pool, self.dice.randrange(2))

    def choose_parts(self, _parent, _name, looks, _one):
        return self.dice.sample(range(len(looks)), self.dice.randrange(3))

    def choose_luts(self, _parent, _folder, _title=None):
        return self.dice.sample(self.tables, self.dice.randrange(3))

    def choose_save(self, _parent, _suggested):
        if self.end is not None:
            return self.end
        return self._maybe(self.folder / f"study{self.dice.randrange(3)}.sfumato")

    def choose_cdl(self, _parent, _suggested):
        return self._maybe(self.folder / "a.cdl")

    def choose_encoding(self, _parent):
        return None

    def choose_encoding_save(self, _parent, _suggested):
        return self._maybe(self.folder / "a.encoding.json")

    def choose_press(self, _parent):
        return self.dice.choice([self.demo.parent / "README.md", None])

    def choose_profile_save(self, _parent, _suggested):
        return self._maybe(self.folder / f"a{self.dice.choice(['.icc', ''])}")

    def choose_lut_save(self, _parent, _suggested):
        return self._maybe(self.folder / f"a{self.dice.choice(['.cube', '.png', '.odd'])}")

    def choose_look_save(self, _parent, _suggested):
        return self._maybe(self.folder / f"b{self.dice.choice(['.look', '.sfumato', '.cube'])}")

    def choose_layout(self, _parent, _folder):
        return self._maybe(self.demo.parent / "portrait_card.json")

    def choose_carrier(self, _parent, _suggested):
        carriers = self.folder / "carriers"
        carriers.mkdir(exist_ok=True)
        return self._maybe(carriers / f"c{self.dice.choice(['1.png', '2.tif', '3'])}")

    def choose_sheet(self, _parent, _suggested, _title=None):
        return self._maybe(self.folder / "sheet.png")

    def choose_json(self, _parent, _suggested):
        return self._maybe(self.folder / "accord.json")

    def choose_pack(self, _parent, _suggested):
        return self._maybe(self.folder / "pack.zip")

    def choose_folder(self, _parent, _folder, _title=None):
        return self._maybe(self.folder)

    def ask_name(self, _parent, _title, suggested):
        return self.dice.choice([suggested, "a/b", "x" * 300, "<b>name</b>", None])

    def ask_replace(self, _parent, _name):
        return self.dice.random() < 0.5

    def ask_delete(self, _parent, _name, _words):
        return self.dice.random() < 0.3

    def ask_changed(self, _parent, _name):
        return self.dice.choice(["replace", "", "both"])

    def ask_running(self, _parent, _what):
        return True


def _at_work() -> str:
    """Return where in the program each thread is that is at something.

    Read by the interpreter's own reporter: another thread's frames may not be walked while it runs.
    """
    with tempfile.TemporaryFile("w+") as out:
        faulthandler.dump_traceback(out, all_threads=True)
        out.seek(0)
        threads = out.read().split("\n\n")
    found = [re.search(r'/sfumato/.*?(\w+)\.py", line \d+ in (\S+)', t) for t in threads]
    places = [".".join(f.groups()) for f in found if f is not None]
    return ", ".join(sorted(p for p in places if not p.startswith("jobs.")))


def taken_by_host() -> float:
    """Return how long other machines on the same host had what this one's processors wanted, on average.

    In seconds since it was started, in steps of 1/100 over the number of processors (`steal` of Linux's
    `/proc/stat`; 0 where a machine is alone).
    """
    whole = Path("/proc/stat").read_text().split("\n", 1)[0].split()
    return int(whole[8]) / os.sysconf("SC_CLK_TCK") / (os.cpu_count() or 1)


def standing_as(now: Study, other: Study) -> Study:
    """Return another study with its clips where they stand now: that is no edit, and not kept with what is undone."""
    seen = {s.id: s.frame for s in now.shots}
    shots = (attrs.evolve(s, frame=seen.get(s.id, s.frame)) for s in other.shots)
    return attrs.evolve(other, shots=tuple(shots))


class Wanderer:
    """One seed of random use.

    `faults` holds what should never be; `gaps` are times without a beat: how long, in seconds, how much of it the
    host of this machine took, and what was done; `work` is the longest time that the
    window's own thread computed in one (the rest it waited for workers or the machine).
    """

    def __init__(self, hand: Hand, seed: int) -> None:
        self.hand, self.window = hand, hand.window
        self.dice = random.Random(seed)
        self.faults: list[str] = []
        self.gaps: list[tuple[float, float, str]] = []
        self.work, self.worked_in = 0.0, ""
        self.peak, self.peaked_in = 0.0, ""  # MB, and what the threads were at
        self.on_peak: Callable[[float], None] = lambda _now: None
        self.doing = ""
        self._dragging = 0.0  # since when
        self._pressed: tuple[QWidget, QPoint] | None = None
        self._saved: tuple[Any, ...] = ()
        self._beat = QTimer()
        self._beat.setTimerType(Qt.TimerType.PreciseTimer)
        self._beat.timeout.connect(self._beats)
        self._rescue = QTimer()
        self._rescue.timeout.connect(self._rescues)
        self._last = 0.0
        self._usage = resource.getrusage(resource.RUSAGE_THREAD)
        self._takens = 0.0, 0.0  # at the last two beats: the host may count it before a gap is seen

    def __enter__(self) -> Wanderer:
        self._saved = (sys.excepthook, threading.excepthook)
        sys.excepthook = lambda kind, error, trace: self._fault(
            "".join(traceback.format_exception(kind, error, trace))
        )
        threading.excepthook = lambda given: self._fault(f"in a thread: {given.exc_value!r}")
        self.window.notices.bug.connect(self._fault)  # what ended a worker's job
        self._messages = qInstallMessageHandler(self._message)
        self._pass_over()
        self._takens = (taken_by_host(),) * 2
        self._beat.start(BEAT)
        self._rescue.start(15)
        return self

    def __exit__(self, *_given: object) -> None:
        self._beat.stop()
        self._rescue.stop()
        vars(self.window.files).pop("may_close", None)
        sys.excepthook, threading.excepthook = self._saved
        qInstallMessageHandler(self._messages)

    def _fault(self, words: str) -> None:
        self.faults.append(f"[{self.doing}] {words}")

    def _message(self, kind: QtMsgType, _context: object, words: str) -> None:
        # The screenless platform cannot raise windows, and says so.
        if kind != QtMsgType.QtDebugMsg and "plugin does not support" not in words:
            self._fault(f"Qt says: {words}")

    def _pass_over(self) -> None:
        """What was done since the last beat is not the window's work."""
        self._last = time.perf_counter()
        self._usage = resource.getrusage(resource.RUSAGE_THREAD)

    def _beats(self) -> None:
        now, before = time.perf_counter(), self._takens[0]
        gap, self._last = now - self._last - BEAT / 1000, now
        self._takens = self._takens[1], taken_by_host()
        usage, self._usage = self._usage, resource.getrusage(resource.RUSAGE_THREAD)
        spent = self._usage.ru_utime + self._usage.ru_stime - usage.ru_utime - usage.ru_stime
        if gap > _GAP:
            system = 1000 * (self._usage.ru_stime - usage.ru_stime)
            read = self._usage.ru_majflt - usage.ru_majflt
            how = f"{system:.0f} ms of it in the system, {read} pages from disk"
            self.gaps.append((gap, self._takens[1] - before, f"{self.doing}, {how}"))
        if spent > self.work:
            self.work, self.worked_in = spent, self.doing

    def _rescues(self) -> None:
        """Leave loops that a click has opened: of menus, questions and drags."""
        if self._dragging and time.perf_counter() - self._dragging > 0.3:
            self._dragging = 0.0
            QTest.keyClick(self.window.windowHandle(), Qt.Key.Key_Escape)
        popup = QApplication.activePopupWidget()
        if isinstance(popup, QMenu):
            able = [a for a in popup.actions() if a.isEnabled() and a.objectName() not in _LEFT_OUT]
            if able and self.dice.random() < 0.4:
                popup.setActiveAction(self.dice.choice(able))
                QTest.keyClick(popup, Qt.Key.Key_Return)
            else:
                popup.close()
        elif popup is not None and self.dice.random() < 0.3:
            popup.close()
        dialog = QApplication.activeModalWidget()
        if isinstance(dialog, QDialog) and self.dice.random() < 0.02:
            dialog.reject()

    def run(self, events: int) -> None:
        deeds = [
            (self._click, 30),
            (self._drag, 14),
            (self._key, 16),
            (self._type, 5),
            (self._wheel, 8),
            (self._act, 18),
            (self._drop, 2),
            (self._resize, 1),
            (self._let_go, 2),
            (self._rest, 4),
        ]
        names, weights = zip(*deeds, strict=True)
        for _ in range(events):
            deed = self.dice.choices(names, weights)[0]
            try:
                deed()
            except RuntimeError as error:  # a widget went between being chosen and being used
                if "already deleted" not in str(error):
                    raise
            self.hand.wait(self.dice.choice((0, 0, 1, 4)))
            self._measure()

    def _measure(self) -> None:
        self.hand.shown.clear()  # pictures that only tests of one deed look at
        if self.dice.random() < 0.02:
            pages = int(Path("/proc/self/statm").read_text().split()[1])
            now = pages * resource.getpagesize() / 1e6
            if now > self.peak:
                self.peak, self.peaked_in = now, _at_work()
                self.on_peak(now)
                self._pass_over()

    def _top(self) -> QWidget:
        modal = QApplication.activeModalWidget()
        return modal if modal is not None else self.window

    def _widget(self) -> QWidget | None:
        """Return a widget that a hand could meet: what lies on top at a random place."""
        top = self._top()
        places = (
            QPoint(
                self.dice.randrange(max(top.width(), 1)), self.dice.randrange(max(top.height(), 1))
            )
            for _ in range(8)
        )
        found = next((w for w in (top.childAt(p) for p in places) if w is not None), None)
        return found if found is not None and found.isEnabled() else top

    def _place(self, widget: QWidget) -> QPoint:
        return QPoint(
            self.dice.randrange(max(widget.width(), 1)),
            self.dice.randrange(max(widget.height(), 1)),
        )

    def _said(self, what: str, widget: QWidget) -> None:
        self.doing = f"{what} {type(widget).__name__} {widget.objectName()}"

    def _click(self) -> None:
        widget = self._widget()
        if widget is None:
            return
        button = _RIGHT if self.dice.random() < 0.12 else _LEFT
        held = self.dice.choice(_HELD)
        how = QTest.mouseDClick if self.dice.random() < 0.1 else QTest.mouseClick
        self._said("click", widget)
        how(widget, button, held, self._place(widget))

    def _drag(self) -> None:
        widget = self._widget()
        if widget is None:
            return
        self._said("drag", widget)
        start, end = self._place(widget), self._place(widget)
        self._dragging = time.perf_counter()
        QTest.mousePress(widget, _LEFT, Qt.KeyboardModifier.NoModifier, start)
        for i in range(1, self.dice.randrange(2, 8)):
            QTest.mouseMove(widget, start + (end - start) * i / 7)
            self.hand.wait(1)
        if self.dice.random() < 0.1:
            self._pressed = (widget, end)  # let go later, when much has changed
        else:
            QTest.mouseRelease(widget, _LEFT, Qt.KeyboardModifier.NoModifier, end)
        self._dragging = 0.0

    def _let_go(self) -> None:
        if self._pressed is not None:
            (widget, place), self._pressed = self._pressed, None
            self.doing = "let go"
            if isValid(widget):
                QTest.mouseRelease(widget, _LEFT, Qt.KeyboardModifier.NoModifier, place)

    def _key(self) -> None:
        widget = QApplication.focusWidget() or self._top()
        key, held = self.dice.choice(_KEYS), self.dice.choice(_HELD)
        if held == Qt.KeyboardModifier.ControlModifier and key in (
            Qt.Key.Key_N,
            Qt.Key.Key_O,
            Qt.Key.Key_Q,
            Qt.Key.Key_W,
        ):
            return
        self._said(f"key {key.name}", widget)
        QTest.keyClick(widget, key, held)

    def _type(self) -> None:
        widget = QApplication.focusWidget() or self._top()
        self._said("type into", widget)
        words = self.dice.choice(
            ["1.5", "-3", "1e999", "nan", "name", "50 %", "", "9" * 40, "#f80"]
        )
        QTest.keyClicks(widget, words)
        if self.dice.random() < 0.6:
            QTest.keyClick(widget, Qt.Key.Key_Return)

    def _wheel(self) -> None:
        widget = self._widget()
        if widget is None:
            return
        self._said("wheel", widget)
        place = QPointF(self._place(widget))
        turn = self.dice.choice((-120, 120, 15, -960))
        self.hand.turn(widget, turn, place, self.dice.choice(_HELD))

    def _act(self) -> None:
        table = self.window.actions_table.by_id
        able = [n for n, a in table.items() if a.isEnabled() and n not in _LEFT_OUT]
        if QApplication.activeModalWidget() is not None:
            return
        # Undo and redo are as likely as all others together are to add.
        name = self.dice.choice(["undo", "redo"]) if self.dice.random() < 0.1 else ""
        name = name if name in able else self.dice.choice(able)
        self.doing = f"act {name}"
        table[name].trigger()

    def _drop(self) -> None:
        if QApplication.activeModalWidget() is not None:
            return
        ports = self.hand.ports
        files = self.dice.sample([*ports.pool, *ports.tables], self.dice.randrange(1, 3))
        self.doing = f"drop {[f.name for f in files]}"
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(f)) for f in files])
        place = self._place(self.window)
        given = (Qt.DropAction.CopyAction, data, _LEFT, Qt.KeyboardModifier.NoModifier)
        QApplication.sendEvent(self.window, QDragEnterEvent(place, *given))
        QApplication.sendEvent(self.window, QDragMoveEvent(place, *given))
        if self.dice.random() < 0.2:
            QApplication.sendEvent(self.window, QDragLeaveEvent())
        else:
            QApplication.sendEvent(self.window, QDropEvent(QPointF(place), *given))

    def _resize(self) -> None:
        self.doing = "resize"
        size = (self.dice.randrange(700, 1700), self.dice.randrange(500, 1100))
        self.window.resize(*size if self.dice.random() < 0.6 else (0, 0))

    def _rest(self) -> None:
        self.doing = "rest"
        self.hand.wait(self.dice.choice((20, 80, 200)))
        cut = set(self.hand.words_cut())
        if cut:  # not what is just being laid out
            self.hand.wait(100)
            cut &= set(self.hand.words_cut())
        for words in cut:
            self._fault(words)
        self._look_anew()

    def _look_anew(self) -> None:
        """What an instrument keeps of its picture is what it would draw now."""
        for graph in self.window.findChildren(Graph):
            QApplication.processEvents()
            if isValid(graph) and graph.isVisible():
                kept = graph.grab().toImage()
                graph.update()
                if graph.grab().toImage() != kept:
                    self._fault(f"{graph.accessibleName()} showed what it was before")
                self._pass_over()  # to draw it twice is this hand's work, not the window's

    def _compare(self, when: str, found: Study, meant: Study) -> None:
        for field in attrs.fields(Study):
            there, then = getattr(found, field.name), getattr(meant, field.name)
            if there != then:
                self._fault(f"{when}, {field.name} is {there!r:.3000}, not {then!r:.3000}")

    def way_back(self) -> None:
        """Close all sheets; all undone equals the first study, redone the last; saved equals opened."""
        self.doing = "the way back"
        self._let_go()
        for _ in range(40):
            modal = QApplication.activeModalWidget()
            if modal is None:
                break
            modal.close()
            self.hand.wait(5)
        QApplication.sendEvent(self.window, QEvent(QEvent.Type.WindowActivate))
        for _ in range(200):  # what waits in the queue comes after what is cancelled
            if not self.window.services.queue.is_busy:
                break
            self.window.services.queue.cancel()
            self.hand.wait(50)
        bench, look = self.window.rooms["bench"], self.window.rooms["look"]
        recorder = bench.monitors.recorder
        # Takes and clips run until they are ended, and leave little of two processors to the rest.
        recorder.stop()
        look.shot_edits.player.stop()
        for model in (bench.monitors, bench.engine, bench.filter):
            model.play(False)
        self.hand.until(lambda: not recorder.runs)
        self.hand.settle()
        model, stack = self.window.model, self.window.model.undo_stack
        last, place = model.study, stack.index()
        while stack.canUndo():
            self.doing = f"undo {stack.undoText()}"
            stack.undo()
        self._compare("undone to the start", model.study, standing_as(model.study, self.first))
        while stack.index() < place:
            self.doing = f"redo {stack.redoText()}"
            stack.redo()
        self._compare("redone", model.study, standing_as(model.study, last))
        self.hand.settle()
        self.doing = "save"
        file = self.hand.ports.end = self.hand.ports.folder / "end.sfumato"
        self.window.files.save_study_as()
        self.hand.settle()
        # LUT files that were thrown away or written anew meanwhile are what they are now.
        meant = with_luts(model.study)
        self._compare("saved and opened again", read_study(file).opened(), meant)

    def start(self) -> None:
        """Open the demo; whatever study is opened later is the first one from then on."""
        model = self.window.model
        opened = model.open

        def opens(*given: Any, **more: Any) -> None:
            opened(*given, **more)
            self.first = model.study

        model.open = opens  # type: ignore[method-assign]
        # The list of all actions closes the window too: that would end the loop of events for good.
        self.window.files.may_close = lambda: False  # type: ignore[method-assign]
        QDesktopServices.setUrlHandler("file", self.hand.window, "update")
        self.window.files.open_file(self.hand.ports.demo)
        self.hand.settle()
