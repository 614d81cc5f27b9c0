"""The study being worked on: one way in (`commit`), one signal out, undo by snapshots."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QUndoCommand, QUndoStack

from sfumato.app.guard import guarded
from sfumato.core.study.study import Study


def _as_seen(study: Study, other: Study, now: Study) -> Study:
    """Return a study of the past with the frames that are looked at now, where the edit did not move them."""
    if study.shots is now.shots:
        return study
    seen, then = ({s.id: s.frame for s in each.shots} for each in (now, other))
    for shot in study.shots:
        frame = seen.get(shot.id, shot.frame)
        if frame != shot.frame and then.get(shot.id) == shot.frame:
            study = study.with_shot(shot.id, frame=frame)
    return study


class _Edit(QUndoCommand):
    """Before and after; edits of one gesture on one thing merge."""

    def __init__(self, model: StudyModel, title: str, after: Study, key: Any) -> None:
        super().__init__(title)
        self._model = model
        self.before = model.study
        self.after = after
        self.key = key

    @guarded
    def redo(self) -> None:
        self._model._show(_as_seen(self.after, self.before, self._model.study))

    @guarded
    def undo(self) -> None:
        self._model._show(_as_seen(self.before, self.after, self._model.study))

    @guarded
    def id(self) -> int:
        return 1 if self.key is not None else -1

    @guarded
    def mergeWith(self, other: QUndoCommand) -> bool:
        if not isinstance(other, _Edit) or other.key != self.key:
            return False
        self.after = other.after
        self.setObsolete(self.after == self.before)
        return True


class StudyModel(QObject):
    """Holds the study and its file; `changed(before, after)` says that it moved.

    Another study comes between `about_to_replace()` and `replaced()`.
    """

    changed = Signal(object, object)
    file_changed = Signal()
    about_to_replace = Signal()
    replaced = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._study = Study()
        self.file: Path | None = None
        self.undo_stack = QUndoStack(self)
        self.undo_stack.cleanChanged.connect(lambda _clean: self.file_changed.emit())
        self._gesture = 0

    @property
    def study(self) -> Study:
        """The study as it is now; read in the window's thread alone, workers are given the value."""
        return self._study

    def commit(self, title: str, after: Study, key: Any = None) -> None:
        """Make an edit. Edits with the same `key` merge until `end_gesture`."""
        if after == self.study:
            return
        full = (self._gesture, key) if key is not None else None
        self.undo_stack.push(_Edit(self, title, after, full))

    def look_at(self, shot_id: str, frame: int) -> None:
        """Let a clip stand on another frame; to have played it is no edit."""
        if self.study.shot(shot_id).frame != frame:
            self._show(self.study.with_shot(shot_id, frame=frame))

    def state_encoding(self, shot_id: str, name: str) -> None:
        """Say what a shot's source is."""
        self.commit(f"Source encoding {name}", self.study.with_source(shot_id, name))

    def end_gesture(self) -> None:
        """The hand let go: the next edit is an undo step of its own."""
        self._gesture += 1

    def open(self, study: Study, file: Path | None, *, saved: bool = True) -> None:
        """Replace everything; the past of the old study is gone."""
        self.about_to_replace.emit()
        self.undo_stack.clear()
        self.file = file
        if not saved:
            self.undo_stack.resetClean()
        self._show(study)
        self.file_changed.emit()
        self.replaced.emit()

    def saved(self, file: Path) -> None:
        self.file = file
        self.undo_stack.setClean()
        self.file_changed.emit()

    @property
    def is_edited(self) -> bool:
        return not self.undo_stack.isClean()

    def _show(self, study: Study) -> None:
        before, self._study = self._study, study
        self.changed.emit(before, study)
