"""What a room is: one declaration, from which rail, pages, undo, actions, drops and closing derive."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import ClassVar, Protocol

from attrs import frozen
from PySide6.QtCore import QObject, QPoint, QPointF, Signal
from PySide6.QtGui import QPainter, QUndoStack
from PySide6.QtWidgets import QWidget

from sfumato.app.services.actions import ActionSpec
from sfumato.app.services.services import Services

Keys = Sequence[tuple[str, str]]  # a key, and what it does


class Zooming(Protocol):
    """A picture that can be zoomed: None fits it, 1 is pixel for pixel."""

    def set_zoom(self, zoom: float | None) -> None: ...
    def step_zoom(self, closer: bool) -> None: ...


class Room(QObject):
    """One room of the window, with all that belongs to it.

    `changed()`: the conditions that it gives to actions may be others now.
    """

    changed = Signal()

    keys: ClassVar[
        Mapping[str, Keys]
    ] = {}  # of its own controls, by heading, for the keyboard sheet

    def __init__(self, key: str, services: Services) -> None:
        super().__init__(services.window)
        self.key, self.services = key, services

    @property
    def page(self) -> QWidget:
        """What fills the window while the room is open."""
        raise NotImplementedError

    @property
    def owners(self) -> tuple[QObject, ...]:
        """The objects whose methods carry the room's actions out, a method for each id."""
        return (self,)

    @property
    def is_open(self) -> bool:
        return self.services.view.now.room == self.key

    @property
    def undo_stack(self) -> QUndoStack:
        """What undo and redo act on while the room is open; the study's unless it has its own."""
        return self.services.model.undo_stack

    @property
    def easel(self) -> Zooming | None:
        """The picture that zooming acts on while the room is open."""
        return None

    @property
    def is_busy(self) -> bool:
        """Whether an answer is still under way (for tests and pictures)."""
        return False

    @property
    def guide(self) -> str:
        """The page of the guide about what is done here."""
        return ""

    def conditions(self) -> set[str]:
        """Return the conditions of actions (`ActionSpec.when`) that are met now."""
        return set()

    def begin(self) -> None:
        """The window is there for the first time."""

    def enter(self) -> None:
        """The room was opened."""

    def take(self, files: list[Path], at: QPoint | None = None) -> list[Path]:
        """Take files that were dropped and return the rest; `at` is where on the page.

        The room that is open is asked first, then the others in the order of the rail.
        """
        return files

    def escape(self) -> bool:
        """Give up what waits for the hand; whether there was something."""
        return False

    def keep(self) -> None:
        """Put into the settings what is to be there next time."""

    def close(self) -> None:
        """Let workers and windows go."""


class RoomMaker(Protocol):
    """The class of a room: how to build one."""

    @property
    def keys(self) -> Mapping[str, Keys]: ...
    def __call__(self, services: Services) -> Room: ...


def _nothing(_services: Services) -> set[str]:
    return set()


def _idle(_services: Services) -> bool:
    return False


@frozen(eq=False)
class RoomSpec:
    """A room as the window finds it: `SPEC` in `app/rooms/<name>/room.py`.

    What is known of it before anybody needs it; `load` reads its code, which takes a moment, and the
    room that is built then finds the study as it is.
    """

    key: str
    title: str
    order: int  # from top to bottom in the rail
    pictogram: Callable[[QPainter, QPointF], None]  # about a point, in a square of 24
    load: Callable[[], RoomMaker]
    actions: tuple[ActionSpec, ...] = ()
    # The conditions of actions that are met while the room is not built:
    unseen_conditions: Callable[[Services], set[str]] = _nothing
    # Whether it has something to do for the study though nobody opened it:
    works_unseen: Callable[[Services], bool] = _idle
    takes_unseen: bool = False  # files that are dropped while another room is open
