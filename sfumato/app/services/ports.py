"""The questions that go to the person through dialogs of the desktop; tests pass in their own."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, QUrl
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import (
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.labels import Label
from sfumato.app.theme import strong_font
from sfumato.formats.parts.registry import formats
from sfumato.media.parts.registry import media, suffixes
from sfumato.work.files import is_folder


def picture_filter() -> str:
    every = " ".join(f"*{s} *{s.upper()}" for s in suffixes())
    parts = [f"Pictures and clips ({every})"]
    parts += [f"{m.title} ({' '.join('*' + s for s in m.suffixes)})" for m in media().values()]
    return ";;".join([*parts, "All files (*)"])


def lut_filter() -> str:
    """Return the name filters of everything that can hold a LUT."""
    specs = formats().values()
    every = " ".join(f"*{s}" for s in sorted({s for f in specs for s in f.suffixes} | {".jpg"}))
    parts = [f"{f.title} ({' '.join('*' + s for s in f.suffixes)})" for f in specs]
    return ";;".join([f"LUT files ({every})", *parts, "All files (*)"])


def _dialog(
    parent: QWidget, title: str, start: str | Path, kinds: str, *, name: str = ""
) -> QFileDialog:
    """Return a chooser in a folder, or at a name in it.

    An object rather than the static functions: those run their own loop inside C code, where an
    error of ours cannot be told from one of theirs.
    """
    dialog = QFileDialog(parent, title, str(start), kinds)
    dialog.setWindowModality(Qt.WindowModality.WindowModal)
    if name:
        dialog.selectFile(name)
    return dialog


def _opened(parent: QWidget, title: str, folder: str | Path, kinds: str) -> Path | None:
    """Ask for one file that is there."""
    dialog = _dialog(parent, title, folder, kinds)
    dialog.setFileMode(QFileDialog.FileMode.ExistingFile)
    return _answer(dialog)


def _several(parent: QWidget, title: str, folder: str | Path, kinds: str) -> list[Path]:
    """Ask for files that are there."""
    dialog = _dialog(parent, title, folder, kinds)
    dialog.setFileMode(QFileDialog.FileMode.ExistingFiles)
    return [Path(n) for n in dialog.selectedFiles()] if dialog.exec() else []


def _saved(parent: QWidget, title: str, suggested: str | Path, kinds: str) -> Path | None:
    """Ask for a file to be written; the chooser asks before one is replaced."""
    place = Path(suggested)
    dialog = _dialog(parent, title, place.parent, kinds, name=place.name)
    dialog.setAcceptMode(QFileDialog.AcceptMode.AcceptSave)
    dialog.setFileMode(QFileDialog.FileMode.AnyFile)
    return _answer(dialog)


def _answer(dialog: QFileDialog) -> Path | None:
    taken = dialog.selectedFiles() if dialog.exec() else []
    return Path(taken[0]) if taken else None


_STUDIES = "Studies (*.sfumato)"
_PROFILES = "ICC profiles (*.icc *.icm)"


class Ports:
    """Choosers and questions. Each returns None or an empty list when the person steps back."""

    def choose_pictures(self, parent: QWidget, folder: str) -> list[Path]:
        return _several(parent, "Bring in", folder, picture_filter())

    def choose_luts(self, parent: QWidget, folder: str) -> list[Path]:
        return _several(parent, "Add LUT files", folder, lut_filter())

    def choose_study(self, parent: QWidget, folder: str) -> Path | None:
        return _opened(parent, "Open study", folder, _STUDIES)

    def choose_save(self, parent: QWidget, suggested: str) -> Path | None:
        return _saved(parent, "Save study", suggested, _STUDIES)

    def choose_cdl(self, parent: QWidget, suggested: str) -> Path | None:
        return _saved(parent, "Save the CDL", suggested, "CDL files (*.cc *.ccc *.cdl)")

    def choose_encoding(self, parent: QWidget) -> Path | None:
        return _opened(parent, "Open an encoding", Path.home(), "Encodings (*.json)")

    def choose_encoding_save(self, parent: QWidget, suggested: str) -> Path | None:
        return _saved(parent, "Save the encoding", suggested, "Encodings (*.encoding.json)")

    def choose_profile(self, parent: QWidget) -> Path | None:
        return _opened(parent, "Profile of this screen", Path.home(), _PROFILES)

    def choose_press(self, parent: QWidget) -> Path | None:
        return _opened(parent, "Profile of a press", Path.home(), _PROFILES)

    def choose_profile_save(self, parent: QWidget, suggested: str) -> Path | None:
        return _saved(parent, "Write the profile", suggested, _PROFILES)

    def choose_config(self, parent: QWidget) -> Path | None:
        return _opened(parent, "Open an OCIO config", Path.home(), "OCIO configs (*.ocio *.ocioz)")

    def choose_lut_save(self, parent: QWidget, suggested: str) -> Path | None:
        return _saved(parent, "Save a LUT", suggested, lut_filter())

    def choose_look_save(self, parent: QWidget, suggested: str) -> Path | None:
        kinds = f"Presets (*.look);;Studies (*.sfumato);;{lut_filter()}"
        return _saved(parent, "Save the look", suggested, kinds)

    def choose_carrier(self, parent: QWidget, suggested: str) -> Path | None:
        kinds = "Carriers (*.png *.tif *.tiff *.jpg *.jpeg *.exr)"
        return _saved(parent, "Send a carrier", suggested, kinds)

    def choose_sheet(self, parent: QWidget, suggested: str) -> Path | None:
        return _saved(parent, "Save the contact sheet", suggested, "PDF (*.pdf);;PNG (*.png)")

    def choose_pack(self, parent: QWidget, suggested: str) -> Path | None:
        return _saved(parent, "Make a pack", suggested, "Packs (*.zip)")

    def choose_layout(self, parent: QWidget, folder: str) -> Path | None:
        return _opened(parent, "Open the layout of a card", folder, "Layouts (*.json)")

    def choose_json(self, parent: QWidget, suggested: str) -> Path | None:
        return _saved(parent, "Save as JSON", suggested, "JSON (*.json)")

    def reveal(self, file: Path) -> None:
        """Show a file, or what lies in a folder, in the desktop's file manager."""
        folder = file if is_folder(file) else file.parent
        QDesktopServices.openUrl(QUrl.fromLocalFile(str(folder)))

    def choose_folder(self, parent: QWidget, folder: Path) -> Path | None:
        dialog = _dialog(parent, "Folder", folder, "")
        dialog.setFileMode(QFileDialog.FileMode.Directory)
        dialog.setOption(QFileDialog.Option.ShowDirsOnly)
        return _answer(dialog)

    def ask_name(self, parent: QWidget, title: str, suggested: str) -> str | None:
        """Ask for a name; None when the person steps back."""
        return NameQuestion(parent, title, suggested).answered()

    def ask_replace(self, parent: QWidget, name: str) -> bool:
        """Ask whether a file that is there may be written over."""
        answers = (("Keep it", "keep"), ("Replace it", "replace"))
        words = "Its contents are lost when you replace it."
        return Question(parent, f"{name} exists already.", words, answers).answered() == "replace"

    def ask_delete(self, parent: QWidget, name: str, words: str) -> bool:
        """Ask whether a file of the user's library may be deleted."""
        answers = (("Keep it", "keep"), ("Delete it", "delete"))
        return Question(parent, f"Delete {name}?", words, answers).answered() == "delete"

    def ask_changed(self, parent: QWidget, name: str) -> str:
        """Ask about a study that was changed on disk: "open", "both", "replace" or "stay"."""
        return Question(
            parent,
            f"{name} was changed on disk since you opened it.",
            "Another window or program has written it. What is yours can lie beside it.",
            (
                ("Stay", "stay"),
                ("Open what is on disk", "open"),
                ("Replace it", "replace"),
                ("Keep both", "both"),
            ),
        ).answered()

    def ask_running(self, parent: QWidget, what: str) -> bool:
        """Ask whether work that runs may be given up."""
        answers = (("Go on working", "stay"), ("Stop it and close", "stop"))
        words = "What is written so far stays; the rest is not done."
        return Question(parent, f"{what} is not finished.", words, answers).answered() == "stop"

    def ask_unsaved(self, parent: QWidget, name: str) -> str:
        """Return "save", "drop" or "stay"."""
        return Question(
            parent,
            f"Save the changes to {name}?",
            "Unsaved changes are lost when you do not save them.",
            (("Stay", "stay"), ("Do not save", "drop"), ("Save", "save")),
        ).answered()


