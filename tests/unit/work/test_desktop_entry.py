"""Among the applications of the desktop, and out again, in the user's own folders."""

from __future__ import annotations

import configparser
from pathlib import Path
from xml.etree import ElementTree

from click.testing import CliRunner

from sfumato.cli.main import cli


def test_install_and_remove_leave_nothing_behind(tmp_path: Path, monkeypatch) -> None:
    place = tmp_path / "share"
    monkeypatch.setenv("XDG_DATA_HOME", str(place))
    theirs = place / "applications" / "other.desktop"
    theirs.parent.mkdir(parents=True)
    theirs.write_text("[Desktop Entry]\n")
    done = CliRunner().invoke(cli, ["desktop", "install"])
    assert done.exit_code == 0, done.output
    files = [Path(line) for line in done.output.split("\n") if line]
    assert files
    assert all(f.is_file() and f.is_relative_to(place) for f in files)
    entry = configparser.ConfigParser(interpolation=None)
    entry.optionxform = str
    entry.read(place / "applications" / "sfumato.desktop")
    main = entry["Desktop Entry"]
    assert main["Name"] == "Sfumato"
    assert main["Exec"].endswith("%f")
    assert any(f.stem == main["Icon"] for f in files)
    for file in files:
        if file.suffix in (".xml", ".svg"):
            ElementTree.parse(file)
    types = {t for t in main["MimeType"].split(";") if t}
    kinds = next(f for f in files if "mime" in str(f)).read_text()
    assert all(t in kinds for t in types if "sfumato" in t)
    again = CliRunner().invoke(cli, ["desktop", "install"])
    assert again.exit_code == 0
    gone = CliRunner().invoke(cli, ["desktop", "remove"])
    assert gone.exit_code == 0
    assert {Path(line) for line in gone.output.split("\n") if line} == set(files)
    assert theirs.exists()
    assert [f for f in place.rglob("*") if "sfumato" in f.name] == []
    nothing = CliRunner().invoke(cli, ["desktop", "remove"])
    assert nothing.exit_code == 0
    assert "nothing was there" in nothing.output
