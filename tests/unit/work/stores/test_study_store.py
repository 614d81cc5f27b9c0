"""Reading a study is no deed: what it brings is known when it is opened, and not before."""

from __future__ import annotations

import json
import threading
from pathlib import Path

import attrs
import pytest

from sfumato.core.colour.encodings import add_encodings, drop_encodings, encodings
from sfumato.core.colour.user_encoding import Gamut, LogCurve, UserEncoding
from sfumato.core.errors import StudyError
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.work.stores.study_store import open_study, read_study, save_study

OWN = UserEncoding("Quay Log", "measured on a wedge", curve=LogCurve(), gamut=Gamut("Tarn Wide"))


@pytest.fixture
def file(tmp_path: Path) -> Path:
    """A study whose shot has an encoding that nobody else knows."""
    add_encodings([OWN.made()])
    shot = Shot(str(tmp_path / "quay.tif"), "quay", "Quay Log")
    place = tmp_path / "quay.sfumato"
    save_study(attrs.evolve(Study(), shots=(shot,)), place)
    drop_encodings(["Quay Log"])
    yield place
    drop_encodings(["Quay Log"])


def test_a_study_that_is_read_registers_nothing(file: Path) -> None:
    before = dict(encodings())
    found = read_study(file)
    assert dict(encodings()) == before
    assert found.study.shots[0].encoding == "Quay Log"
    assert [e.name for e in found.encodings] == ["Quay Log"]
    elsewhere: list[bool] = []
    reader = threading.Thread(target=lambda: elsewhere.append("Quay Log" in encodings()))
    reader.start()
    reader.join()
    assert elsewhere == [False]
    assert found.opened().shots[0].encoding == "Quay Log"
    assert "Quay Log" in encodings()


def test_a_study_that_is_refused_registers_nothing_either(file: Path) -> None:
    plain = json.loads(file.read_text())
    file.write_text(json.dumps({**plain, "look": "none"}))
    with pytest.raises(StudyError):
        open_study(file)
    assert "Quay Log" not in encodings()
