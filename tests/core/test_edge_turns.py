"""How far CAD turns across an edge, and what narrow faces become, on shapes known by hand."""

import math
from dataclasses import replace

import numpy as np
import pytest
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace
from OCP.BRepFilletAPI import BRepFilletAPI_MakeChamfer, BRepFilletAPI_MakeFillet
from OCP.BRepPrimAPI import BRepPrimAPI_MakeHalfSpace
from OCP.gp import gp_Dir, gp_Pln, gp_Pnt

from intaglio.cad.part import Part
from intaglio.cad.read import compound
from intaglio.parts.kinds import cad
from intaglio.sizing.sources import on_curve
from intaglio.triangles.seams import seams, walked
from tests.core.shapes import box, cut, cylinder
from tests.core.test_counts_and_seams import _halved_square_box, _seams


def _turns(shape):
    part = Part(compound([shape]), "mm")
    facets, curves = cad().meshing_input(part, 0.5, 0.3)
    return facets, curves, cad().turns(part, facets, curves)


def _with(tool, size):
    part = Part(compound([box(0, 0, 0, 4, 5, 6)]), "mm")
    made = tool(part.bodies[0])
    for edge in part.edges if tool is BRepFilletAPI_MakeFillet else part.edges[:1]:
        made.Add(size, edge)
    return made.Shape()


def test_fillets_are_smooth_and_plain_edges_are_right():
    _, _, turn = _turns(_with(BRepFilletAPI_MakeFillet, 0.8))
    assert len(turn) == 48 and turn.max() < 1e-6
    _, _, turn = _turns(box(0, 0, 0, 4, 5, 6))
    assert turn == pytest.approx(np.full(12, math.pi / 2))


def test_the_largest_turn_along_an_edge_is_told():
    # a plane leaning by 30 degrees meets the cylinder at 60 to 120 degrees
    lean = math.radians(30)
    plane = gp_Pln(gp_Pnt(0, 0, 5), gp_Dir(math.sin(lean), 0, math.cos(lean)))
    face = BRepBuilderAPI_MakeFace(plane).Face()
    above = BRepPrimAPI_MakeHalfSpace(face, gp_Pnt(0, 0, 50)).Solid()
    _, _, turn = _turns(cut(cylinder((0, 0, 0), (0, 0, 1), 2, 10), above))
    # looked at in six places, so that the very largest is missed by a little
    assert 110 < math.degrees(turn.max()) <= 120 + 1e-6


def test_a_chamfer_is_left_out_where_it_is_narrower_than_the_edges():
    facets, curves, turn = _turns(_with(BRepFilletAPI_MakeChamfer, 0.03))
    label = np.zeros(int(facets.region.max()) + 1, np.int32)
    kept = np.zeros(len(curves.ends), bool)

    def left_out(size, kept=kept):
        sizes = np.full(len(facets.points), size)
        return seams(facets, curves, turn, label, np.radians(5), sizes, kept)

    # one of its two long borders; the other is the edge now
    assert left_out(1.0).sum() == 1 and turn[left_out(1.0)] == pytest.approx(math.pi / 4)
    assert not left_out(0.1).any() and not left_out(1.0, ~kept).any()


def test_a_curve_that_runs_backwards_in_a_joined_one_is_found_again():
    facets, curves = _halved_square_box()
    # every second curve the other way round
    points, arc, ends, along = (
        a.copy() for a in (curves.points, curves.arc, curves.ends, curves.edge_arc)
    )
    for c in range(0, len(ends), 2):
        rows = slice(curves.start[c], curves.start[c + 1])
        length = arc[rows][-1]
        points[rows], arc[rows] = points[rows][::-1].copy(), length - arc[rows][::-1]
        ends[c] = ends[c][::-1].copy()
        own = curves.edge_curve == c
        along[own] = length - along[own]
    curves = replace(curves, points=points, arc=arc, ends=ends, edge_arc=along)
    seam, kept, size = _seams(facets, curves)
    walk = walked(facets, curves, seam, kept, np.radians(5), size)
    assert walk.turned.any() and not walk.turned.all()
    for c in range(len(walk.curves.ends)):
        at = np.linspace(0, walk.curves.arc[walk.curves.start[c + 1] - 1], 9)
        former, back = walk.former(np.full(9, c), at)
        for k in range(9):
            spot = on_curve(walk.curves, c, at[k : k + 1])
            assert spot == pytest.approx(on_curve(curves, former[k], back[k : k + 1]), abs=1e-12)
