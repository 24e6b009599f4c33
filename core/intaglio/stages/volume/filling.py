"""Filling zones with tetrahedra, alone or between layers."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from intaglio.layers.core import Wanted, layered, lowered
from intaglio.layers.grow import Grown
from intaglio.layers.reach import edge_means
from intaglio.layers.shell import Shell
from intaglio.mesh.building import Polygons, cell_mesh, tet_mesh
from intaglio.mesh.mesh import Mesh, Patch, Zone
from intaglio.parts.model import Product
from intaglio.sizing.forecast import BYTES_PER_CELL
from intaglio.sizing.octree import SizeField
from intaglio.stages.domain.faces import back_faces
from intaglio.stages.layers.shells import grown_of, shells_of
from intaglio.stages.sizing.local_sizes import sides_of
from intaglio.stages.sizing.step import MEMORY_LIMIT
from intaglio.stages.stage import Progress
from intaglio.stages.volume.settings import VolumeMesh
from intaglio.volume.fill import fill

# layers that make a mesh invalid are left out so many edges around, and at each further try so many
# times as far
_AVOIDED, _FARTHER = 4.0, 4.0


@dataclass(frozen=True)
class Cells:
    """All cells as a mesh before sheets are cut open; its polygons on the given surface; layer
    (c,) of each cell, 0 where it is in none; splits and swaps of the filling; lowered (k, 3):
    places at which layers had to be lowered once more for its sake."""

    mesh: Mesh
    surface: Polygons
    layer: NDArray[np.int32]
    splits: int
    swaps: int
    lowered: NDArray[np.float64]


def filled(
    settings: VolumeMesh,
    surface: Product,
    field: SizeField,
    domain: Product,
    progress: Progress,
) -> Cells:
    """Tetrahedra alone."""
    a = surface.arrays
    region = np.ascontiguousarray(a["region"])
    filling = fill(
        np.ascontiguousarray(a["points"]),
        np.ascontiguousarray(a["triangles"]),
        region,
        field,
        progress,
        max_cells=int(MEMORY_LIMIT / BYTES_PER_CELL),
        improve_passes=settings.passes,
        target=settings.target,
        sides=sides_of(domain.report)[region],
    )
    own = region[filling.origin]
    mesh = tet_mesh(
        filling.points,
        filling.tets,
        filling.triangles,
        own,
        patches_of(domain),
        filling.zone,
        zones_of(domain),
        unit=surface.report["unit"],
    )
    return Cells(
        mesh,
        Polygons.of_rows(filling.triangles, own),
        np.zeros(mesh.cells, np.int32),
        filling.splits,
        filling.swaps,
        np.zeros((0, 3)),
    )


def filled_around(
    settings: VolumeMesh,
    surface: Product,
    layers: Product,
    lowest: float,
    field: SizeField,
    domain: Product,
    avoided: list[list[list[float]]],
    progress: Progress,
) -> tuple[Cells, NDArray[np.int32]]:
    """Layers, but for those near places that earlier tries failed at, and tetrahedra; the surface's
    node that each point is, or -1."""
    a = surface.arrays
    region = np.ascontiguousarray(a["region"])
    shells, _ = shells_of(
        np.ascontiguousarray(a["points"]),
        np.ascontiguousarray(a["triangles"]),
        region,
        sides_of(domain.report),
        back_faces(domain.report),
        layers.arrays["row_of_face"],
        layers.arrays["grows"],
    )
    grown, wanted = grown_of(layers.arrays, shells)
    made = layered(
        shells,
        wanted,
        without(shells, wanted, grown, avoided, lowest) if avoided else grown,
        field,
        progress,
        max_cells=int(MEMORY_LIMIT / BYTES_PER_CELL),
        improve_passes=settings.passes,
        target=settings.target,
        lowest=lowest,
    )
    mesh = cell_mesh(
        made.points,
        made.shape,
        made.start,
        made.nodes,
        made.surface,
        patches_of(domain),
        made.zone,
        zones_of(domain),
        unit=surface.report["unit"],
    )
    places = [
        shell.points[now.height < before.height * (1 - 1e-9)]
        for shell, before, now in zip(shells, grown, made.grown, strict=True)
    ]
    cells = Cells(mesh, made.surface, made.layer, made.splits, made.swaps, np.concatenate(places))
    return cells, made.given


def without(
    shells: list[Shell],
    wanted: list[Wanted],
    grown: list[Grown],
    avoided: list[list[list[float]]],
    lowest: float,
) -> list[Grown]:
    """What grows if nothing does near the places that each try failed at."""
    trees = [cKDTree(np.array(places)) for places in avoided]
    out = []
    for shell, want, have in zip(shells, wanted, grown, strict=True):
        share = np.ones(len(shell.points))
        for k, tree in enumerate(trees):
            near = tree.query(shell.points)[0] < _AVOIDED * _FARTHER**k * edge_means(shell)
            share[near] = 0.0
        out.append(lowered(shell, want, have, share, lowest))
    return out


def patches_of(domain: Product) -> tuple[Patch, ...]:
    return tuple(Patch(face["id"], "wall") for face in domain.report["faces"])


def zones_of(domain: Product) -> tuple[Zone, ...]:
    return tuple(Zone(z["name"], z["kind"]) for z in domain.report["zones"])
