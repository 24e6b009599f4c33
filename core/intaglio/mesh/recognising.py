"""Cells given by their faces alone that are of a standard shape, taken as that shape."""

import dataclasses

import numpy as np
from numba import njit

from intaglio.mesh.cells import (
    FACES,
    HEXAHEDRON,
    NODES,
    POLYHEDRON,
    PRISM,
    PYRAMID,
    TETRAHEDRON,
)
from intaglio.mesh.loading import cell_room, load_cell, raw_arrays, room_for
from intaglio.mesh.mesh import Mesh


@njit(cache=True)
def _bottom_of(cell, faces, nodes):
    """The shape that the numbers of faces and nodes suggest, and the face that is its bottom."""
    three = four = 0
    tri = quad = -1
    for k in range(faces):
        if cell.size[k] == 3:
            three += 1
            tri = k
        elif cell.size[k] == 4:
            four += 1
            quad = k
    if three + four != faces:
        return POLYHEDRON, -1
    if nodes == 4 and three == 4 and four == 0:
        return TETRAHEDRON, tri
    if nodes == 5 and three == 4 and four == 1:
        return PYRAMID, quad
    if nodes == 6 and three == 2 and four == 3:
        return PRISM, tri
    if nodes == 8 and three == 0 and four == 6:
        return HEXAHEDRON, quad
    return POLYHEDRON, -1


@njit(cache=True)
def _recognised(raw, which, most, shape, out):
    """Shape of each chosen cell, and its nodes in the order of that shape, into rows of eight."""
    cell = cell_room(most[0], most[1], most[2])
    place = np.empty(most[0], np.int64)
    for k in range(which.shape[0]):
        nodes, faces, edges = load_cell(raw, which[k], cell)
        shape[k] = POLYHEDRON
        kind, bottom = _bottom_of(cell, faces, nodes)
        if kind == POLYHEDRON or edges < 0:
            continue
        size = cell.size[bottom]
        place[:nodes] = -1
        for i in range(size):
            # the bottom looks out of the cell; the reference runs the other way
            place[cell.local[bottom, size - 1 - i]] = i
        order = np.full(8, -1, np.int64)
        for j in range(nodes):
            if place[j] >= 0:
                order[place[j]] = j
        good = True
        for e in range(edges):
            for turn in range(2):
                a, b = cell.edge[e, turn], cell.edge[e, 1 - turn]
                if place[a] >= 0 and place[b] < 0:
                    at = size if kind in (TETRAHEDRON, PYRAMID) else size + place[a]
                    good = good and (order[at] < 0 or order[at] == b)
                    order[at] = b
        for i in range(NODES[kind]):
            good = good and order[i] >= 0
        if good and faces == FACES[kind]:
            shape[k] = kind
            for i in range(NODES[kind]):
                out[k, i] = cell.node[order[i]]


def with_standard_shapes(mesh: Mesh) -> Mesh:
    """The mesh with polyhedra that are tetrahedra, pyramids, prisms or hexahedra called so."""
    which = np.flatnonzero(mesh.shape == POLYHEDRON)
    if not len(which):
        return mesh
    raw = raw_arrays(mesh)
    found, nodes = np.empty(len(which), np.int8), np.empty((len(which), 8), np.int32)
    _recognised(raw, which, room_for(mesh, raw), found, nodes)
    known = np.flatnonzero(found != POLYHEDRON)
    if not len(known):
        return mesh
    shape = mesh.shape.copy()
    shape[which] = found
    # such a cell has as many nodes as before: only their order changes
    held = mesh.cell_nodes.copy()
    for kind in np.unique(found[known]):
        own = known[found[known] == kind]
        at = mesh.cell_start[which[own]][:, None] + np.arange(NODES[kind])
        held[at] = nodes[own, : NODES[kind]]
    return dataclasses.replace(mesh, shape=shape, cell_nodes=held)
