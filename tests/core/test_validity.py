"""The validity check: good meshes of every shape pass; each finding is shown by a mesh broken in
just that way."""

from dataclasses import replace

import numpy as np
import pytest

from intaglio.formats.cgns import read_cgns, write_cgns
from intaglio.mesh.building import NO_POLYGONS, cell_mesh, face_mesh, tet_mesh, with_patches
from intaglio.mesh.cells import HEXAHEDRON, TETRAHEDRON
from intaglio.mesh.covering import surface_findings
from intaglio.mesh.mesh import Mesh, Patch, Periodic, Zone, face_middles, rows
from intaglio.mesh.periodic import paired, rotation, unpaired
from intaglio.mesh.storing import mesh_arrays, stored_mesh
from intaglio.mesh.validity import check, face_warp
from intaglio.quality.cells import measure
from intaglio.quality.report import mesh_findings, report
from intaglio.quality.values import Values
from tests.core import any_cells
from tests.core.test_any_cells import MADE


def codes(mesh: Mesh) -> set[str]:
    return {f.code for f in check(mesh)}


@pytest.fixture(params=MADE)
def mesh(request) -> Mesh:
    return MADE[request.param]()


def test_good_meshes_pass(mesh):
    assert check(mesh) == []
    measured = measure(mesh)
    assert report(Values(mesh, measured), mesh_findings(mesh, measured))["valid"] is True


def _moved(mesh: Mesh, node: int, by) -> Mesh:
    points = mesh.points.copy()
    points[node] += by
    return replace(mesh, points=points)


def _inner_node(mesh: Mesh) -> int:
    on_rim = np.zeros(len(mesh.points), bool)
    on_rim[rows(mesh.face_start, mesh.face_nodes, np.flatnonzero(mesh.neighbour < 0))[1]] = True
    return int(np.flatnonzero(~on_rim)[0])


def test_a_node_thrown_through_its_neighbours_turns_cells_over(mesh):
    found = codes(_moved(mesh, _inner_node(mesh), [0.9, 0.0, 0.0]))
    assert found & {"negative-volume", "folded-cell"}


def test_a_cell_without_volume_is_found():
    mesh = any_cells.tetrahedra()
    flat = mesh.points.copy()
    a, b, c, d = mesh.tets[0]
    flat[d] = flat[[a, b, c]].mean(axis=0)
    assert "negative-volume" in codes(replace(mesh, points=flat))


@pytest.mark.parametrize(("height", "flat"), [(0.9e-6, True), (1.1e-6, False)])
def test_a_cell_without_a_height_is_found(height, flat):
    """A tip at a height, in shortest edges, over the middle of a base of edges of 1."""
    shortest = np.sqrt(1 / 3)
    points = np.array(
        [[0, 0, 0], [1, 0, 0], [0.5, np.sqrt(0.75), 0], [0.5, np.sqrt(1 / 12), height * shortest]]
    )
    mesh = any_cells.of_tetrahedra(points, np.array([[0, 1, 2, 3]], np.int32))
    assert ("flat-cell" in codes(mesh)) == flat


def test_thin_cells_of_layers_are_not_flat(mesh):
    assert "flat-cell" not in codes(replace(mesh, points=mesh.points * [1.0, 1.0, 1e-4]))


def test_a_cell_that_folds_but_keeps_a_volume_is_found():
    """A node of a hexahedron pushed through the far side: the sum stays positive, parts do not."""
    mesh = any_cells.hexahedra((1, 1, 1), lambda u: u)
    points = mesh.points.copy()
    corner = int(np.flatnonzero((points == 1).all(axis=1))[0])
    points[corner] = [0.2, 0.2, 0.2]
    broken = replace(mesh, points=points)
    assert measure(broken).volume[0] > 0
    assert "folded-cell" in codes(broken)


def test_a_concave_cell_that_is_seen_whole_from_its_centroid_is_none():
    mesh = any_cells.hexahedra((1, 1, 1), lambda u: u)
    points = mesh.points.copy()
    corner = int(np.flatnonzero((points == 1).all(axis=1))[0])
    points[corner] = [0.7, 0.7, 0.7]
    assert "folded-cell" not in codes(replace(mesh, points=points))


