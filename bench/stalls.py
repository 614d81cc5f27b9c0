"""How long does the window stand still where much changes at once? `python -m bench.stalls [NAME…]`

Each case is done three times in a window of 1280x800 with the demo study or one that is made up; a
timer of 5 ms beats meanwhile. Printed are the longest silence between two beats, how long the window's
own thread computed in the silence in which it did so longest (the rest it waited: for the interpreter,
or for a machine that others use too), and the time until nothing is under way any more; the middle of
three.
"""

from __future__ import annotations

import os
import statistics
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from bench.opened import opened

BEAT = 5  # milliseconds


class Bench:
    """A window with the demo study, and what is done in it."""

    def __init__(self) -> None:
        self.folder = Path(tempfile.mkdtemp(prefix="sfumato-stalls-"))
        self.application, self.hand = opened(self.folder)
        self.window = self.hand.window
        self.demo()

    def demo(self) -> None:
        self.window.model.undo_stack.setClean()
        self.window.files.open_demo()
        self.hand.settle()

    @contextmanager
    def watched(self, found: list[tuple[float, float, float]]) -> Iterator[None]:
        """Add the longest stall, the longest work in one, and the time to rest of what is done inside."""
        from PySide6.QtCore import Qt, QTimer

        beats = [(time.perf_counter(), time.thread_time())]
        timer = QTimer()
        timer.setTimerType(Qt.TimerType.PreciseTimer)
        timer.timeout.connect(lambda: beats.append((time.perf_counter(), time.thread_time())))
        timer.start(BEAT)
        yield
        self.hand.settle()
        timer.stop()
        stall, work = (
            max(b - a for a, b in zip(clock, clock[1:], strict=False))
            for clock in zip(*beats, strict=True)
        )
        found.append((stall, work, beats[-1][0] - beats[0][0]))

    def theme(self) -> Callable[[], None]:
        """Switch the theme."""
        return lambda: self.hand.act("toggle_theme")

    def undo(self) -> Callable[[], None]:
        """Undo forty edits, one keystroke after the other."""
        from PySide6.QtWidgets import QPushButton

        self.demo()
        model = self.window.model

        for key in ("add.contrast", "add.tints") * 20:
            self.hand.click(self.hand.find(QPushButton, "look.add"))
            self.hand.menu(key)
        self.hand.settle()

        def back() -> None:
            while model.undo_stack.canUndo():
                self.hand.act("undo")
                self.application.processEvents()

        return back

    def glazes(self) -> Callable[[], None]:
        """Open a study of 200 glazes."""
        return self._opened(coats=200)

    def shots(self) -> Callable[[], None]:
        """Open a study of 500 shots."""
        return self._opened(shots=500)

    def returns(self) -> Callable[[], None]:
        """Thirty returns of a carrier come in."""
        import numpy as np
        from PIL import Image

        from sfumato.work.trip.returns import read_return

        self.demo()
        folder = self.folder / f"returns_{time.time_ns()}"
        folder.mkdir()
        room = self.window.rooms["trip"]
        self.hand.act("room_trip")
        self.hand.settle()
        form = room.carriers.form
        form.to.setCurrentText("photo editor that opens TIFF and JPEG only")
        form.to.activated.emit(form.to.currentIndex())
        self.hand.settle()
        sent = folder / "neutral.tif"
        room.edits.send_to(form.order(), sent)
        self.hand.settle()
        codes = read_return(sent).pixels
        files = []
        for i in range(30):
            graded = np.clip(codes, 0, 1) ** (0.7 + i / 50)
            files.append(self.folder / f"graded {i} {time.time_ns()}.png")
            Image.fromarray((graded * 255 + 0.5).astype(np.uint8)).save(files[-1])
        return lambda: room.edits.take(files)

    def sending(self) -> Callable[[], None]:
        """Send a look to eight outlets."""
        import attrs

        from sfumato.work.outlets.templates import TEMPLATES

        self.demo()
        folder = self.folder / f"sent_{time.time_ns()}"
        folder.mkdir()
        outlets = [attrs.evolve(o, folder=str(folder)) for o in [*TEMPLATES.values()][:8]]
        study = attrs.evolve(self.window.model.study, outlets=tuple(outlets))
        self.window.model.commit("outlets", study)
        self.hand.act("room_send")
        self.hand.settle()
        return lambda: self.hand.act("send_all")

    def _opened(self, coats: int = 0, shots: int = 0) -> Callable[[], None]:
        import attrs

        from bench.heavy import heavy_coats
        from sfumato.core.study.coat import new_id
        from sfumato.work.stores.study_store import save_study

        self.demo()
        study = self.window.model.study
        if coats:
            many = [c for _ in range(coats // 12 + 1) for c in heavy_coats()][:coats]
            study = attrs.evolve(study, look=attrs.evolve(study.look, coats=tuple(many)))
        if shots:
            several = [
                attrs.evolve(study.shots[i % len(study.shots)], id=new_id()) for i in range(shots)
            ]
            study = attrs.evolve(study, shots=tuple(several))
        file = self.folder / f"{coats}_{shots}_{time.time_ns()}.sfumato"
        save_study(study, file)
        self.window.model.undo_stack.setClean()
        return lambda: self.window.files.open_file(file)


def main() -> None:
    names = sys.argv[1:] or ["theme", "undo", "glazes", "shots", "returns", "sending"]
    bench = Bench()
    for name in names:
        found: list[tuple[float, float, float]] = []
        for _ in range(3):
            do = getattr(bench, name)()
            with bench.watched(found):
                do()
        stall, work, rest = (statistics.median(each) for each in zip(*found, strict=True))
        words = getattr(Bench, name).__doc__ or name
        print(
            f"{words:45} stall {1000 * stall:6.0f} ms, of work {1000 * work:4.0f} ms, "
            f"at rest after {rest:5.1f} s",
            flush=True,
        )
    sys.stdout.flush()
    os._exit(0)


if __name__ == "__main__":
    main()
