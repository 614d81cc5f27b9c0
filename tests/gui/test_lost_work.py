"""Nothing is lost: two windows on a study, links, kept copies, closing in the middle of work."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

import attrs
import pytest
from conftest import DEMO
from PySide6.QtWidgets import QPushButton

from sfumato.core.errors import ExportError
from sfumato.core.study.study import Study
from sfumato.work.stores import study_store
from sfumato.work.stores.study_store import open_study, recoverable, save_study


@pytest.fixture
def mine(demo, tmp_path: Path) -> Path:
    """The demo study in a file of its own, open in the window."""
    file = tmp_path / "mine.sfumato"
    demo.ports.save = file
    demo.act("save_study_as")
    return file


def rename(hand, name: str) -> None:
    hand.window.model.commit("Rename", hand.study.with_look(name=name))


def by_another(file: Path, name: str) -> None:
    """Write a study as another window does."""
    save_study(open_study(file).with_look(name=name), file)


def test_a_study_that_another_window_wrote_is_not_overwritten_silently(demo, mine: Path) -> None:
    hand, window, ports = demo, demo.window, demo.ports
    rename(hand, "Mine")
    hand.act("save_study")
    assert not ports.asked
    assert open_study(mine).look.name == "Mine"
    by_another(mine, "Theirs")
    window.files.look_at_disk()  # as when the window comes to the front
    assert "was changed on disk" in hand.notices[-1]
    count = len(hand.notices)
    window.files.look_at_disk()
    assert len(hand.notices) == count  # said once
    rename(hand, "Mine again")
    # Stay: nothing is written.
    ports.changed = "stay"
    assert window.files.save_study() is False
    assert ports.asked == ["mine.sfumato"]
    assert open_study(mine).look.name == "Theirs"
    # Keep both: mine lies beside it.
    ports.changed = "both"
    hand.act("save_study")
    beside = mine.with_name("mine 2.sfumato")
    assert (open_study(mine).look.name, open_study(beside).look.name) == ("Theirs", "Mine again")
    assert window.model.file == beside
    # Replace, and open what is on disk.
    by_another(beside, "Theirs too")
    rename(hand, "Mine at last")
    ports.changed = "replace"
    hand.act("save_study")
    assert open_study(beside).look.name == "Mine at last"
    by_another(beside, "Theirs in the end")
    rename(hand, "Given up")
    ports.changed = "open"
    hand.act("save_study")
    hand.settle()
    assert hand.study.look.name == "Theirs in the end"
    assert not window.model.is_edited
    # From the notice too; and a file that is gone is written without a question.
    by_another(beside, "Once more")
    window.files.look_at_disk()
    hand.click(hand.find(QPushButton, "notice.button"))
    hand.settle()
    assert hand.study.look.name == "Once more"
    ports.asked.clear()
    beside.unlink()
    rename(hand, "Written anew")
    hand.act("save_study")
    assert not ports.asked
    assert open_study(beside).look.name == "Written anew"


def test_saving_through_a_link_keeps_the_link_and_the_shots(
    demo, mine: Path, tmp_path: Path
) -> None:
    hand, window = demo, demo.window
    link = tmp_path / "elsewhere" / "link.sfumato"
    link.parent.mkdir()
    link.symlink_to(mine)
    window.files.open_file(link)
    hand.settle()
    shots = [s.path for s in hand.study.shots]
    rename(hand, "Through the link")
    hand.act("save_study")
    assert link.is_symlink()
    for place in (link, mine):
        again = open_study(place)
        assert again.look.name == "Through the link"
        assert [s.path for s in again.shots] == shots
        assert all(Path(s.path).exists() for s in again.shots)


def _copy(name: str, **changes) -> Path:
    """Leave a kept state as a program that died leaves it."""
    slot = study_store.new_slot()
    study_store.autosave(attrs.evolve(Study(), name=name), slot, None)
    body = json.loads(slot.read_text())
    slot.write_text(json.dumps({**body, "pid": 2**22 + 17, **changes}))
    return slot


def test_kept_states_are_found_whatever_lies_beside_them(tmp_path: Path) -> None:
    good = _copy("Good")
    sleeper = subprocess.Popen([sys.executable, "-c", "input()"], stdin=subprocess.PIPE)
    try:
        owned = {"pid": sleeper.pid, "started": study_store._started(sleeper.pid)}
        hidden = _copy("Still open", **owned)
        reused = _copy("Of another program", pid=sleeper.pid, started="1")
        rebooted = _copy("Before the restart", **owned, boot="other")
        folder = good.parent
        damage = {
            "a": "",
            "b": "[]",
            "c": '{"pid": "x"}',
            "d": good.read_text()[:-30],
            "e": json.dumps({**json.loads(good.read_text()), "when": "never"}),
            "f": json.dumps({**json.loads(good.read_text()), "study": {"sfumato": 1}}),
            "g": "[" * 100_000,
            "h": json.dumps({**json.loads(good.read_text()), "pid": None}),
            "i": json.dumps({**json.loads(good.read_text()), "original": ["a"]}),
        }
        for name, text in damage.items():
            (folder / f"{name}.json").write_text(text)
        (folder / "z.json").write_bytes(b"\xff\xfe\x00")
        found, damaged = recoverable()
        assert {r.file for r in found} == {good, reused, rebooted}
        assert hidden not in damaged
        assert len(damaged) == len(damage) + 1
    finally:
        sleeper.communicate(b"\n")
    assert hidden in {r.file for r in recoverable()[0]}


def test_several_kept_states_are_shown_and_each_can_be_had(hand) -> None:
    first, second = _copy("First"), _copy("Second", when=1.0)
    (first.parent / "torn.json").write_text("{")
    window = hand.window
    window.files.offer_recovery()
    assert "2 studies were not saved" in hand.notices[-1]
    hand.click(hand.find(QPushButton, "notice.button"))
    sheet = window.findChild(object, "recovery")
    assert sheet.isVisible()
    assert sheet.findChild(QPushButton, "recovery.recover.0").accessibleName() == "Recover First"
    hand.click(sheet.findChild(QPushButton, "recovery.recover.1"))
    hand.settle()
    assert hand.study.name == "Second"
    assert window.model.is_edited
    assert first.exists()
    assert not second.exists()
    kept = json.loads(window.files.slot.read_text())
    assert kept["study"]["name"] == "Second"
    hand.ports.delete = True
    window.files.show_copies()
    sheet = [w for w in window.findChildren(object, "recovery") if w.isVisible()][-1]
    hand.click(sheet.findChild(QPushButton, "recovery.delete.0"))
    assert not first.exists()


def test_the_old_copy_stays_until_the_new_one_is_written(hand, monkeypatch) -> None:
    copy = _copy("Only one")
    window = hand.window

    def full(*_args) -> None:
        raise ExportError("the disk is full")

    window.files.offer_recovery()
    with monkeypatch.context() as disk:
        disk.setattr(study_store, "autosave", full)
        hand.click(hand.find(QPushButton, "notice.button"))
        hand.settle()
    assert hand.study.name == "Only one"
    assert copy.exists()
    assert "No recovery copy" in hand.notices[-1]
    rename(hand, "Later")
    window.files.autosave_now()
    hand.settle()
    assert not copy.exists()
    assert window.files.slot.exists()


def test_closing_in_the_middle_of_work_asks(demo) -> None:
    window, ports = demo.window, demo.ports
    ended: list[str] = []

    def work(cancel, _progress) -> None:
        while True:
            cancel.check()

    window.queue.add("Converting 900 files", work, ended=ended.append)
    ports.stop = False
    assert not window.close()
    assert ports.asked == ["Converting 900 files"]
    assert window.isVisible()
    assert window.queue.is_busy
    ports.stop = True
    assert window.close()
    assert not window.isVisible()


def test_a_copy_survives_every_answer_but_giving_up(demo, mine: Path) -> None:
    hand, window = demo, demo.window
    rename(hand, "Edited")
    hand.wait(100)
    hand.settle()
    slot = window.files.slot
    assert slot.exists()
    hand.act("save_study")
    assert not slot.exists()
    rename(hand, "Edited again")
    hand.wait(100)
    hand.settle()
    assert slot.exists()
    assert int(json.loads(slot.read_text())["pid"]) == os.getpid()
    window.files.open_file(DEMO)
    hand.settle()
    assert not slot.exists()
