"""Feet of points on faces of CAD, against the kernel's own search."""

import numpy as np
import pytest
from OCP.BRep import BRep_Tool
from OCP.gp import gp_Pnt
from OCP.ShapeAnalysis import ShapeAnalysis_Surface

from intaglio.cad.part import Part
from intaglio.cad.projection import onto_face
from intaglio.cad.read import compound
from intaglio.cad.tessellation import tessellate
from tests.core.world import SET


@pytest.mark.parametrize("name", ["lofted 0", "waves, many poles 0", "turned 0", "nurbs 0"])
def test_feet_are_those_of_the_kernel(name):
    part = Part(compound([SET[name].make()]), "mm")
    facets, _ = tessellate(part, 0.05, 0.2)
    rng = np.random.default_rng(5)
    for number, face in enumerate(part.faces):
        own = facets.triangles[facets.region == number]
        rows = own[rng.integers(0, len(own), 60)]
        spots = np.einsum("ij,ijk->ik", rng.dirichlet(np.ones(3), 60), facets.points[rows])
        got = onto_face(part, number, spots)
        tool = ShapeAnalysis_Surface(BRep_Tool.Surface_s(face))
        feet = [tool.Value(tool.ValueOfUV(gp_Pnt(*p), 1e-9)) for p in spots]
        wanted = np.array([[q.X(), q.Y(), q.Z()] for q in feet])
        away, least = (np.linalg.norm(x - spots, axis=1) for x in (got, wanted))
        # as near as the kernel's; where it goes astray, nearer
        assert (away <= least + 1e-9).all()
        near = away > least - 1e-9
        assert near.sum() >= 55
        assert got[near] == pytest.approx(wanted[near], abs=1e-5)


def test_without_a_tessellation_the_kernel_is_asked():
    part = Part(compound([SET["lofted 0"].make()]), "mm")
    number = next(k for k in range(len(part.faces)) if "Plane" not in str(_kind(part, k)))
    middle = ShapeAnalysis_Surface(BRep_Tool.Surface_s(part.faces[number]))
    low_u, high_u, low_v, high_v = middle.Bounds()
    on = middle.Value(0.5 * (low_u + high_u), 0.5 * (low_v + high_v))
    spot = np.array([[on.X(), on.Y(), on.Z()]])
    assert onto_face(part, number, spot) == pytest.approx(spot, abs=1e-6)


def _kind(part, number):
    from intaglio.cad.normals import surface_of

    return surface_of(part.faces[number]).GetType()