def _without_face(mesh: Mesh, face: int) -> Mesh:
    keep = np.delete(np.arange(mesh.faces), face)
    start, nodes = rows(mesh.face_start, mesh.face_nodes, keep)
    return replace(
        mesh, face_start=start, face_nodes=nodes, owner=mesh.owner[keep],
        neighbour=mesh.neighbour[keep], patch=mesh.patch[keep],
    )  # fmt: skip


def test_a_missing_face_opens_its_cell(mesh):
    assert {"open-cell", "open-zone"} <= codes(_without_face(mesh, mesh.faces - 1))
    assert "open-cell" in codes(_without_face(mesh, 0))


def test_a_face_of_another_cell_opens_both():
    mesh = any_cells.hexahedra()
    owner = mesh.owner.copy()
    owner[-1], owner[-20] = owner[-20], owner[-1]
    assert "open-cell" in codes(replace(mesh, owner=owner))


def test_a_face_that_runs_the_wrong_way_round_is_found(mesh):
    nodes = mesh.face_nodes.copy()
    a, b = mesh.face_start[3], mesh.face_start[4]
    nodes[a:b] = nodes[a:b][::-1]
    found = codes(replace(mesh, face_nodes=nodes))
    assert found & {"face-order", "open-cell"}


def test_boundary_faces_among_the_inner_ones_are_found(mesh):
    swap = np.arange(mesh.faces)
    swap[[0, -1]] = swap[[-1, 0]]
    start, nodes = rows(mesh.face_start, mesh.face_nodes, swap)
    broken = replace(
        mesh, face_start=start, face_nodes=nodes, owner=mesh.owner[swap],
        neighbour=mesh.neighbour[swap], patch=mesh.patch[swap],
    )  # fmt: skip
    assert codes(broken) == {"face-order"}


def test_a_face_between_a_cell_and_itself_is_found(mesh):
    neighbour = mesh.neighbour.copy()
    neighbour[0] = mesh.owner[0]
    assert codes(replace(mesh, neighbour=neighbour)) == {"face-order"}


def test_a_face_without_a_patch_is_found(mesh):
    patch = np.where(mesh.patch == 0, -1, mesh.patch)
    assert codes(replace(mesh, patch=patch)) == {"no-patch"}


def test_an_interface_without_a_patch_is_found():
    mesh = any_cells.two_zones()
    patch = np.where(mesh.neighbour >= 0, -1, mesh.patch).astype(np.int32)
    assert codes(replace(mesh, patch=patch)) == {"no-patch"}


def test_a_cell_in_the_wrong_zone_is_found():
    mesh = any_cells.two_zones()
    zone = mesh.zone.copy()
    zone[0] = 1
    assert "no-patch" in codes(replace(mesh, zone=zone))


def test_a_boundary_that_does_not_fit_its_cells_is_found():
    """A polyhedron whose face was replaced by another of the same rim encloses another volume."""
    mesh = any_cells.dual(any_cells.tetrahedra())
    points = mesh.points.copy()
    lone = mesh.points.mean(axis=0)
    points = np.concatenate([points, [lone]])
    nodes = mesh.face_nodes.copy()
    nodes[mesh.face_start[-2]] = len(points) - 1
    found = codes(replace(mesh, points=points, face_nodes=nodes))
    assert {"open-cell", "volume-mismatch"} <= found


def test_an_unused_point_is_found(mesh):
    points = np.concatenate([mesh.points, [[0.123, 0.4, 0.5]]])
    assert codes(replace(mesh, points=points)) == {"unused-points"}


def test_a_point_that_lies_at_the_place_of_another_is_found():
    """A block parted along a plane: its halves touch, and no face joins them."""
    mesh = any_cells.hexahedra((4, 2, 2), lambda u: u)
    cells = mesh.cell_nodes.reshape(-1, 8).copy()
    right = mesh.points[cells].mean(axis=1)[:, 0] > 0.5
    shared = np.flatnonzero(mesh.points[:, 0] == 0.5)
    twin = np.arange(len(mesh.points))
    twin[shared] = len(mesh.points) + np.arange(len(shared))
    cells[right] = twin[cells[right]]
    points = np.concatenate([mesh.points, mesh.points[shared]])
    parted = _on_one_patch(points, cells)
    found = {f.code: f for f in check(parted)}
    assert set(found) == {"duplicate-points"}
    assert found["duplicate-points"].count == len(shared)


