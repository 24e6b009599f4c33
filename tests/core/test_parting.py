"""Meshes cut open along sheets of their faces: nodes there twice, two sides, all else as it was."""

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest

from intaglio.errors import StepFailed
from intaglio.mesh.building import Polygons
from intaglio.mesh.mesh import Patch, cell_middles, face_middles, rows
from intaglio.mesh.parting import parted_along
from intaglio.mesh.sheets import sheet_findings
from intaglio.mesh.slices import cut_lines
from intaglio.mesh.validity import check
from intaglio.quality.cells import measure
from tests.core import any_cells
from tests.core.test_validity import wedge, with_pair

COUNTS = (6, 4, 5)


def place_of(mesh):
    """Numbers (n, 3) of the block's grid lines through each of its nodes."""
    nx, ny, nz = (n + 1 for n in COUNTS)
    at = np.full((len(mesh.points), 3), -1)
    at[: nx * ny * nz] = np.indices((nx, ny, nz)).reshape(3, -1).T
    return at


def faces_on(mesh, *limits):
    """Interior faces whose nodes all lie on grid lines low..high of each axis."""
    at = place_of(mesh)
    good = np.all([(at[:, i] >= a) & (at[:, i] <= b) for i, (a, b) in enumerate(limits)], axis=0)
    held = np.minimum.reduceat(good[mesh.face_nodes], mesh.face_start[:-1])
    return np.flatnonzero(held & (mesh.neighbour >= 0))


def cut_open(mesh, faces, turned=False):
    patches = (*mesh.patches, Patch("plate", "wall"), Patch("plate_back", "wall"))
    mesh = type(mesh)(**{**vars(mesh), "patches": patches})
    start, nodes = rows(mesh.face_start, mesh.face_nodes, faces)
    front = np.full(len(faces), len(patches) - 2, np.int32)
    back = np.full(len(faces), len(patches) - 1, np.int32)
    if turned:
        parts = [nodes[a:b][::-1] for a, b in pairwise(start)]
        nodes = np.concatenate(parts)
    return parted_along(mesh, Polygons(start, nodes, front), back)


HALF = ((3, 3), (0, 4), (0, 3))  # stands on three walls, its upper rim is free
WITHIN = ((3, 3), (1, 3), (1, 4))  # touches nothing


@pytest.mark.parametrize("make", ["hexahedra", "prisms", "pyramids", "tetrahedra"])
@pytest.mark.parametrize(("where", "twice"), [(HALF, 5 * 3), (WITHIN, 1 * 2)])
def test_a_plate_has_two_sides_and_its_free_rim_one_node(make, where, twice):
    mesh = getattr(any_cells, make)()
    faces = faces_on(mesh, *where)
    if make == "tetrahedra" and where is WITHIN:
        # two corners of the plate are triangles between nodes of its rim
        with pytest.raises(StepFailed, match="free rim alone") as told:
            cut_open(mesh, faces)
        assert len(told.value.places) == 2
        return
    parted, origin = cut_open(mesh, faces)
    assert len(parted.points) == len(mesh.points) + twice
    np.testing.assert_array_equal(parted.points, mesh.points[origin])
    np.testing.assert_array_equal(origin[: len(mesh.points)], np.arange(len(mesh.points)))
    assert parted.interior_faces == mesh.interior_faces - len(faces)
    assert parted.faces == mesh.faces + len(faces)
    assert check(parted) == []
    # cells keep their places, so their volumes
    np.testing.assert_allclose(measure(parted).volume, measure(mesh).volume, rtol=1e-14)
    np.testing.assert_array_equal(origin[parted.cell_nodes], mesh.cell_nodes)


def cells_beside(mesh, patch):
    """Middles (k, 3) of the cells at a patch, across x."""
    own = np.flatnonzero(mesh.patch == [p.name for p in mesh.patches].index(patch))
    return cell_middles(mesh, mesh.owner[own])[:, 0]


@pytest.mark.parametrize("turned", [False, True])
def test_the_front_is_the_side_that_the_polygons_look_away_from(turned):
    mesh = any_cells.hexahedra()
    faces = faces_on(mesh, *HALF)
    # those faces look out of the cell of the lower number, which lies at smaller x
    parted, _ = cut_open(mesh, faces, turned)
    front, back = cells_beside(parted, "plate"), cells_beside(parted, "plate_back")
    assert len(front) == len(back) == len(faces)
    assert (front.max() < back.min()) != turned


