"""Reading STEP files: units, and files that are none."""

from pathlib import Path

import numpy as np
import pytest
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace
from OCP.gp import gp_Pln

from intaglio.cad import step
from intaglio.cad.measures import bounds, volume
from intaglio.cad.part import from_bytes, to_bytes
from intaglio.cad.step import read_step, write_step
from intaglio.errors import FileRejected
from tests.core.shapes import box


@pytest.mark.parametrize(
    "unit, name, factor", [("MM", "mm", 1.0), ("INCH", "in", 25.4), ("M", "m", 1e3)]
)
def test_the_files_unit_is_kept(unit, name, factor, tmp_path):
    path = tmp_path / "box.step"
    write_step(box(0, 0, 0, 254, 508, 1016), path, unit)
    part = read_step(path)
    assert part.unit == name
    low, high = bounds(part.shape)
    np.testing.assert_allclose(high - low, np.array([254, 508, 1016]) / factor, rtol=1e-6)


def test_a_part_survives_storage(tmp_path):
    path = tmp_path / "box.step"
    write_step(box(0, 0, 0, 1, 2, 3), path)
    part = read_step(path)
    again = from_bytes(to_bytes(part), part.unit)
    assert volume(again.shape) == pytest.approx(6.0)
    assert len(again.faces) == 6


def _good(tmp_path: Path) -> bytes:
    path = tmp_path / "good.step"
    write_step(box(0, 0, 0, 1, 2, 3), path)
    return path.read_bytes()


@pytest.mark.parametrize(
    "spoil, code",
    [
        (lambda d: b"", "empty"),
        (lambda d: b"  \n ", "empty"),
        (lambda d: b"solid box\nfacet", "not-step"),
        (lambda d: d[: len(d) // 2], "cut-short"),
        (lambda d: b"ISO-10303-21;\nnonsense\nEND-ISO-10303-21;\n", None),
        (lambda d: d.replace(b"MANIFOLD_SOLID_BREP", b"MANIFOLD_SOLID_BRAP"), "no-solid"),
    ],
)
def test_bad_files_are_named_with_the_reason(spoil, code, tmp_path):
    path = tmp_path / "bad_part.step"
    path.write_bytes(spoil(_good(tmp_path)))
    with pytest.raises(FileRejected) as caught:
        read_step(path)
    assert "bad_part.step" in caught.value.message
    if code:
        assert caught.value.code == code


def test_a_surface_is_no_solid(tmp_path):
    path = tmp_path / "sheet.step"
    write_step(BRepBuilderAPI_MakeFace(gp_Pln(), 0, 1, 0, 1).Face(), path)
    with pytest.raises(FileRejected) as caught:
        read_step(path)
    assert caught.value.code == "no-solid"


def test_too_large_a_file(tmp_path, monkeypatch):
    path = tmp_path / "large.step"
    path.write_bytes(_good(tmp_path))
    monkeypatch.setattr(step, "SIZE_LIMIT", 100)
    with pytest.raises(FileRejected) as caught:
        read_step(path)
    assert caught.value.code == "too-large"


def test_a_missing_file(tmp_path):
    with pytest.raises(FileRejected, match=r"gone\.step"):
        read_step(tmp_path / "gone.step")