def _on_one_patch(points, hexes) -> Mesh:
    shape = np.full(len(hexes), HEXAHEDRON, np.int8)
    start = np.arange(len(hexes) + 1) * 8
    made = cell_mesh(points, shape, start, hexes.ravel().astype(np.int32), NO_POLYGONS, ())
    patch = np.where(made.neighbour < 0, 0, -1).astype(np.int32)
    return with_patches(made, patch, (Patch("all", "wall"),))


@pytest.mark.parametrize(
    "shift",
    [(0.3, 0.2, 0.1), (0.05, 0.05, 0.05), (0.5, 0.25, 0.0)],
    ids=["across", "a little", "along common planes"],
)
def test_two_blocks_in_one_place_overlap(shift):
    one = any_cells.hexahedra((4, 3, 3), lambda u: u)
    hexes = one.cell_nodes.reshape(-1, 8)
    points = np.concatenate([one.points, one.points + shift])
    both = _on_one_patch(points, np.concatenate([hexes, hexes + len(one.points)]))
    assert codes(both) == {"overlap"}


def test_a_block_within_another_overlaps():
    one = any_cells.hexahedra((4, 3, 3), lambda u: u)
    hexes = one.cell_nodes.reshape(-1, 8)
    # turned a little, so that no planes are common, and wholly inside one cell of the other
    inner = 0.5 + 0.05 * (one.points - 0.5) @ rotation(np.array([1, 2, 3]), 20).T + 0.01
    both = _on_one_patch(np.concatenate([one.points, inner]),
                         np.concatenate([hexes, hexes + len(one.points)]))  # fmt: skip
    assert codes(both) == {"overlap"}


def test_blocks_that_touch_do_not_overlap():
    one = any_cells.hexahedra((4, 3, 3), lambda u: u)
    hexes = one.cell_nodes.reshape(-1, 8)
    beside = one.points * [1, 0.5, 0.7] + [1, 0.1, 0.2]
    both = _on_one_patch(np.concatenate([one.points, beside]),
                         np.concatenate([hexes, hexes + len(one.points)]))  # fmt: skip
    assert codes(both) == set()


def test_a_strip_bent_into_itself_overlaps():
    """Every cell is good and meets its neighbours well; only the ends lie in each other."""

    def ring(u):
        turn = 2 * np.pi * 1.13 * u[:, 0]
        radius = 2 + u[:, 1]
        return np.stack([radius * np.cos(turn), radius * np.sin(turn), -u[:, 2]], axis=1)

    bent = any_cells.hexahedra((44, 2, 2), ring)
    volumes = measure(bent).volume
    assert (np.abs(volumes) > 0).all()
    if volumes[0] < 0:
        bent = any_cells.hexahedra((44, 2, 2), lambda u: ring(u) * [1, 1, -1])
    assert codes(bent) == {"overlap"}


def test_a_face_warped_beyond_the_limit_is_found():
    mesh = any_cells.hexahedra((1, 1, 1), lambda u: u)
    points = mesh.points.copy()
    top = np.flatnonzero(points[:, 2] == 1)
    # two opposite corners of the top go up, the others stay: a saddle
    points[[top[0], top[3]], 2] += 2.2
    broken = replace(mesh, points=points)
    # by hand: triangles about the centre of a saddle of half height h lean by atan(h / (1/2)·√2…)
    assert face_warp(broken).max() > 60
    assert "warped-face" in codes(broken)
    assert face_warp(mesh).max() == pytest.approx(0.0, abs=1e-6)


@pytest.mark.parametrize("height", [0.1, 0.5, 1.0])
def test_warp_of_a_saddle_is_what_its_triangles_say(height):
    mesh = any_cells.hexahedra((1, 1, 1), lambda u: u)
    points = mesh.points.copy()
    top = np.flatnonzero(points[:, 2] == 1)
    points[[top[0], top[3]], 2] += height
    # from the centre at half the height, one corner half above and one half below it
    normal = np.cross([-0.5, -0.5, 0.5 * height], [0.5, -0.5, -0.5 * height])
    lean = np.degrees(np.arccos(normal[2] / np.linalg.norm(normal)))
    assert face_warp(replace(mesh, points=points)).max() == pytest.approx(lean)


def test_a_point_without_a_place_is_found(mesh):
    assert codes(_moved(mesh, 3, [np.nan, 0, 0])) == {"not-finite"}


