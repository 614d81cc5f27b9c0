"""The questions that go to the person through dialogs of the desktop; tests pass in their own."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import Qt, QUrl
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import (
    QFileDialog,
    QLineEdit,
    QWidget,
)

from sfumato.app.guard import guarded
from sfumato.app.questions import NameQuestion, PartQuestion, Question
from sfumato.app.services.settings import Settings
from sfumato.core.errors import SfumatoError
from sfumato.formats.parts.registry import formats
from sfumato.media.parts.registry import media, suffixes
from sfumato.work.files import exists, is_folder, make_folder
from sfumato.work.luts.looks import SUFFIXES as LOOKS


def picture_filter() -> str:
    every = " ".join(f"*{s} *{s.upper()}" for s in suffixes())
    parts = [f"Pictures and clips ({every})"]
    parts += [f"{m.title} ({' '.join('*' + s for s in m.suffixes)})" for m in media().values()]
    return ";;".join([*parts, "All files (*)"])


def lut_filter(more: tuple[str, ...] = ()) -> str:
    """Return the name filters of everything that can hold a LUT, and of `more` suffixes."""
    specs = formats().values()
    known = {s for f in specs for s in f.suffixes} | {".jpg", *more}
    every = " ".join(f"*{s}" for s in sorted(known))
    parts = [f"{f.title} ({' '.join('*' + s for s in f.suffixes)})" for f in specs]
    return ";;".join([f"LUT files ({every})", *parts, "All files (*)"])


class _Files(QFileDialog):
    """A chooser of files. A folder that is typed and is not there is offered to be made.

    An object rather than the static functions: those run their own loop inside C code, where an
    error of ours cannot be told from one of theirs.
    """

    def __init__(self, parent: QWidget, title: str, start: Path, kinds: str) -> None:
        super().__init__(parent, title, str(start), kinds)
        self.setWindowModality(Qt.WindowModality.WindowModal)
        self.setOption(QFileDialog.Option.HideNameFilterDetails)  # dozens of suffixes say nothing
        self.resize(860, 540)

    def _wanted_folder(self) -> Path | None:
        """Return the folder that what is typed would need; None where nothing is to be made."""
        typed = self.findChild(QLineEdit, "fileNameEdit")
        name = typed.text().strip() if typed is not None else ""
        if not name:
            return None
        place = Path(self.directory().absolutePath()) / Path(name).expanduser()
        if self.fileMode() == QFileDialog.FileMode.Directory:
            return place
        is_saved = self.acceptMode() == QFileDialog.AcceptMode.AcceptSave
        return place.parent if is_saved else None

    @guarded
    def accept(self) -> None:
        folder = self._wanted_folder()
        if folder is not None and not exists(folder):
            answers = (("Cancel", "stay"), ("Make it", "make"))
            words = f"It would lie in {folder.parent}."
            asked = Question(self, f"There is no folder {folder.name} yet.", words, answers)
            if asked.answered() != "make":
                return
            try:
                make_folder(folder)
            except SfumatoError as error:
                back = (("Back", "stay"),)
                Question(self, "The folder was not made.", error.sentence(), back).answered()
                return
        super().accept()


_STUDIES = "Studies (*.sfumato)"
_PROFILES = "ICC profiles (*.icc *.icm)"
_PICTURES, _LUTS = "Pictures and clips to bring in", "LUT files to add"


class Ports:
    """Choosers and questions. Each returns None or an empty list when the person steps back.

    Where the caller names no folder of its own, a chooser opens in the folder that was last used for
    files of its kind.
    """

    def __init__(self, settings: Settings | None = None) -> None:
        self._settings = settings

    def _start(self, kind: str, folder: Path) -> Path:
        if self._settings is None or folder not in (Path(), Path.home()):
            return folder
        kept = Path(str(self._settings.get(f"folders/{kind}", "")) or Path.home())
        return kept if is_folder(kept) else Path.home()

    def _asked(self, kind: str, dialog: QFileDialog) -> list[Path]:
        taken = [Path(n) for n in dialog.selectedFiles()] if dialog.exec() else []
        dialog.deleteLater()  # its parent would keep it, with all that it knows of the folder
        if taken and self._settings is not None:
            self._settings.set(f"folders/{kind}", str(taken[0].parent))
        return taken

    def _opened(
        self,
        parent: QWidget,
        kind: str,
        title: str,
        kinds: str,
        folder: str | Path = "",
        verb: str = "Open",
        *,
        several: bool = False,
    ) -> list[Path]:
        """Ask for files that are there."""
        dialog = _Files(parent, title, self._start(kind, Path(folder)), kinds)
        modes = QFileDialog.FileMode
        dialog.setFileMode(modes.ExistingFiles if several else modes.ExistingFile)
        dialog.setLabelText(QFileDialog.DialogLabel.Accept, verb)
        return self._asked(kind, dialog)

    def _one(self, parent: QWidget, kind: str, title: str, kinds: str) -> Path | None:
        return next(iter(self._opened(parent, kind, title, kinds)), None)

    def _saved(
        self, parent: QWidget, kind: str, title: str, suggested: str | Path, kinds: str
    ) -> Path | None:
        """Ask for a file to be written; the chooser asks before one is replaced."""
        place = Path(suggested)
        dialog = _Files(parent, title, self._start(kind, place.parent), kinds)
        dialog.selectFile(place.name)
        dialog.setAcceptMode(QFileDialog.AcceptMode.AcceptSave)
        dialog.setFileMode(QFileDialog.FileMode.AnyFile)
        return next(iter(self._asked(kind, dialog)), None)

    def choose_pictures(self, parent: QWidget, folder: str, title: str = _PICTURES) -> list[Path]:
        kinds, verb = picture_filter(), "Bring in" if title == _PICTURES else "Choose"
        return self._opened(parent, "pictures", title, kinds, folder, verb, several=True)

    def choose_luts(self, parent: QWidget, folder: str, title: str = _LUTS) -> list[Path]:
        verb = "Add" if title == _LUTS else "Choose"
        kinds = lut_filter(LOOKS if title == _LUTS else ())
        return self._opened(parent, "luts", title, kinds, folder, verb, several=True)

    def choose_study(self, parent: QWidget, folder: str) -> Path | None:
        found = self._opened(parent, "studies", "Study to open", _STUDIES, folder)
        return next(iter(found), None)

    def choose_save(self, parent: QWidget, suggested: str) -> Path | None:
        return self._saved(parent, "studies", "Save the study", suggested, _STUDIES)

    def choose_cdl(self, parent: QWidget, suggested: str) -> Path | None:
        kinds = "CDL files (*.cc *.ccc *.cdl)"
        return self._saved(parent, "looks", "Save the CDL", suggested, kinds)

    def choose_encoding(self, parent: QWidget) -> Path | None:
        return self._one(parent, "encodings", "Encoding to open", "Encodings (*.json)")

    def choose_encoding_save(self, parent: QWidget, suggested: str) -> Path | None:
        kinds = "Encodings (*.encoding.json)"
        return self._saved(parent, "encodings", "Save the encoding", suggested, kinds)

    def choose_profile(self, parent: QWidget) -> Path | None:
        return self._one(parent, "profiles", "Profile of this screen", _PROFILES)

    def choose_press(self, parent: QWidget) -> Path | None:
        return self._one(parent, "presses", "Profile of a press", _PROFILES)

    def choose_profile_save(self, parent: QWidget, suggested: str) -> Path | None:
        return self._saved(parent, "profiles", "Write the profile", suggested, _PROFILES)

    def choose_config(self, parent: QWidget) -> Path | None:
        kinds = "OCIO configs (*.ocio *.ocioz)"
        return self._one(parent, "configs", "OCIO config to open", kinds)

    def choose_lut_save(self, parent: QWidget, suggested: str) -> Path | None:
        return self._saved(parent, "luts", "Save a LUT", suggested, lut_filter())

    def choose_look_save(self, parent: QWidget, suggested: str) -> Path | None:
        kinds = f"Presets (*.look);;Studies (*.sfumato);;{lut_filter()}"
        return self._saved(parent, "looks", "Save the look", suggested, kinds)

    def choose_carrier(self, parent: QWidget, suggested: str) -> Path | None:
        kinds = "Carriers (*.png *.tif *.tiff *.jpg *.jpeg *.exr)"
        return self._saved(parent, "carriers", "Send a carrier", suggested, kinds)

    def choose_sheet(
        self, parent: QWidget, suggested: str, title: str = "Save the contact sheet"
    ) -> Path | None:
        return self._saved(parent, "sheets", title, suggested, "PDF (*.pdf);;PNG (*.png)")

    def choose_pack(self, parent: QWidget, suggested: str) -> Path | None:
        return self._saved(parent, "packs", "Make a pack", suggested, "Packs (*.zip)")

    def choose_layout(self, parent: QWidget, folder: str) -> Path | None:
        kinds = "Layouts (*.json)"
        found = self._opened(parent, "layouts", "Layout of a card to open", kinds, folder)
        return next(iter(found), None)

    def choose_json(self, parent: QWidget, suggested: str) -> Path | None:
        return self._saved(parent, "sheets", "Save as JSON", suggested, "JSON (*.json)")

    def reveal(self, file: Path) -> None:
        """Show a file, or what lies in a folder, in the desktop's file manager."""
        folder = file if is_folder(file) else file.parent
        QDesktopServices.openUrl(QUrl.fromLocalFile(str(folder)))

    def choose_folder(
        self, parent: QWidget, folder: Path, title: str = "Folder to write into"
    ) -> Path | None:
        dialog = _Files(parent, title, self._start("written", folder), "")
        dialog.setFileMode(QFileDialog.FileMode.Directory)
        dialog.setOption(QFileDialog.Option.ShowDirsOnly)
        dialog.setLabelText(QFileDialog.DialogLabel.Accept, "Choose")
        return next(iter(self._asked("written", dialog)), None)

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

    def choose_parts(
        self, parent: QWidget, name: str, looks: Sequence[str], one: bool
    ) -> list[int]:
        """Return which of the looks in a file are taken, by place, or which `one`; none when it is given up."""
        return PartQuestion(parent, name, looks, one).answered()

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
