"""CAD and facets that once ended reading in a traceback, or lost something without a word."""

import numpy as np
import pytest
from OCP.BRep import BRep_Builder
from OCP.BRepTools import BRepTools
from OCP.TopoDS import TopoDS_Compound, TopoDS_Shell

from intaglio.cad import domain as cad_domain
from intaglio.cad.measures import bounds, has_extent
from intaglio.cad.part import Part
from intaglio.errors import FileRejected, StepFailed
from intaglio.facets.part import FacetPart
from intaglio.findings import Finding, offer
from intaglio.parts import safe
from intaglio.parts.safe import repair_safe
from intaglio.parts.source import Source
from intaglio.parts.taking import take_in
from intaglio.stages.geometry.settings import Geometry
from intaglio.stages.geometry.step import geometry_step
from tests.core.shapes import box, cut


def _brep(shapes, path) -> Source:
    builder, whole = BRep_Builder(), TopoDS_Compound()
    builder.MakeCompound(whole)
    for shape in shapes:
        builder.Add(whole, shape)
    BRepTools.Write_s(whole, str(path))
    return Source(path.name, path.read_bytes())


def _empty_shell() -> TopoDS_Shell:
    shell = TopoDS_Shell()
    BRep_Builder().MakeShell(shell)
    return shell


def test_a_body_without_extent_is_left_out_and_told(tmp_path):
    source = _brep([box(0, 0, 0, 3, 2, 1), _empty_shell()], tmp_path / "half_empty.brep")
    report = geometry_step(Geometry(), source, lambda share, doing: None).report
    assert [b["volume"] for b in report["bodies"]] == pytest.approx([6.0])
    assert [f["code"] for f in report["findings"] if f["code"] == "empty-body"] == ["empty-body"]


def test_a_file_of_empty_bodies_alone_is_refused(tmp_path):
    with pytest.raises(FileRejected):
        take_in(_brep([_empty_shell()], tmp_path / "empty.brep"), "file")


def test_the_box_of_nothing_is_an_error_in_words():
    assert not has_extent(_empty_shell()) and has_extent(box(0, 0, 0, 1, 1, 1))
    with pytest.raises(StepFailed, match="takes up space"):
        bounds(_empty_shell())


@pytest.fixture
def bored(tmp_path) -> Source:
    shape = cut(box(0, 0, 0, 10, 10, 10), box(3, 3, 2, 7, 7, 11))
    return _brep([shape], tmp_path / "bored.brep")


def test_an_opening_that_the_kernel_cannot_close_is_a_finding(bored, monkeypatch):
    def fails(edges, host):
        raise StepFailed("cap", "no face")

    monkeypatch.setattr(cad_domain, "_closing_face", fails)
    report = geometry_step(Geometry(), bored, lambda share, doing: None).report
    (found,) = [f for f in report["findings"] if f["code"] == "opening-lost"]
    assert report["openings"] == [] and found["level"] == "caution"
    # the place is the middle of the rim
    assert found["places"][0] == pytest.approx([5, 5, 10])


def test_a_failure_among_the_spaces_is_a_finding(bored, monkeypatch):
    def fails(part, openings):
        raise StepFailed("kernel", "the kernel gave up")

    monkeypatch.setattr(cad_domain, "spaces", fails)
    report = geometry_step(Geometry(), bored, lambda share, doing: None).report
    (found,) = [f for f in report["findings"] if f["code"] == "spaces-unknown"]
    assert "the kernel gave up" in found["message"] and len(report["openings"]) == 1


def test_a_repair_offered_without_a_length_takes_the_tolerance(monkeypatch):
    points = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1]], float)
    triangles = np.array([[0, 2, 1], [0, 1, 3], [1, 2, 3], [0, 3, 2]], np.int32)
    none = np.zeros(4, np.int32)
    model = FacetPart(points, triangles, none, none, ("skin",), ("body",), "mm")
    found = Finding("slivers", "caution", "", size=1e-4, repairs=[offer("Drop", "drop_slivers")])
    asked = []
    monkeypatch.setattr(safe, "findings_of", lambda model: (found,))
    monkeypatch.setattr(safe, "apply", lambda model, row: (asked.append(row) or model, 0))
    repair_safe(model, 0.01)
    assert asked == [{"do": "drop_slivers", "thinner": 0.01}]
    # one that is larger than the tolerance is left alone
    asked.clear()
    repair_safe(model, 1e-5)
    assert asked == []


def test_bodies_keep_their_names_when_empty_ones_go():
    builder, whole = BRep_Builder(), TopoDS_Compound()
    builder.MakeCompound(whole)
    for shape in (box(0, 0, 0, 1, 1, 1), box(2, 0, 0, 3, 1, 1), _empty_shell()):
        builder.Add(whole, shape)
    from intaglio.parts.taking import _with_extent

    part, found = _with_extent(Part(whole, "mm", ("left", "right", "ghost")), "x.brep")
    assert [part.body_name(k) for k in range(len(part.bodies))] == ["left", "right"]
    assert "ghost" in found[0].message
