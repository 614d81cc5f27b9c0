"""Writing is whole or not at all; what is no file is refused; autosaves outlive their program."""

from __future__ import annotations

import errno
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest
from conftest import DEMO

from sfumato.core.errors import ExportError, MediaError, ValueRefused
from sfumato.work import files
from sfumato.work.files import read_bytes, typed_folder, write_bytes
from sfumato.work.stores import study_store


def test_replacing_needs_a_word_and_keeps_the_old_on_a_full_disk(
    tmp_path: Path, monkeypatch
) -> None:
    file = tmp_path / "a.cube"
    write_bytes(file, b"one", force=False)
    with pytest.raises(ExportError, match="exists already"):
        write_bytes(file, b"two", force=False)
    assert file.read_bytes() == b"one"

    def full(_fd: int) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(files.os, "fsync", full)
    with pytest.raises(ExportError, match="disk is full") as caught:
        write_bytes(file, b"three")
    assert caught.value.where == str(file)
    assert file.read_bytes() == b"one"
    assert os.listdir(tmp_path) == ["a.cube"]


def test_places_that_cannot_be_written_or_read_are_said(tmp_path: Path) -> None:
    with pytest.raises(ExportError, match="no such file or folder"):
        write_bytes(tmp_path / "no" / "a.cube", b"x")
    (tmp_path / "file").write_bytes(b"x")
    with pytest.raises(ExportError, match="not a folder"):
        write_bytes(tmp_path / "file" / "a.cube", b"x")
    with pytest.raises(MediaError, match="a folder"):
        read_bytes(tmp_path)
    os.mkfifo(tmp_path / "pipe")
    with pytest.raises(MediaError, match="not an ordinary file"):
        read_bytes(tmp_path / "pipe")
    with pytest.raises(MediaError, match="larger than"):
        read_bytes(tmp_path / "file", most=0)


def test_an_autosave_survives_kill_9(tmp_path: Path) -> None:
    """A program that edits and is killed leaves its study; while it lives nothing is offered."""
    code = (
        "import time, sys\n"
        "from sfumato.work.stores import study_store as s\n"
        f"study = s.open_study({str(DEMO)!r})\n"
        "slot = s.new_slot()\n"
        "s.autosave(study.with_look(name='Saved by nobody'), slot, 'film.sfumato')\n"
        "print('ready', flush=True)\n"
        "time.sleep(60)\n"
    )
    process = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    assert process.stdout.readline() == "ready\n"
    assert study_store.recoverable() == ([], [])
    process.send_signal(signal.SIGKILL)
    process.wait()
    process.stdout.close()
    time.sleep(0.05)
    ((found,), _damaged) = study_store.recoverable()
    assert found.study.look.name == "Saved by nobody"
    assert found.original == "film.sfumato"
    found.file.write_text("{ not whole")
    assert study_store.recoverable() == ([], [found.file])


def test_the_demo_study_opens_with_six_shots_and_relative_paths() -> None:
    study = study_store.open_study(DEMO)
    assert [s.name for s in study.shots] == [
        "furnace",
        "sill",
        "causeway",
        "fog",
        "jetty",
        "portrait",
    ]
    assert all(Path(s.path).is_file() for s in study.shots)
    assert sum(bool(s.ground) for s in study.shots) == 3
    assert study.look.name == "Low tide"
    assert str(DEMO.parent) not in DEMO.read_text()


@pytest.mark.parametrize("text", ["", "  ", "out", "./out", "../x", "~nobody here/x", "/a\0b"])
def test_a_typed_folder_is_a_whole_path(text: str) -> None:
    """A window has no place of its own: half a path would lead to wherever it was started."""
    with pytest.raises(ValueRefused, match=r"no folder is set|is no whole path"):
        typed_folder(text)


def test_the_home_folder_can_be_typed(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setenv("HOME", str(tmp_path))
    assert typed_folder(" ~/luts ") == tmp_path / "luts"
    assert typed_folder("/srv/luts") == Path("/srv/luts")
