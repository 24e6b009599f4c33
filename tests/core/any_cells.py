"""Meshes of every shape of cell, made by other means than the mesher: transfinite blocks, their
cells split, extrusion, and the dual of a tetrahedral mesh."""

import tempfile
from dataclasses import replace
from pathlib import Path

import numpy as np

from intaglio.formats.vtu import write_vtu
from intaglio.mesh.building import NO_POLYGONS, Polygons, Stream, cell_mesh, with_patches
from intaglio.mesh.cells import HEXAHEDRON, POLYHEDRON, PRISM, PYRAMID, SHAPES, TETRAHEDRON
from intaglio.mesh.mesh import Mesh, Patch, Zone, fan, rows

SIDES = ("left", "right", "front", "back", "bottom", "top")
KINDS = ("inlet", "outlet", "wall", "wall", "symmetry", "far_field")


def bulged(u: np.ndarray) -> np.ndarray:
    """A block of 2 × 1 × 1 with curved sides: places of parameters (n, 3) in 0..1."""
    x, y, z = u.T
    return np.stack(
        [2 * x + 0.1 * np.sin(3 * y) * z, y * (1 + 0.2 * x * (1 - x)), z * (1 + 0.15 * x * y)], 1
    )


def flat_sided(u: np.ndarray) -> np.ndarray:
    """A block of 2 × 1 × 1 sheared and graded, so that every face of its cells is plane."""
    x, y, z = u.T
    return np.stack([2 * x**1.2 + 0.3 * z, y, z], 1)


def block(counts=(6, 4, 5), place=bulged) -> tuple[np.ndarray, np.ndarray]:
    """Points of a block and its hexahedra (c, 8), by transfinite placing."""
    nx, ny, nz = counts
    axes = [np.linspace(0, 1, n + 1) for n in counts]
    u = np.stack(np.meshgrid(*axes, indexing="ij"), -1).reshape(-1, 3)
    number = np.arange(len(u)).reshape(nx + 1, ny + 1, nz + 1)
    at = [number[i : i + nx, j : j + ny, k : k + nz].ravel()
          for k in (0, 1) for i, j in ((0, 0), (1, 0), (1, 1), (0, 1))]  # fmt: skip
    return place(u), np.stack(at, axis=1).astype(np.int32)


def _mesh(points, parts, unit="mm", zones=None, zone=None) -> Mesh:
    """A mesh of cells by shape {code: nodes (c, n)}, its boundary on one patch."""
    shape = np.concatenate([np.full(len(n), s, np.int8) for s, n in parts.items()])
    size = np.array([s.nodes for s in SHAPES])[shape]
    start = np.concatenate([[0], np.cumsum(size)])
    nodes = np.concatenate([n.ravel() for n in parts.values()]).astype(np.int32)
    zones = zones or (Zone("fluid"),)
    return on_patches(cell_mesh(points, shape, start, nodes, NO_POLYGONS, (), zone, zones, unit))


def of_hexahedra(points: np.ndarray, cells: np.ndarray) -> Mesh:
    """A mesh of hexahedra (c, 8) of these points."""
    return _mesh(points, {HEXAHEDRON: cells})


def of_tetrahedra(points: np.ndarray, cells: np.ndarray) -> Mesh:
    """A mesh of tetrahedra (c, 4) of these points."""
    return _mesh(points, {TETRAHEDRON: cells})


def on_patches(mesh: Mesh, names=SIDES, kinds=KINDS) -> Mesh:
    """The boundary on patches by which way its faces look most."""
    rim = np.flatnonzero(mesh.neighbour < 0)
    triangles, polygon = fan(*rows(mesh.face_start, mesh.face_nodes, rim))
    p = mesh.points[triangles]
    area = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    normal = np.stack([np.bincount(polygon, area[:, i], len(rim)) for i in range(3)], 1)
    axis = np.abs(normal).argmax(axis=1)
    side = 2 * axis + (normal[np.arange(len(rim)), axis] > 0)
    patch = mesh.patch.copy()
    patch[rim] = side
    return with_patches(mesh, patch, tuple(Patch(n, k) for n, k in zip(names, kinds, strict=True)))


def hexahedra(counts=(6, 4, 5), place=bulged, **given) -> Mesh:
    points, hexes = block(counts, place)
    return _mesh(points, {HEXAHEDRON: hexes}, **given)


