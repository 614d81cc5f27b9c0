"""The questions that go to the person through dialogs of the desktop; tests pass in their own."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QUrl
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import (
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.theme import strong_font
from sfumato.formats.parts.registry import formats
from sfumato.media.parts.registry import media, suffixes


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


class Ports:
    """Choosers and questions. Each returns None or an empty list when the person steps back."""

    def choose_pictures(self, parent: QWidget, folder: str) -> list[Path]:
        names, _ = QFileDialog.getOpenFileNames(parent, "Bring in", folder, picture_filter())
        return [Path(n) for n in names]

    def choose_luts(self, parent: QWidget, folder: str) -> list[Path]:
        names, _ = QFileDialog.getOpenFileNames(parent, "Add LUT files", folder, lut_filter())
        return [Path(n) for n in names]

    def choose_study(self, parent: QWidget, folder: str) -> Path | None:
        name, _ = QFileDialog.getOpenFileName(parent, "Open study", folder, "Studies (*.sfumato)")
        return Path(name) if name else None

    def choose_save(self, parent: QWidget, suggested: str) -> Path | None:
        name, _ = QFileDialog.getSaveFileName(
            parent, "Save study", suggested, "Studies (*.sfumato)"
        )
        return Path(name) if name else None

    def choose_cdl(self, parent: QWidget, suggested: str) -> Path | None:
        name, _ = QFileDialog.getSaveFileName(
            parent, "Save the CDL", suggested, "CDL files (*.cc *.ccc *.cdl)"
        )
        return Path(name) if name else None

    def choose_encoding(self, parent: QWidget) -> Path | None:
        name, _ = QFileDialog.getOpenFileName(
            parent, "Open an encoding", str(Path.home()), "Encodings (*.json)"
        )
        return Path(name) if name else None

    def choose_encoding_save(self, parent: QWidget, suggested: str) -> Path | None:
        name, _ = QFileDialog.getSaveFileName(
            parent, "Save the encoding", suggested, "Encodings (*.encoding.json)"
        )
        return Path(name) if name else None

    def choose_profile(self, parent: QWidget) -> Path | None:
        name, _ = QFileDialog.getOpenFileName(
            parent, "Profile of this screen", str(Path.home()), "ICC profiles (*.icc *.icm)"
        )
        return Path(name) if name else None

    def choose_config(self, parent: QWidget) -> Path | None:
        name, _ = QFileDialog.getOpenFileName(
            parent, "Open an OCIO config", str(Path.home()), "OCIO configs (*.ocio *.ocioz)"
        )
        return Path(name) if name else None

    def choose_lut_save(self, parent: QWidget, suggested: str) -> Path | None:
        name, _ = QFileDialog.getSaveFileName(parent, "Save a LUT", suggested, lut_filter())
        return Path(name) if name else None

    def choose_sheet(self, parent: QWidget, suggested: str) -> Path | None:
        name, _ = QFileDialog.getSaveFileName(
            parent, "Save the contact sheet", suggested, "PDF (*.pdf);;PNG (*.png)"
        )
        return Path(name) if name else None

    def reveal(self, file: Path) -> None:
        """Show a file in the desktop's file manager."""
        QDesktopServices.openUrl(QUrl.fromLocalFile(str(file.parent)))

    def choose_folder(self, parent: QWidget, folder: Path) -> Path | None:
        name = QFileDialog.getExistingDirectory(parent, "Folder", str(folder))
        return Path(name) if name else None

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
        heading = QLabel(title)
        heading.setFont(strong_font(15))
        column.addWidget(heading)
        column.addWidget(QLabel(words))
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
    """Asks for a name; Enter saves it."""

    def __init__(self, parent: QWidget, title: str, suggested: str) -> None:
        super().__init__(parent)
        self.setWindowTitle("Sfumato")
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 18, 20, 16)
        column.setSpacing(10)
        heading = QLabel(title)
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
        back = QPushButton("Do not save")
        back.clicked.connect(self.reject)
        save = QPushButton("Save")
        save.setProperty("main", True)
        save.setDefault(True)
        save.clicked.connect(self.accept)
        row.addWidget(back)
        row.addWidget(save)
        column.addLayout(row)

    def answered(self) -> str | None:
        taken = self.exec() == QDialog.DialogCode.Accepted
        return self.field.text().strip() or None if taken else None
