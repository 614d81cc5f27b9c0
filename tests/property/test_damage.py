"""Files of ours whose structure was damaged: a thousand mutations of each kind give refusals in words."""

from __future__ import annotations

import copy
import json
import random
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import attrs
import numpy as np
import pytest
from conftest import DEMO, ROOT
from PIL import Image

from sfumato.core.colour.user_encoding import UserEncoding
from sfumato.core.errors import SfumatoError
from sfumato.core.study.coat import grouped, new_coat
from sfumato.core.study.loan import Loan, Pick, Tie
from sfumato.core.study.mask import Brush, Gradient, Mask, Stroke
from sfumato.core.study.results import Results
from sfumato.core.study.shot import Layer
from sfumato.core.study.study import LOOK
from sfumato.core.study.version import SentFile, version_of
from sfumato.work.borrow.alike import read_layout
from sfumato.work.outlets.templates import TEMPLATES
from sfumato.work.results.apply import ApplyWish, again, apply_shot
from sfumato.work.stores.encoding_store import read_encoding, write_encoding
from sfumato.work.stores.presets import read_preset
from sfumato.work.stores.study_store import open_study, read_study, recoverable, save_study

_A = (0.1, 0.1, 0.5, 0.5)
ODD: list[Any] = [
    None,
    True,
    -1,
    0,
    10**5000,
    -(10**400),
    1e308,
    float("inf"),
    float("nan"),
    "",
    "\ud800",
    "a\0b",
    "\udcff",
    "x" * 100_000,
    [],
    {},
    [[[[]]]],
    {"a": 1},
    [1, "two", None],
    "Tarn Log",
    3.5,
]