@pytest.mark.parametrize(
    "name, value",
    [
        ("cell_nodes", 10**6), ("cell_nodes", -2), ("face_nodes", 10**6), ("owner", 10**6),
        ("owner", -1), ("neighbour", 10**6), ("neighbour", -5), ("patch", 99), ("zone", 7),
        ("shape", 9), ("shape", 1),
    ],
)  # fmt: skip
def test_numbers_out_of_range_are_found_before_they_are_followed(name, value):
    mesh = any_cells.hexahedra()
    held = getattr(mesh, name).copy()
    held[0] = value
    assert codes(replace(mesh, **{name: held})) == {"bad-numbers"}


def test_lists_of_the_wrong_length_are_found(mesh):
    for name in ("cell_start", "face_start", "neighbour", "patch", "zone"):
        assert codes(replace(mesh, **{name: getattr(mesh, name)[:-1]})) == {"bad-numbers"}
    empty = face_mesh(np.zeros((0, 3)), np.zeros(1, np.int64), np.zeros(0, np.int32),
                      np.zeros(0, np.int32), np.zeros(0, np.int32), np.zeros(0, np.int32),
                      np.zeros(0, np.int32), (), (Zone("fluid"),))  # fmt: skip
    assert codes(empty) == {"bad-numbers"}


# --- periodic pairs ---


def wedge(turned: float = 60.0, kind="periodic") -> Mesh:
    """A sector of a ring about z, its two flat sides node for node alike."""

    def place(u):
        angle, radius = np.radians(turned) * u[:, 1], 1 + u[:, 0]
        return np.stack([radius * np.cos(angle), radius * np.sin(angle), u[:, 2]], axis=1)

    points, hexes = any_cells.block((3, 4, 2), place)
    mesh = _on_one_patch(points, hexes)
    middle = np.add.reduceat(points[mesh.face_nodes], mesh.face_start[:-1])
    middle /= np.diff(mesh.face_start)[:, None]
    angle = np.degrees(np.arctan2(middle[:, 1], middle[:, 0]))
    rim = mesh.neighbour < 0
    patch = np.where(rim, 2, -1).astype(np.int32)
    patch[rim & (np.abs(angle) < 1e-6)] = 0
    patch[rim & (np.abs(angle - turned) < 1e-6)] = 1
    patches = (Patch("side_1", kind), Patch("side_2", kind), Patch("wall", "wall"))
    return with_patches(mesh, patch, patches)


def on(mesh: Mesh, *patches: int) -> np.ndarray:
    return np.flatnonzero(np.isin(mesh.patch, patches))


def with_pair(mesh: Mesh) -> Mesh:
    pair = paired(mesh, on(mesh, 0, 1), rotation(np.array([0, 0, 1]), 60.0), np.zeros(3))
    assert pair is not None
    return replace(mesh, periodic=(pair,))


def test_sides_of_a_sector_match():
    mesh = with_pair(wedge())
    assert check(mesh) == [] and unpaired(mesh) == []
    assert len(mesh.periodic[0].faces) == 6


def places(mesh: Mesh, pair: Periodic) -> set[tuple[float, ...]]:
    both = [face_middles(mesh, pair.faces[:, side]) for side in (0, 1)]
    return set(map(tuple, np.hstack(both).round(9).tolist()))


@pytest.mark.parametrize("how", ["other order", "as one", "finer"])
def test_a_pair_outlives_what_its_patches_are_called(how, tmp_path):
    mesh = with_pair(wedge())
    names = [Patch("shell", "wall"), Patch("right", "periodic"), Patch("left", "periodic")]
    number = np.array([2, 1, 0])
    if how == "as one":
        names, number = names[:2], np.array([1, 1, 0])
    patch = np.where(mesh.patch >= 0, number[mesh.patch], -1).astype(np.int32)
    if how == "finer":
        names.append(Patch("left_too", "periodic"))
        patch[np.flatnonzero(patch == 2)[::2]] = 3
    named = with_patches(mesh, patch, tuple(names))
    assert check(named) == [] and unpaired(named) == []
    write_cgns(named, tmp_path / "mesh.cgns")
    again = read_cgns(tmp_path / "mesh.cgns")
    (pair,), (read,) = named.periodic, again.periodic
    assert check(again) == [] and places(again, read) == places(named, pair)
    kept = stored_mesh(mesh_arrays(named), named.patches, named.zones, named.unit)
    np.testing.assert_array_equal(kept.periodic[0].faces, pair.faces)


