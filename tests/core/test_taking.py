"""Taking in: assemblies with places and names, units, files of different kinds as one model."""

import io
import zipfile

import numpy as np
import pytest
from OCP.gp import gp_Trsf, gp_Vec
from OCP.STEPCAFControl import STEPCAFControl_Writer
from OCP.STEPControl import STEPControl_StepModelType
from OCP.TCollection import TCollection_ExtendedString
from OCP.TDataStd import TDataStd_Name
from OCP.TDocStd import TDocStd_Document
from OCP.TopLoc import TopLoc_Location
from OCP.XCAFDoc import XCAFDoc_DocumentTool

from intaglio.cad.measures import bounds, volume
from intaglio.cad.part import Part
from intaglio.cad.read import compound, read_cad
from intaglio.cad.write import step_bytes
from intaglio.errors import FileRejected
from intaglio.facets.part import FacetPart
from intaglio.formats.stl import stl_bytes
from intaglio.parts.kinds import cad
from intaglio.parts.source import Source, plain_name, together
from intaglio.parts.taking import take_in
from tests.core.scans import as_trimesh, sphere
from tests.core.shapes import box, pipe


def _assembly(tmp_path) -> bytes:
    """A rack that holds the same bolt three times, in three places."""
    document = TDocStd_Document(TCollection_ExtendedString("BinXCAF"))
    tool = XCAFDoc_DocumentTool.ShapeTool_s(document.Main())
    bolt = tool.AddShape(box(0, 0, 0, 1, 1, 4), False)
    TDataStd_Name.Set_s(bolt, TCollection_ExtendedString("bolt"))
    rack = tool.NewShape()
    TDataStd_Name.Set_s(rack, TCollection_ExtendedString("rack"))
    for x in (0.0, 10.0, 20.0):
        place = gp_Trsf()
        place.SetTranslation(gp_Vec(x, 0, 5))
        tool.AddComponent(rack, bolt, TopLoc_Location(place))
    tool.UpdateAssemblies()
    writer = STEPCAFControl_Writer()
    writer.Transfer(document, STEPControl_StepModelType.STEPControl_AsIs)
    writer.Write(str(tmp_path / "rack.step"))
    return (tmp_path / "rack.step").read_bytes()


def test_parts_of_an_assembly_are_in_their_places(tmp_path):
    part = read_cad(_assembly(tmp_path), "rack.step")
    assert part.body_names == ("bolt", "bolt_2", "bolt_3")
    lows = [bounds(b)[0] for b in part.bodies]
    np.testing.assert_allclose(lows, [[0, 0, 5], [10, 0, 5], [20, 0, 5]], atol=1e-6)
    assert [volume(b) for b in part.bodies] == pytest.approx([4.0] * 3)


def _step(shape, unit="mm"):
    return step_bytes(Part(compound([shape]), unit, ("block",)))


def test_files_in_unlike_units_become_one_model():
    # an inch of one and 25.4 mm of the other are as long
    source = together(
        [
            ("a.step", _step(box(0, 0, 0, 1, 1, 1), "in")),
            ("b.step", _step(box(0, 0, 0, 25.4, 1, 1))),
        ]
    )
    model = take_in(source, "file").model
    assert model.unit == "in" and model.body_names == ("block", "block_2")
    sizes = [float((bounds(b)[1] - bounds(b)[0])[0]) for b in model.bodies]
    assert sizes == pytest.approx([1.0, 1.0], rel=1e-6)
    # asked for a unit, the numbers are taken as they stand
    plain = take_in(source, "m").model
    sizes = [float((bounds(b)[1] - bounds(b)[0])[0]) for b in plain.bodies]
    assert plain.unit == "m" and sizes == pytest.approx([1.0, 25.4], rel=1e-6)


def test_cad_beside_facets_becomes_facets():
    ball = sphere(5.0)
    source = together(
        [
            ("pipe.step", _step(pipe())),
            ("ball.stl", stl_bytes(ball.points, ball.triangles, "ball")),
        ]
    )
    model = take_in(source, "file").model
    assert isinstance(model, FacetPart) and model.body_names == ("block", "ball")
    whole = as_trimesh(model)
    pipe_volume = np.pi * (100 - 49) * 60
    assert whole.volume == pytest.approx(pipe_volume + as_trimesh(ball).volume, rel=3e-3)


def test_facets_of_cad_follow_its_faces():
    part = cad().facets(Part(compound([pipe()]), "mm", ("pipe",)), 1e-4)
    areas = [as_trimesh(part).area_faces[part.region == k].sum() for k in range(4)]
    exact = sorted([2 * np.pi * 10 * 60, 2 * np.pi * 7 * 60, np.pi * 51, np.pi * 51])
    assert sorted(areas) == pytest.approx(exact, rel=2e-3)


def test_a_zip_of_folders_is_read_and_one_without_geometry_is_refused():
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("notes/readme.txt", "hello")
        archive.writestr("cad/block.step", _step(box(0, 0, 0, 1, 2, 3)))
    model = take_in(Source("all.zip", out.getvalue()), "file").model
    assert volume(model.shape) == pytest.approx(6.0)
    empty = io.BytesIO()
    with zipfile.ZipFile(empty, "w") as archive:
        archive.writestr("readme.txt", "hello")
    with pytest.raises(FileRejected) as caught:
        take_in(Source("none.zip", empty.getvalue()), "file")
    assert caught.value.code == "no-geometry"


@pytest.mark.parametrize(
    "words, name",
    [
        ("hull", "hull"),
        ("Hull No. 4", "Hull_No_4"),
        ("4x4", "part_4x4"),
        ("µ", "part"),
        ("", "part"),
    ],
)
def test_names_fit_for_export(words, name):
    assert plain_name(words, "part") == name
