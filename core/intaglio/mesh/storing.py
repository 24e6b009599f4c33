"""A mesh as named arrays and plain data, and back: what a product keeps of it."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.mesh.building import tet_mesh
from intaglio.mesh.mesh import Mesh, Patch, Periodic, Zone

_ARRAYS = (
    "points", "shape", "cell_start", "cell_nodes", "face_start", "face_nodes", "owner",
    "neighbour", "patch", "zone",
)  # fmt: skip


def mesh_arrays(mesh: Mesh) -> dict[str, NDArray[Any]]:
    """The mesh's arrays by name, for `stored_mesh`."""
    out = {name: getattr(mesh, name) for name in _ARRAYS}
    if len(mesh.sheets):
        out["sheets"] = mesh.sheets
    for k, pair in enumerate(mesh.periodic):
        out[f"periodic_{k}_faces"] = pair.faces
        out[f"periodic_{k}_turn"] = pair.turn
        out[f"periodic_{k}_shift"] = pair.shift
    return out


def stored_mesh(
    arrays: Mapping[str, NDArray[Any]],
    patches: tuple[Patch, ...],
    zones: tuple[Zone, ...],
    unit: str,
) -> Mesh:
    """The mesh that `mesh_arrays` gave, or one of tetrahedra alone as version 0.3 kept it, whose
    patches are the regions of its surface."""
    if "tets" in arrays:
        region = np.ascontiguousarray(arrays["region"])
        return tet_mesh(
            np.ascontiguousarray(arrays["points"]),
            np.ascontiguousarray(arrays["tets"]),
            np.ascontiguousarray(arrays["triangles"]),
            region,
            patches or tuple(Patch(f"face_{k + 1}", "wall") for k in range(region.max() + 1)),
            np.ascontiguousarray(arrays["zone"]),
            zones,
            unit,
        )
    pairs: list[Periodic] = []
    while (key := f"periodic_{len(pairs)}_") + "faces" in arrays:
        pairs.append(Periodic(*(arrays[key + part] for part in ("faces", "turn", "shift"))))
    held: dict[str, Any] = {name: np.ascontiguousarray(arrays[name]) for name in _ARRAYS}
    if "sheets" in arrays:
        held["sheets"] = np.ascontiguousarray(arrays["sheets"])
    return Mesh(**held, patches=patches, zones=zones, unit=unit, periodic=tuple(pairs))
