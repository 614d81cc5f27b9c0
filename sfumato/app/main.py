"""Builds every object once, passes it in, and runs the event loop."""

from __future__ import annotations

import signal
import sys
import threading
import traceback
from importlib.resources import files
from pathlib import Path
from types import TracebackType

from PySide6.QtCore import QTimer
from PySide6.QtGui import QGuiApplication, QIcon
from PySide6.QtWidgets import QApplication

from sfumato.app import theme
from sfumato.app.services.settings import Settings
from sfumato.app.window.main_window import MainWindow
from sfumato.work import memory
from sfumato.work.stores import encoding_store
from sfumato.work.stores.study_store import demo_study
from sfumato.work.turns import short_turns


def application() -> QApplication:
    """Return the application object, made and dressed when it does not exist yet."""
    existing = QApplication.instance()
    if isinstance(existing, QApplication):
        return existing
    QGuiApplication.setDesktopFileName("sfumato")
    app = QApplication(sys.argv[:1])
    app.setApplicationName("sfumato")
    app.setApplicationDisplayName("Sfumato")
    app.setWindowIcon(QIcon(str(files("sfumato") / "desktop" / "sfumato.svg")))
    return app


def _hook(window: MainWindow) -> None:
    """Send what nobody caught to the report dialog instead of the terminal alone."""

    def report(
        kind: type[BaseException], error: BaseException, trace: TracebackType | None
    ) -> None:
        text = "".join(traceback.format_exception(kind, error, trace))
        sys.stderr.write(text)
        window.notices.bug.emit(text)

    sys.excepthook = report
    threading.excepthook = lambda a: report(
        a.exc_type, a.exc_value or a.exc_type(), a.exc_traceback
    )


def _save_first(window: MainWindow, picture: Path) -> None:
    """Save a picture of the window once a shot is on it, then close it."""

    def save(_shown: object) -> None:
        window.desk.shown.disconnect(save)
        QTimer.singleShot(0, window, lambda: (window.grab().save(str(picture)), window.close()))

    window.desk.shown.connect(save)


def main(study: Path | None, picture: Path | None = None) -> int:
    """Open the window, on a study when one is given; return the exit status.

    With `picture`, save the window there when its first shot is shown, and end.
    """
    memory.keep_large_apart()
    short_turns()
    app = application()
    settings = Settings()
    theme.install(app)
    window = MainWindow(settings, demo=demo_study())
    _hook(window)
    for fault in encoding_store.load_library():
        window.notices.fault(fault)
    if study is not None:
        window.files.open_file(study)
    if picture is not None:
        _save_first(window, picture)
    window.show()
    if study is None:
        # With a study, the kernels load behind its first picture, which NumPy draws.
        QTimer.singleShot(0, window.desk.warm)
    QTimer.singleShot(300, window.files.offer_recovery)
    signal.signal(signal.SIGINT, lambda *_: app.quit())
    tick = QTimer()
    tick.start(250)  # lets Python see Ctrl+C
    tick.timeout.connect(lambda: None)
    return app.exec()
