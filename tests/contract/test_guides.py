"""The guides are walked through: their code runs as it stands."""

from __future__ import annotations

import re
import types

import numpy as np
from conftest import ROOT

from sfumato.core.colour.encodings import encoding


def test_the_glaze_of_the_guide_works() -> None:
    text = (ROOT / "docs/add-a-glaze.md").read_text()
    (code,) = re.findall(r"```python\n(.*?)```", text, re.S)
    module = types.ModuleType("lift_blacks")
    exec(compile(code, "add-a-glaze.md", "exec"), module.__dict__)
    spec = module.SPEC
    x = np.float32([[0.0, 0.5, 1.0]])
    np.testing.assert_array_equal(spec.apply(spec.defaults(), x), x)
    lifted = spec.apply(spec.record(amount=0.2), x, encoding("sRGB"))
    np.testing.assert_allclose(lifted, [[0.2, 0.6, 1.0]], atol=1e-6)
    assert spec.controls()["amount"].title == "Amount"


def test_the_readme_links_every_picture() -> None:
    text = (ROOT / "README.md").read_text()
    pictures = sorted(p.name for p in (ROOT / "docs/screenshots").glob("*.png"))
    assert 3 <= len(pictures) < 20
    assert [p for p in pictures if f"docs/screenshots/{p}" not in text] == []
    for name in re.findall(r"\]\(((?:docs|demo|packaging)[^)]*)\)", text):
        assert (ROOT / name).exists(), name
