"""Growing layers into a finished mesh of tetrahedra: its surface stays, its core is filled anew."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from intaglio.errors import FileRejected, StepFailed
from intaglio.findings import Finding
from intaglio.layers.core import layered
from intaglio.layers.grow import LOWEST, grow
from intaglio.mesh.building import Polygons, cell_mesh
from intaglio.mesh.cells import TETRAHEDRON
from intaglio.mesh.mesh import Mesh
from intaglio.parts.model import Product
from intaglio.quality.cells import measure
from intaglio.quality.report import mesh_findings
from intaglio.sizing.octree import SizeField, build_field
from intaglio.stages.layers.missing import nowhere_findings, short_findings
from intaglio.stages.layers.report import LayerPatchRow
from intaglio.stages.layers.scopes import growing_sides, row_of_faces, wanted_on
from intaglio.stages.layers.shells import shells_of
from intaglio.stages.layers.step import grown_rows
from intaglio.stages.stage import Progress
from intaglio.triangles.closure import edge_keys
from intaglio.triangles.measures import triangle_normals

# patches without layers are told apart into plane faces where they turn by more (cosine)
_PLANE = np.cos(np.radians(2.0))
_GROWTH = 1.2


@dataclass(frozen=True)
class _Surface:
    """The surface of a mesh: triangles (m, 3) of its points, outward from their owner's zone; patch
    (m,); region (m,): faces, each of one patch; of_region: patch of each; sides of each (r, 2)."""

    points: NDArray[np.float64]
    triangles: NDArray[np.int32]
    region: NDArray[np.int32]
    of_region: NDArray[np.int32]
    sides: NDArray[np.int32]


def layers_into(
    mesh: Mesh,
    rows: list[dict[str, Any]],
    lowest: float = LOWEST,
    progress: Progress = lambda share, doing: None,
) -> tuple[Mesh, list[LayerPatchRow], list[Finding]]:
    """The mesh with layers that rows ask for on its patches of kind wall, what grew from each, and
    findings. Raises FileRejected for a mesh that has other cells than tetrahedra, or sheets, and
    StepFailed where the result would not be valid."""
    if (mesh.shape != TETRAHEDRON).any():
        raise FileRejected("not-tetrahedra", "Layers grow into meshes of tetrahedra alone.")
    if len(mesh.sheets) or len(mesh.periodic):
        raise FileRejected(
            "not-plain", "Layers do not grow into meshes with sheets or periodic patches yet."
        )
    surface = _surface(mesh)
    faces = [{"id": str(k), "patch": int(p)} for k, p in enumerate(surface.of_region)]
    patches = Product(
        {"patch_of_face": surface.of_region},
        {
            "unit": mesh.unit,
            "patches": [
                {
                    "name": patch.name,
                    "kind": patch.kind,
                    "faces": [f["id"] for f in faces if f["patch"] == k],
                }
                for k, patch in enumerate(mesh.patches)
            ],
        },
    )
    row_of = row_of_faces(rows, {"faces": faces}, patches.report)
    kinds = [zone.kind for zone in mesh.zones]
    grows = growing_sides(rows, row_of, surface.sides, kinds)
    back = np.full(len(surface.sides), -1, np.int32)
    shells, own = shells_of(
        surface.points, surface.triangles, surface.region, surface.sides, back, row_of, grows
    )
    wanted = [wanted_on(s, r, rows, mesh.unit) for s, r in zip(shells, own, strict=True)]
    grown = [
        grow(shell, want.first, want.growth, want.count, progress, lowest)
        for shell, want in zip(shells, wanted, strict=True)
    ]
    told = grown_rows(rows, row_of, shells, grown, patches)
    found = nowhere_findings(told, grows.any())
    found += short_findings(shells, grown, own, rows, mesh.unit)
    made = layered(shells, wanted, grown, _sizes(mesh, surface), progress, lowest=lowest)
    polygons = Polygons(
        made.surface.start, made.surface.nodes, surface.of_region[made.surface.patch]
    )
    out = cell_mesh(
        made.points, made.shape, made.start, made.nodes, polygons,
        mesh.patches, made.zone, mesh.zones, mesh.unit,
    )  # fmt: skip
    measured = measure(out)
    errors = [f for f in mesh_findings(out, measured) if f.level == "error"]
    if errors:
        raise StepFailed(
            errors[0].code,
            "The mesh with layers is not valid: " + " ".join(f.message for f in errors),
            [p for f in errors for p in f.places][:20],
        )
    return out, told, found


def _surface(mesh: Mesh) -> _Surface:
    parting = np.flatnonzero(
        (mesh.neighbour < 0) | (mesh.zone[mesh.owner] != mesh.zone[np.maximum(mesh.neighbour, 0)])
    )
    nodes = mesh.face_nodes[mesh.face_start[parting][:, None] + np.arange(3)]
    used, rows = np.unique(nodes, return_inverse=True)
    triangles: NDArray[np.int32] = rows.reshape(-1, 3).astype(np.int32)
    points = mesh.points[used]
    behind = mesh.zone[mesh.owner[parting]]
    before = np.where(
        mesh.neighbour[parting] >= 0, mesh.zone[np.maximum(mesh.neighbour[parting], 0)], -1
    )
    patch = mesh.patch[parting]
    # the last for faces between zones that are on no patch
    parted = np.array([p.kind != "wall" for p in mesh.patches] + [True])
    region = _faces(points, triangles, patch, parted)
    first = np.unique(region, return_index=True)[1]
    sides = np.stack([behind[first], before[first]], axis=1).astype(np.int32)
    # of a region all triangles are to have the same zone behind
    turned = behind != sides[region, 0]
    triangles[turned] = triangles[turned][:, ::-1]
    return _Surface(points, triangles, region, patch[first].astype(np.int32), sides)


def _faces(
    points: NDArray[np.float64],
    triangles: NDArray[np.int32],
    patch: NDArray[np.int32],
    parted: NDArray[np.bool_],
) -> NDArray[np.int32]:
    """Region (m,) of each triangle: its patch, told apart where a patch that is `parted` turns or
    hangs together no further."""
    pairs = triangles[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2)
    order = np.argsort(edge_keys(pairs), kind="stable")
    key = edge_keys(pairs)[order]
    same = np.flatnonzero(key[1:] == key[:-1])
    a, b = order[same] // 3, order[same + 1] // 3
    normal = triangle_normals(points, triangles)
    flat = np.abs(np.einsum("ij,ij->i", normal[a], normal[b])) > _PLANE
    joins = (patch[a] == patch[b]) & (flat | ~parted[patch[a]])
    graph = coo_array(
        (np.ones(int(joins.sum())), (a[joins], b[joins])), shape=(len(triangles),) * 2
    )
    return connected_components(graph, directed=False)[1].astype(np.int32)


def _sizes(mesh: Mesh, surface: _Surface) -> SizeField:
    """A size field as the mesh's own edges have it."""
    tets = mesh.tets
    pairs = np.unique(
        np.sort(tets[:, [0, 1, 0, 2, 0, 3, 1, 2, 1, 3, 2, 3]].reshape(-1, 2), axis=1), axis=0
    )
    ends = mesh.points[pairs]
    length = np.linalg.norm(ends[:, 0] - ends[:, 1], axis=1)
    low, high = surface.points.min(axis=0), surface.points.max(axis=0)
    return build_field(ends.mean(axis=1), length, float(length.max()), _GROWTH, low, high)
