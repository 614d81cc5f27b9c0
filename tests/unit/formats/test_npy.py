"""Arrays: which shapes and types are tables."""

from __future__ import annotations

import io

import numpy as np
import pytest

from sfumato.core.errors import FormatError
from sfumato.core.lut.table import Table1D, Table3D, lattice_colours
from sfumato.formats.npy import read


def npy(values: np.ndarray) -> bytes:
    out = io.BytesIO()
    np.save(out, values)
    return out.getvalue()


def test_lattices_and_curves_of_every_type_are_read() -> None:
    nodes = lattice_colours(5)
    for kind, tolerance in (("<f4", 0), (">f8", 1e-7), ("<f2", 1e-3), ("u1", 3e-3), ("<u2", 1e-5)):
        whole = np.iinfo(kind).max if kind[-2] == "u" else 1
        for order in "CF":
            data = npy(
                np.asarray(np.round(nodes * whole) if whole > 1 else nodes, kind, order=order)
            )
            (table,) = read(data).transform.stages
            assert isinstance(table, Table3D)
            np.testing.assert_allclose(table.values, nodes, atol=tolerance + 1e-9)
    assert read(npy(lattice_colours(2))).transform.stages[0].size == 2
    (curve,) = read(npy(np.linspace(0, 1, 7)[:, None].repeat(3, 1))).transform.stages
    assert isinstance(curve, Table1D)


@pytest.mark.parametrize(
    "shape",
    [(5, 5, 5, 4), (5, 5, 4, 3), (7, 4), (7, 2), (7,), (1, 3), (1, 1, 1, 3), (2, 2, 2, 2, 3), ()],
)
def test_other_shapes_are_refused(shape: tuple[int, ...]) -> None:
    with pytest.raises(FormatError, match="shape"):
        read(npy(np.zeros(shape, np.float32)))


def test_types_and_numbers_that_are_no_colours_are_refused() -> None:
    for kind, words in ((np.int32, "holds int32"), (np.complex64, "holds complex64")):
        with pytest.raises(FormatError, match=words):
            read(npy(np.zeros((5, 3), kind)))
    for odd in (np.nan, np.inf, 1e300):
        with pytest.raises(FormatError, match="finite"):
            read(npy(np.array([[0.0, 0, 0], [odd, 1, 1]])))
    with pytest.raises(FormatError, match="cut short"):
        read(npy(np.zeros((5, 3)))[:-1])