def prisms(counts=(6, 4, 5), place=bulged) -> Mesh:
    """Each cell of the block parted along one diagonal: an extrusion of triangles."""
    points, h = block(counts, place)
    nodes = np.concatenate([h[:, [0, 1, 2, 4, 5, 6]], h[:, [0, 2, 3, 4, 6, 7]]])
    return _mesh(points, {PRISM: nodes})


def pyramids(counts=(6, 4, 5), place=bulged) -> Mesh:
    """Each cell of the block parted into six pyramids about its centre."""
    points, h = block(counts, place)
    centre = points[h].mean(axis=1)
    apex = len(points) + np.arange(len(h))
    # outward faces turned over are bases that look inward
    nodes = [np.column_stack([h[:, list(face[::-1])], apex]) for face in SHAPES[HEXAHEDRON].faces]
    return _mesh(np.concatenate([points, centre]), {PYRAMID: np.concatenate(nodes)})


def tetrahedra(counts=(6, 4, 5), place=bulged, jitter=0.0) -> Mesh:
    """Each cell of the block parted into six about one diagonal (Kuhn's subdivision)."""
    points, h = block(counts, place)
    if jitter:
        inner = np.setdiff1d(np.arange(len(points)), np.unique(_rim_nodes(counts)))
        points[inner] += np.random.default_rng(2).uniform(-jitter, jitter, (len(inner), 3))
    ways = [(1, 2), (2, 3), (3, 7), (7, 4), (4, 5), (5, 1)]
    nodes = np.concatenate([h[:, [0, a, b, 6]] for a, b in ways])
    return of_tetrahedra(points, nodes)


def _rim_nodes(counts) -> np.ndarray:
    shape = tuple(n + 1 for n in counts)
    at = np.indices(shape).reshape(3, -1)
    on = ((at == 0) | (at == np.array(counts)[:, None])).any(axis=0)
    return np.flatnonzero(on)


def mixed(place=flat_sided) -> Mesh:
    """Hexahedra, then prisms, pyramids and tetrahedra, joined conformally along a block."""
    return mixed_columns((6, 3, 3), place)


