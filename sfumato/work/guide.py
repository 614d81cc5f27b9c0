"""The guide: pages in Markdown that are read in the program and on paper, found by their words."""

from __future__ import annotations

import re
from functools import cache
from pathlib import Path

from attrs import frozen

import sfumato
from sfumato.work.files import is_file

CONTENTS = "README.md"  # the list of pages, in their order, under headings
_LINK = re.compile(r"^\s*(?:\d+\.|-) \[(?P<title>[^\]]+)\]\((?P<key>[\w-]+)\.md\)")
_MARKS = re.compile(r"!\[[^\]]*\]\([^)]*\)|[*_`#>|]|\]\([^)]*\)|\[")
_STEP = re.compile(r"^\d+\. (.+(?:\n   .+)*)", re.MULTILINE)
_QUOTED = re.compile(r"\*\*(.+?)\*\*", re.DOTALL)


@frozen
class Page:
    """A page: its key (the name of its file without the suffix), title, group, and Markdown."""

    key: str
    title: str
    group: str
    text: str

    @property
    def words(self) -> str:
        """The text without its marks."""
        return _plain(self.text)

    @property
    def steps(self) -> list[tuple[str, tuple[str, ...]]]:
        """What its numbered list tells to do, with the words in bold: what is to be seen in the window.

        >>> Page("a", "A", "", "1. Press **Add**\\n   now.\\n2. Wait.").steps
        [('Press **Add** now.', ('Add',)), ('Wait.', ())]
        """
        found = [" ".join(step.split()) for step in _STEP.findall(self.text)]
        return [(step, tuple(_QUOTED.findall(step))) for step in found]


@cache
def _plain(text: str) -> str:
    return " ".join(_MARKS.sub(" ", text).split())


def guide_folder() -> Path:
    """Return the folder of the pages: in the installed package, or in the docs of a checkout."""
    package = Path(sfumato.__file__).resolve().parent
    within = package / "guide"
    return within if is_file(within / CONTENTS) else package.parent / "docs" / "guide"


@cache
def pages() -> dict[str, Page]:
    """Return the pages by key, in the order of the contents; {} where the guide is not installed."""
    folder, group, found = guide_folder(), "", {}
    try:
        lines = (folder / CONTENTS).read_text(encoding="utf-8").splitlines()
        for line in lines:
            if line.startswith("## "):
                group = line[3:].strip()
            link = _LINK.match(line)
            if link is not None:
                text = (folder / f"{link['key']}.md").read_text(encoding="utf-8")
                found[link["key"]] = Page(link["key"], link["title"], group, text)
    except OSError:
        return {}
    return found


def found(asked: str) -> list[Page]:
    """Return the pages in which every word that is asked for occurs; those with it in the title first."""
    words = asked.casefold().split()
    hits = [p for p in pages().values() if all(w in p.words.casefold() for w in words)]
    return sorted(hits, key=lambda p: not any(w in p.title.casefold() for w in words))
