"""Fixtures of a real window with real panels."""

from __future__ import annotations

import threading
import traceback
from pathlib import Path

import pytest
from conftest import DEMO
from hand import RESTS, Hand, StandInPorts
from PySide6.QtWidgets import QApplication

from sfumato.app import theme
from sfumato.app.services import desk
from sfumato.app.services.desk import Desk
from sfumato.app.services.settings import Settings
from sfumato.app.services.study_model import StudyModel
from sfumato.app.services.view_state import ViewModel
from sfumato.app.window.main_window import MainWindow
from sfumato.core.colour.encodings import drop_encodings, encodings
from sfumato.work.files import stamp_of
from sfumato.work.frames import Frames
from sfumato.work.luts.proof import GridLoss, look_loss


@pytest.fixture
def ports() -> StandInPorts:
    return StandInPorts()


FRAMES = Frames(keep=12)  # the demo's pictures are decoded once, not in every window
LOSSES: list[tuple[tuple, GridLoss]] = []  # what was measured of it, newest last


def measured_once(study, frames, made, shot, cancel=None) -> GridLoss:
    """Measure as the window does, but of the same study and shot once, not in every window."""
    key = (study, shot, [stamp_of(Path(s.path)) for s in study.shots])
    for known, loss in LOSSES:
        if known == key:
            return loss
    loss = look_loss(study, frames, made, shot, cancel)
    LOSSES[:] = [*LOSSES[-7:], (key, loss)]
    return loss


@pytest.fixture(autouse=True)
def models_stay_in_their_thread(monkeypatch):
    """Workers are given frozen values: a model that is read in another thread fails the test."""
    strays: list[str] = []

    def guarded(kind: type, name: str) -> property:
        plain = vars(kind)[name].fget

        def read(self):
            if threading.current_thread() is not threading.main_thread():
                strays.append("".join(traceback.format_stack(limit=4)))
            return plain(self)

        return property(read)

    for kind, name in ((StudyModel, "study"), (ViewModel, "now"), (Desk, "shot")):
        monkeypatch.setattr(kind, name, guarded(kind, name))
    yield
    assert not strays, strays[0]


@pytest.fixture(scope="session")
def styled(qapp: QApplication) -> None:
    """Fonts and style, as the program starts with."""
    theme.install(qapp)


@pytest.fixture
def hand(qtbot, tmp_path: Path, ports: StandInPorts, no_threads_left, styled, monkeypatch):
    """An empty window of 1280x800."""
    monkeypatch.setattr(desk, "Frames", lambda: FRAMES)
    monkeypatch.setattr(desk, "look_loss", measured_once)
    known = set(encodings())
    window = MainWindow(Settings(tmp_path / "sfumato.ini"), ports, DEMO, RESTS)
    window.resize(1280, 800)
    window.show()
    qtbot.waitExposed(window)
    person = Hand(window, ports)
    yield person
    ports.unsaved, ports.stop = "drop", True
    window.close()
    window.deleteLater()
    drop_encodings(set(encodings()) - known)  # what an OCIO config brought, for the tests after it
    assert not person.bugs, person.bugs[0]


@pytest.fixture
def demo(hand: Hand) -> Hand:
    """The window with the demo study at rest."""
    hand.window.files.open_demo()
    hand.settle()
    return hand