class Question(QDialog):
    """A question with verbs on its buttons; the last is the usual one."""

    def __init__(
        self, parent: QWidget, title: str, words: str, answers: tuple[tuple[str, str], ...]
    ) -> None:
        super().__init__(parent)
        self._answer = answers[0][1]
        self.setWindowTitle("Sfumato")
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 18, 20, 16)
        column.setSpacing(10)
        heading = Label(title)
        heading.setFont(strong_font(15))
        column.addWidget(heading)
        column.addWidget(Label(words))
        row = QHBoxLayout()
        row.addStretch(1)
        for text, answer in answers:
            button = QPushButton(text)
            button.clicked.connect(lambda _on, a=answer: self._take(a))
            row.addWidget(button)
        button.setProperty("main", True)
        button.setDefault(True)
        column.addLayout(row)

    def _take(self, answer: str) -> None:
        self._answer = answer
        self.accept()

    def answered(self) -> str:
        self.exec()
        return self._answer


class NameQuestion(QDialog):
    """Asks for a name, Enter takes it; the button says what the title asks for."""

    def __init__(self, parent: QWidget, title: str, suggested: str) -> None:
        super().__init__(parent)
        self.setWindowTitle("Sfumato")
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 18, 20, 16)
        column.setSpacing(10)
        heading = Label(title)
        heading.setFont(strong_font(15))
        column.addWidget(heading)
        self.field = QLineEdit(suggested)
        self.field.setMaxLength(60)
        self.field.setMinimumWidth(320)
        self.field.setAccessibleName("Name")
        self.field.selectAll()
        column.addWidget(self.field)
        row = QHBoxLayout()
        row.addStretch(1)
        back = QPushButton("Cancel")
        back.clicked.connect(self.reject)
        save = QPushButton("Rename" if title.startswith("Rename") else "Save")
        save.setProperty("main", True)
        save.setDefault(True)
        save.clicked.connect(self.accept)
        row.addWidget(back)
        row.addWidget(save)
        column.addLayout(row)

    def answered(self) -> str | None:
        taken = self.exec() == QDialog.DialogCode.Accepted
        return self.field.text().strip() or None if taken else None