def test_faces_in_two_pairs_are_told():
    mesh = with_pair(wedge())
    assert codes(replace(mesh, periodic=mesh.periodic * 2)) == {"periodic-mismatch"}


def test_a_patch_that_is_a_side_in_part_is_told():
    mesh = with_pair(wedge())
    patch = np.where(mesh.patch == 2, 1, mesh.patch).astype(np.int32)
    mixed = with_patches(mesh, patch, mesh.patches[:2])
    (found,) = [f for f in check(mixed) if f.level == "error"]
    assert found.code == "periodic-mixed" and "side_2" in found.message


def test_periodic_sides_without_a_pair_are_told():
    found = unpaired(wedge())
    assert [f.code for f in found] == ["periodic-unpaired"] and found[0].level == "note"


def test_sides_that_do_not_match_find_no_pair():
    mesh = wedge()
    off = rotation(np.array([0, 0, 1]), 50.0)
    assert paired(mesh, on(mesh, 0, 1), off, np.zeros(3)) is None
    assert paired(mesh, on(mesh, 0, 2), np.eye(3), np.zeros(3)) is None


@pytest.mark.parametrize("how", ["node", "turn", "face", "twice"])
def test_a_pair_that_does_not_match_is_found(how):
    mesh = with_pair(wedge())
    (pair,) = mesh.periodic
    if how == "node":
        on_side = mesh.face_nodes[mesh.face_start[pair.faces[2, 1]]]
        mesh = _moved(mesh, int(on_side), [0, 0, 0.01])
    elif how == "turn":
        turned = rotation(np.array([0, 0, 1]), 59.9)
        mesh = replace(mesh, periodic=(replace(pair, turn=turned),))
    elif how == "face":
        mesh = replace(mesh, periodic=(replace(pair, faces=pair.faces[:-1]),))
    else:
        faces = pair.faces.copy()
        faces[0, 1] = faces[1, 1]
        mesh = replace(mesh, periodic=(replace(pair, faces=faces),))
    wrong = {"face": {"periodic-mixed"}, "twice": {"periodic-mismatch", "periodic-mixed"}}
    assert codes(mesh) == wrong.get(how, {"periodic-mismatch"})


def test_a_pair_of_faces_that_do_not_exist_is_found():
    mesh = wedge()
    bad = Periodic(np.array([[0, 10**6]], np.int32), np.eye(3), np.zeros(3))
    assert codes(replace(mesh, periodic=(bad,))) == {"bad-numbers"}
    bad = Periodic(np.zeros((2, 3), np.int32), np.eye(3), np.zeros(3))
    assert codes(replace(mesh, periodic=(bad,))) == {"bad-numbers"}


# --- the surface that a mesh was made for ---


def _own_surface(mesh: Mesh):
    """The surface of a tetrahedral mesh as it would have been given, its points first."""
    rim = np.flatnonzero(mesh.neighbour < 0)
    nodes = rows(mesh.face_start, mesh.face_nodes, rim)[1]
    used, local = np.unique(nodes, return_inverse=True)
    order = np.concatenate([used, np.setdiff1d(np.arange(len(mesh.points)), used)])
    place = np.empty(len(order), np.int32)
    place[order] = np.arange(len(order))
    moved = tet_mesh(mesh.points[order], place[mesh.tets], local.reshape(-1, 3).astype(np.int32),
                     mesh.patch[rim], mesh.patches)  # fmt: skip
    return moved, mesh.points[used], local.reshape(-1, 3).astype(np.int32), mesh.patch[rim]


BEHIND = np.zeros(6, np.int32)


def test_a_mesh_has_the_surface_it_was_made_for():
    assert surface_findings(*_own_surface(any_cells.tetrahedra()), BEHIND) == []