def places(plain: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    yield path
    if isinstance(plain, dict):
        for key, value in plain.items():
            yield from places(value, (*path, key))
    elif isinstance(plain, list):
        for i, value in enumerate(plain[:4]):
            yield from places(value, (*path, i))


def damaged(plain: Any, dice: random.Random) -> Any:
    """Return plain data with one or two places taken out, exchanged or put twice."""
    plain = copy.deepcopy(plain)
    for _ in range(dice.choice((1, 1, 2))):
        every = [p for p in places(plain) if p]
        if not every:
            return copy.deepcopy(dice.choice(ODD))
        path = dice.choice(every)
        holder = plain
        for step in path[:-1]:
            holder = holder[step]
        key = path[-1]
        what = dice.random()
        if what < 0.15:
            del holder[key]
        elif what < 0.25 and isinstance(holder, list):
            holder.append(copy.deepcopy(holder[key]))
        elif what < 0.3 and isinstance(holder, dict):
            holder["from tomorrow"] = holder[key]
        else:
            holder[key] = copy.deepcopy(dice.choice(ODD))  # else the next damage alters ODD itself
    return plain


def text_of(plain: Any) -> bytes:
    """Return JSON as a hand could write it: 1e999, numbers of thousands of digits, halves of pairs."""
    import sys

    limit = sys.get_int_max_str_digits()
    sys.set_int_max_str_digits(0)
    try:
        text = json.dumps(plain)
    finally:
        sys.set_int_max_str_digits(limit)
    return text.replace("Infinity", "1e999").encode()


@pytest.fixture(scope="module")
def files(tmp_path_factory) -> dict[str, tuple[Any, str]]:
    """One of each kind, with everything in it that there is."""
    folder = tmp_path_factory.mktemp("damage")
    study = open_study(DEMO)
    pixels = np.full((12, 16, 3), 90, np.uint8)
    Image.fromarray(pixels).save(folder / "p.png")
    brush = Stroke(Brush(), ((0.2, 0.3, 1.0), (0.5, 0.5, 0.4)))
    painted = Mask(False, (brush, Gradient((0, 0), (1, 1))))
    shot = attrs.evolve(
        study.shots[0],
        path=str(folder / "p.png"),
        encoding="sRGB",
        mask=painted,
        layers=(Layer(new_coat("exposure", stops=0.2), painted),),
    )
    group = grouped((new_coat("levels"), new_coat("curves")))
    study = attrs.evolve(
        study, shots=(shot, *study.shots[1:3]), results=Results(0.5, names="{shot}")
    )
    study = study.added(LOOK, group).added(LOOK, new_coat("tints")).added(LOOK, new_coat("lut"))
    file = SentFile("editing33", str(folder / "o.cube"), "ab", 9, beside=("x",))
    version = version_of(study).with_files((file,))
    paths = str(folder / "p.png"), str(folder / "q.png")
    loan = Loan(
        "reference", paths[:1], paths[1:], "sRGB", "", paths, ties=(Tie(_A, _A, paths[0]),),
        picks=(Pick((0.1, 0.2), (0.3, 0.4), paths[1]),),
    )  # fmt: skip
    study = attrs.evolve(study, outlets=(TEMPLATES["monitor17"],), versions=(version,), loan=loan)
    save_study(study, folder / "s.sfumato")
    apply_shot(study, shot, folder / "o.png", ApplyWish())
    write_encoding(UserEncoding("mine"), folder / "e.encoding.json")
    look = next((ROOT / "sfumato" / "looks").glob("*.look"))
    return {
        "study": (json.loads((folder / "s.sfumato").read_bytes()), "s.sfumato"),
        "preset": (json.loads(look.read_bytes()), "p.look"),
        "sidecar": (json.loads((folder / "o.png.applied.json").read_bytes()), "r.applied.json"),
        "encoding": (json.loads((folder / "e.encoding.json").read_bytes()), "e.encoding.json"),
        "card": (json.loads((DEMO.parent / "portrait_card.json").read_bytes()), "c.json"),
    }


def _study(file: Path) -> None:
    found = read_study(file)
    save_study(found.study, file.with_name("again.sfumato"))
    assert read_study(file.with_name("again.sfumato")).study.look == found.study.look


def _sidecar(file: Path) -> None:
    again(file, file.with_name("result.png"), force=True)


def _encoding(file: Path) -> None:
    write_encoding(read_encoding(file), file.with_name("again.encoding.json"), force=True)


def _card(file: Path) -> None:
    layout = read_layout(file)
    assert all(np.isfinite(o).all() for o in layout.outlines(layout.home))


READERS: dict[str, Callable[[Path], Any]] = {
    "study": _study,
    "preset": read_preset,
    "sidecar": _sidecar,
    "encoding": _encoding,
    "card": _card,
}


@pytest.mark.parametrize("kind", READERS)
@pytest.mark.parametrize("seed", range(4))
def test_damaged_files_are_refused_in_words(kind: str, seed: int, files, tmp_path: Path) -> None:
    plain, name = files[kind]
    dice = random.Random(f"{kind}{seed}")
    refused = 0
    for _ in range(250 if kind != "sidecar" else 120):
        file = tmp_path / name
        file.write_bytes(text_of(damaged(plain, dice)))
        try:
            READERS[kind](file)
        except SfumatoError as error:
            refused += 1
            assert error.sentence()
            assert len(error.sentence()) < 1000
    assert refused > 40


def test_wishes_of_other_kinds_are_refused(files, tmp_path: Path) -> None:
    plain, name = files["sidecar"]
    for field, value in (
        ("strength", float("nan")),
        ("strength", True),
        ("strength", 2.5),
        ("quality", 3.5),
        ("bits", 7),
        ("codec", "vhs"),
        ("encoding", "Nonsense"),
        ("sampling", None),
        ("points", -1),
    ):
        file = tmp_path / name
        file.write_text(json.dumps({**plain, "wish": {**plain["wish"], field: value}}))
        with pytest.raises(SfumatoError, match="damaged"):
            again(file, tmp_path / "x.png")
        assert not (tmp_path / "x.png").exists()


def test_odd_bytes_of_file_names_are_kept(tmp_path: Path) -> None:
    study = open_study(DEMO)
    odd = attrs.evolve(study.shots[0], path=str(tmp_path / "\udcff.tif"))
    save_study(attrs.evolve(study, shots=(odd,)), tmp_path / "a.sfumato")
    assert open_study(tmp_path / "a.sfumato").shots[0].path == odd.path
    assert recoverable() == ([], [])