def mixed_columns(counts, place=flat_sided) -> Mesh:
    """The same of any size: of nx columns half are hexahedra, then prisms up to the last two."""
    nx, ny, nz = counts
    points, h = block(counts, place)
    column = np.repeat(np.arange(nx), ny * nz)
    hexes = h[column < nx // 2]
    wedges, apexes = h[(column >= nx // 2) & (column < nx - 2)], h[column >= nx - 2]
    prism = np.concatenate([wedges[:, [0, 1, 2, 4, 5, 6]], wedges[:, [0, 2, 3, 4, 6, 7]]])
    # the last columns: six pyramids each, those to other such cells halved into tetrahedra
    centre = points[apexes].mean(axis=1)
    top = len(points) + np.arange(len(apexes))
    pyramid, tets = [], []
    for f, face in enumerate(SHAPES[HEXAHEDRON].faces):
        base = apexes[:, list(face[::-1])]
        outer = f == 2
        if outer:
            tets += [np.column_stack([base[:, [0, 1, 2]], top]),
                     np.column_stack([base[:, [0, 2, 3]], top])]  # fmt: skip
            continue
        pyramid.append(np.column_stack([base, top]))
    # only the last column may be parted towards the end; the one before keeps its quadrilaterals
    last = column[column >= nx - 2] == nx - 1
    pyramid.append(
        np.column_stack([apexes[:, list(SHAPES[HEXAHEDRON].faces[2][::-1])], top])[~last]
    )
    tets = [t[last] for t in tets]
    return _mesh(
        np.concatenate([points, centre]),
        {
            HEXAHEDRON: hexes,
            PRISM: prism,
            PYRAMID: np.concatenate(pyramid),
            TETRAHEDRON: np.concatenate(tets),
        },
    )


def dual(mesh: Mesh) -> Mesh:
    """Polyhedra around the nodes of a tetrahedral mesh: the dual, closed along its boundary.

    A node of the dual is a tetrahedron's centre, the centre of a boundary triangle, the middle of
    a boundary edge, or a boundary node. Each edge of the mesh has a face between its two nodes'
    cells; on the boundary each cell has a quadrilateral in each of its node's triangles.
    """
    tets = mesh.tets
    rim = mesh.face_nodes.reshape(-1, 3)[mesh.neighbour < 0].astype(np.int64)
    n_points = len(mesh.points)
    pairs = np.sort(rim[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), axis=1)
    rim_edges = np.unique(pairs, axis=0)
    rim_nodes = np.unique(rim)
    points = np.concatenate([
        mesh.points[tets].mean(axis=1), mesh.points[rim].mean(axis=1),
        mesh.points[rim_edges].mean(axis=1), mesh.points[rim_nodes],
    ])  # fmt: skip
    at_rim = len(tets)
    at_edge = {tuple(e): at_rim + len(rim) + k for k, e in enumerate(rim_edges.tolist())}
    at_node = {v: at_rim + len(rim) + len(rim_edges) + k for k, v in enumerate(rim_nodes.tolist())}
    of_edge: dict[tuple[int, int], list[tuple[int, int]]] = {}
    # around edge (a, b), a < b: directed steps between neighbouring tetrahedra, or to the rim
    for t, nodes in enumerate(tets.tolist()):
        for i, j, k, m in ((0, 1, 2, 3), (0, 2, 3, 1), (0, 3, 1, 2), (1, 2, 0, 3), (1, 3, 2, 0),
                           (2, 3, 0, 1)):  # fmt: skip
            a, b, c, d = nodes[i], nodes[j], nodes[k], nodes[m]
            if a > b:
                a, b, c, d = b, a, d, c
            # seen from a to b the cell lies between the faces abc and abd, c before d
            of_edge.setdefault((a, b), []).append((t, c, d))
    rim_of = {}
    for k, (a, b, c) in enumerate(rim.tolist()):
        for u, v, w in ((a, b, c), (b, c, a), (c, a, b)):
            rim_of[min(u, v), max(u, v), w] = at_rim + k
    stream: list[list[list[int]]] = [[] for _ in range(n_points)]
    for (a, b), around in of_edge.items():
        after = {c: (t, d) for t, c, d in around}
        first = set(after) - {d for _, _, d in around}
        ring = []
        c = start = min(first) if first else around[0][1]
        if first:
            ring += [at_edge[a, b], rim_of[a, b, c]]
        while c in after:
            t, c = after.pop(c)
            ring.append(t)
            if c == start:
                break
        if first:
            ring.append(rim_of[a, b, c])
        stream[a].append(ring)
        stream[b].append(ring[::-1])
    for k, (a, b, c) in enumerate(rim.tolist()):
        for u, v, w in ((a, b, c), (b, c, a), (c, a, b)):
            to, fro = at_edge[min(u, v), max(u, v)], at_edge[min(u, w), max(u, w)]
            stream[u].append([at_node[u], to, at_rim + k, fro])
    faces = [f for cell in stream for f in cell]
    nodes = np.concatenate([np.unique(np.concatenate(cell)) for cell in stream])
    start = np.cumsum([0] + [len(np.unique(np.concatenate(cell))) for cell in stream])
    made = cell_mesh(
        points,
        np.full(n_points, POLYHEDRON, np.int8),
        start,
        nodes.astype(np.int32),
        NO_POLYGONS,
        (),
        unit=mesh.unit,
        stream=Stream(
            np.array([len(cell) for cell in stream]),
            np.cumsum([0] + [len(f) for f in faces]),
            np.concatenate(faces).astype(np.int32),
        ),
    )
    return on_patches(made)


def two_zones() -> Mesh:
    """Hexahedra in two zones, fluid and solid, with an interface patch between them."""
    points, h = block((4, 3, 3), flat_sided)
    zone = (np.repeat(np.arange(4), 9) >= 2).astype(np.int32)
    shared = h[(zone == 0) & (np.repeat(np.arange(4), 9) == 1)][:, [1, 2, 6, 5]]
    start = np.arange(len(h) + 1) * 8
    made = cell_mesh(
        points, np.full(len(h), HEXAHEDRON, np.int8), start, h.ravel(),
        Polygons.of_rows(shared, np.zeros(len(shared), np.int32)), (), zone,
        (Zone("water"), Zone("steel", "solid")),
    )  # fmt: skip
    patch = np.where(made.neighbour >= 0, np.where(made.patch == 0, 6, -1), -1).astype(np.int32)
    return on_patches(replace(made, patch=patch), (*SIDES, "between"), (*KINDS, "interface"))


def vtu_bytes(mesh: Mesh, cell_data: dict) -> bytes:
    """A file of the mesh, as bytes."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "mesh.vtu"
        write_vtu(mesh, path, cell_data)
        return path.read_bytes()