def test_a_face_split_at_its_middle_covers_its_triangle():
    mesh, points, triangles, region = _own_surface(any_cells.tetrahedra())
    # the cell behind face 0 is parted in three by a node in the face
    face = mesh.interior_faces
    a, b, c = mesh.face_nodes[mesh.face_start[face] : mesh.face_start[face + 1]]
    cell = int(mesh.owner[face])
    (d,) = set(mesh.tets[cell].tolist()) - {a, b, c}
    new = len(mesh.points)
    middle = mesh.points[[a, b, c]].mean(axis=0)
    parts = np.array([[a, b, new, d], [b, c, new, d], [c, a, new, d]], np.int32)
    volume = np.linalg.det(np.concatenate([mesh.points, [middle]])[parts[:, 1:]]
                           - mesh.points[parts[:, :1]])  # fmt: skip
    parts[volume < 0] = parts[volume < 0][:, [1, 0, 2, 3]]
    tets = np.concatenate([np.delete(mesh.tets, cell, axis=0), parts])
    own = np.array([[a, b, new], [b, c, new], [c, a, new]], np.int32)
    patch = mesh.patch[face]
    split = tet_mesh(np.concatenate([mesh.points, [middle]]), tets,
                     np.concatenate([triangles, own]),
                     np.concatenate([region, np.full(3, patch)]).astype(np.int32),
                     mesh.patches)  # fmt: skip
    assert check(split) == []
    assert surface_findings(split, points, triangles, region, BEHIND) == []


def test_another_diagonal_between_leaning_triangles_is_the_same_surface():
    """As recovery may take it: two tetrahedra over a pair of triangles bent by 11 degrees."""
    lift = np.tan(np.radians(5.5)) / np.sqrt(2)
    points = np.array([[0, 0, lift], [1, 0, 0], [1, 1, lift], [0, 1, 0], [0.5, 0.5, -1]], float)
    tets = np.array([[0, 1, 3, 4], [1, 2, 3, 4]], np.int32)
    volume = np.linalg.det(points[tets[:, 1:]] - points[tets[:, :1]])
    tets[volume < 0] = tets[volume < 0][:, [1, 0, 2, 3]]
    top = np.array([[0, 1, 3], [1, 2, 3]], np.int32)
    rest = np.array([[1, 0, 4], [2, 1, 4], [3, 2, 4], [0, 3, 4]], np.int32)
    patch = np.array([0, 0, 1, 1, 1, 1], np.int32)
    mesh = tet_mesh(points, tets, np.concatenate([top, rest]), patch,
                    (Patch("top", "wall"), Patch("rest", "wall")))  # fmt: skip
    other = np.concatenate([np.array([[0, 1, 2], [0, 2, 3]], np.int32), rest])
    assert check(mesh) == []
    assert surface_findings(mesh, points, other, patch, BEHIND[:2]) == []
    # a third triangle over the same place is one too many
    thrice = np.concatenate([other, other[:1]])
    found = surface_findings(mesh, points, thrice, np.append(patch, 0).astype(np.int32), BEHIND[:2])
    assert [f.code for f in found] == ["surface-lost"]


@pytest.mark.parametrize("how", ["sheet", "twice", "flap", "moved", "patch", "another"])
def test_a_surface_that_is_not_the_meshs_is_found(how):
    mesh, points, triangles, region = _own_surface(any_cells.tetrahedra())
    if how == "sheet":
        # a triangle inside, which the mesh should have as a face between zones
        triangles = np.concatenate([triangles, [[0, 5, 40]]]).astype(np.int32)
        region = np.append(region, 0).astype(np.int32)
    elif how == "twice":
        triangles = np.concatenate([triangles, triangles[:1]])
        region = np.append(region, region[0])
    elif how == "flap":
        # two triangles back to back: their area vectors cancel, what they cover does not
        triangles = np.concatenate([triangles, triangles[:1], triangles[:1, ::-1]])
        region = np.append(region, [region[0], region[0]]).astype(np.int32)
    elif how == "moved":
        points = points + np.array([0, 0, 1e-3])
    elif how == "patch":
        region = region.copy()
        region[0] = (region[0] + 1) % 6
    else:
        triangles = triangles[1:]
        region = region[1:]
    found = surface_findings(mesh, points, triangles, region, BEHIND)
    assert [f.code for f in found] == ["surface-lost"] and found[0].level == "error"


def test_a_mesh_of_one_cell_passes():
    tet = tet_mesh(np.eye(4, 3), np.array([[3, 0, 1, 2]], np.int32), np.zeros((0, 3), np.int32),
                   np.zeros(0, np.int32), ())  # fmt: skip
    patch = np.zeros(4, np.int32)
    mesh = with_patches(tet, patch, (Patch("all", "wall"),))
    assert check(mesh) == [] and mesh.shape.tolist() == [TETRAHEDRON]
