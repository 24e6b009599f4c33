"""Binary STL (stereolithography) files of patches. Single precision by the format's definition."""

import struct

import numpy as np
from numpy.typing import NDArray

from intaglio.mesh.mesh import Mesh


def stl_bytes(points: NDArray[np.float64], triangles: NDArray[np.int32], title: str) -> bytes:
    """Binary STL of triangles (m, 3)."""
    p = points[triangles]
    normal = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    length = np.linalg.norm(normal, axis=1)
    record = np.zeros(
        len(triangles), np.dtype([("normal", "<f4", 3), ("corner", "<f4", (3, 3)), ("rest", "<u2")])
    )
    record["normal"] = normal / np.where(length > 0, length, 1.0)[:, None]
    record["corner"] = p
    return title.encode()[:80].ljust(80) + struct.pack("<I", len(triangles)) + record.tobytes()


def patch_files(mesh: Mesh) -> dict[str, bytes]:
    """`patches/NAME.stl` for each patch, normals out of the fluid."""
    return {
        f"patches/{patch.name}.stl": stl_bytes(
            mesh.points, mesh.face_nodes[mesh.patch == k], f"{patch.name} in {mesh.unit}"
        )
        for k, patch in enumerate(mesh.patches)
    }