def test_a_cut_shows_a_plate_as_one_line():
    """Of a plate square to x and half as high as the block, cut square to y."""
    mesh = any_cells.hexahedra((6, 4, 5), lambda u: u * [2.0, 1.0, 1.0])
    parted, _ = cut_open(mesh, faces_on(mesh, *HALF))
    lines = cut_lines(parted, np.array([0.0, 1.0, 0.0]), 0.4)
    length = np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1)
    within = np.abs(lines[:, :, 0] - 1.0).max(axis=1) < 1e-12
    assert length[within].sum() == pytest.approx(0.6)
    assert length.sum() == pytest.approx(6.0 + 0.6)


def test_where_plates_cross_a_node_is_there_four_times():
    mesh = any_cells.hexahedra()
    one, other = faces_on(mesh, (3, 3), (0, 4), (0, 5)), faces_on(mesh, (0, 6), (2, 2), (0, 5))
    parted, origin = cut_open(mesh, np.concatenate([one, other]))
    count = np.bincount(origin)
    at = place_of(mesh)
    middle = (at[:, 0] == 3) & (at[:, 1] == 2)
    assert (count[middle] == 4).all()
    on_one = ((at[:, 0] == 3) | (at[:, 1] == 2)) & ~middle
    assert (count[on_one] == 2).all() and (count[~middle & ~on_one] == 1).all()
    assert check(parted) == []


def test_polyhedra_are_parted_like_any_cells():
    """The dual of a tetrahedral mesh, whose faces have any number of nodes."""
    mesh = any_cells.dual(any_cells.tetrahedra((4, 4, 4), any_cells.flat_sided))
    left = cell_middles(mesh, np.arange(mesh.cells))[:, 0] < 1.1
    inner = np.flatnonzero(mesh.neighbour >= 0)
    faces = inner[left[mesh.owner[inner]] != left[mesh.neighbour[inner]]]
    parted, origin = cut_open(mesh, faces)
    assert check(parted) == []
    nodes = np.unique(rows(mesh.face_start, mesh.face_nodes, faces)[1])
    # parted through and through, every node of the cut is there twice
    np.testing.assert_array_equal(np.flatnonzero(np.bincount(origin) == 2), nodes)


def test_periodic_pairs_stay_with_their_faces():
    """A sector cut open across: the pair joins the same places as before."""
    mesh = with_pair(wedge())
    n_in = mesh.interior_faces
    # half way up
    faces = np.flatnonzero(np.abs(face_middles(mesh, np.arange(n_in))[:, 2] - 0.5) < 1e-9)
    assert len(faces) == 3 * 4
    parted, _ = cut_open(mesh, faces)
    assert check(parted) == []
    for side in (0, 1):
        np.testing.assert_allclose(
            face_middles(parted, parted.periodic[0].faces[:, side]),
            face_middles(mesh, mesh.periodic[0].faces[:, side]),
        )


def test_what_is_no_face_within_is_refused_with_its_place():
    mesh = any_cells.hexahedra()
    rim = np.flatnonzero(mesh.neighbour < 0)[:1]
    with pytest.raises(StepFailed, match="no faces inside") as told:
        cut_open(mesh, rim)
    np.testing.assert_allclose(told.value.places, face_middles(mesh, rim))


def test_points_that_are_there_twice_for_no_sheet_are_still_found():
    parted, _ = cut_open(any_cells.hexahedra(), faces_on(any_cells.hexahedra(), *HALF))
    untold = replace(parted, sheets=parted.sheets[:0])
    assert [f.code for f in check(untold)] == ["duplicate-points"]
    assert check(untold)[0].count == 15
    # a sheet elsewhere does not excuse them
    some = replace(parted, sheets=parted.sheets[:1])
    assert [f.code for f in check(some)] == ["duplicate-points"]


@pytest.mark.parametrize("broken", ["elsewhere", "inside", "twice"])
def test_sides_that_do_not_lie_on_each_other_are_found(broken):
    parted, _ = cut_open(any_cells.hexahedra(), faces_on(any_cells.hexahedra(), *HALF))
    sheets = parted.sheets.copy()
    if broken == "elsewhere":
        sheets[[0, 1], 1] = sheets[[1, 0], 1]
    elif broken == "inside":
        sheets[0] = 0, 1
    else:
        sheets[0] = sheets[1]
    assert [f.code for f in sheet_findings(replace(parted, sheets=sheets))] == ["sheet-mismatch"]
    assert sheet_findings(parted) == []
