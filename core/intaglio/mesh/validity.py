"""Whether a mesh is valid: what must hold before it is stored or handed over."""

from dataclasses import asdict, dataclass, field
from typing import Any

import numpy as np

from intaglio.mesh.mesh import Mesh
from intaglio.mesh.quality import tet_volumes

PLACES = 20


@dataclass(frozen=True)
class Finding:
    """A problem in words: code, what happened, how many, at which places, what to do.

    level is `error` (the result must not be used), `caution` or `note`. size is the largest
    measure of the problem and measure says of what, with its unit; cause is the probable one;
    faces are names of faces that have to do with it; repairs are offered operations, as
    {label, operation}; histogram is {edges, count} of the measure.
    """

    code: str
    level: str
    message: str
    count: int = 1
    places: list[list[float]] = field(default_factory=list)
    advice: str = ""
    size: float = 0.0
    measure: str = ""
    cause: str = ""
    faces: list[str] = field(default_factory=list)
    repairs: list[dict] = field(default_factory=list)
    histogram: dict | None = None

    def as_dict(self) -> dict:
        return asdict(self)


def offer(label: str, do: str, **settings: Any) -> dict[str, Any]:
    """A repair offered with a finding."""
    return {"label": label, "operation": {"do": do, **settings}}


def two_digits(value: float) -> float:
    return float(f"{value:.2g}")


def enclosed_by_boundary(mesh: Mesh) -> np.ndarray:
    """Volume (zones,) inside the faces around each zone by the divergence theorem, in unit³."""
    origin = mesh.points.mean(axis=0)
    a, b, c = (mesh.points[mesh.face_nodes[:, i]] - origin for i in range(3))
    six = np.einsum("ij,ij->i", np.cross(a, b), c)
    own = mesh.zone[mesh.owner]
    beyond = np.where(mesh.neighbour >= 0, mesh.zone[mesh.neighbour], -1)
    part = own != beyond
    inner = part & (beyond >= 0)
    zones = len(mesh.zones)
    total = np.bincount(own[part], six[part], zones)
    return (total - np.bincount(beyond[inner], six[inner], zones)) / 6.0


def check(mesh: Mesh) -> list[Finding]:
    """Findings of level error; an empty list says that the mesh is valid."""
    out = []
    n_in = mesh.interior_faces
    if not np.isfinite(mesh.points).all():
        bad = np.flatnonzero(~np.isfinite(mesh.points).all(axis=1))
        return [Finding("not-finite", "error", "Points without a finite position.", len(bad))]
    volumes = tet_volumes(mesh.points, mesh.tets)
    bad = np.flatnonzero(~(volumes > 0))
    if len(bad):
        centre = mesh.points[mesh.tets[bad[:PLACES]]].mean(axis=1)
        out.append(
            Finding(
                "negative-volume",
                "error",
                "Cells without a positive volume.",
                len(bad),
                centre.tolist(),
                "Refine there, or repair the surface.",
            )
        )
    if (mesh.neighbour[n_in:] >= 0).any() or (mesh.neighbour[:n_in] == mesh.owner[:n_in]).any():
        out.append(Finding("face-order", "error", "Faces do not lie between two cells."))
    faces_per_cell = np.bincount(mesh.owner, minlength=len(mesh.tets)) + np.bincount(
        mesh.neighbour[:n_in], minlength=len(mesh.tets)
    )
    bad = np.flatnonzero(faces_per_cell != 4)
    if len(bad):
        out.append(
            Finding(
                "open-cell",
                "error",
                "Cells that are not closed by four faces.",
                len(bad),
                mesh.points[mesh.tets[bad[:PLACES]]].mean(axis=1).tolist(),
            )
        )
    own = mesh.zone[mesh.owner]
    parting = np.flatnonzero((mesh.neighbour < 0) | (own != mesh.zone[mesh.neighbour]))
    lost = parting[(mesh.patch[parting] < 0) | (mesh.patch[parting] >= len(mesh.patches))]
    if len(lost):
        nodes = mesh.face_nodes[lost[:PLACES]]
        out.append(
            Finding(
                "no-patch",
                "error",
                "Faces of the boundary, or between zones, that belong to no patch.",
                len(lost),
                mesh.points[nodes].mean(axis=1).tolist(),
                "Name the CAD faces there in Patches.",
            )
        )
    out += _open_boundary(mesh)
    filled = np.bincount(mesh.zone, volumes, len(mesh.zones))
    enclosed = enclosed_by_boundary(mesh)
    for k in np.flatnonzero(np.abs(filled - enclosed) > 1e-9 * np.abs(enclosed)):
        out.append(
            Finding(
                "volume-mismatch",
                "error",
                f"The cells of zone {mesh.zones[k].name} fill {filled[k]:.9g}, "
                f"but its surface encloses {enclosed[k]:.9g}.",
            )
        )
    used = np.zeros(len(mesh.points), bool)
    used[mesh.tets.ravel()] = True
    if not used.all():
        out.append(
            Finding(
                "unused-points",
                "error",
                "Points that no cell uses.",
                int((~used).sum()),
                mesh.points[~used][:PLACES].tolist(),
            )
        )
    return out


def _open_boundary(mesh: Mesh) -> list[Finding]:
    nodes = mesh.face_nodes[mesh.neighbour < 0]
    pairs = np.concatenate([nodes[:, [0, 1]], nodes[:, [1, 2]], nodes[:, [2, 0]]]).astype(np.int64)
    n = len(mesh.points)
    forward = np.sort(pairs[:, 0] * n + pairs[:, 1])
    backward = np.sort(pairs[:, 1] * n + pairs[:, 0])
    if np.array_equal(forward, backward):
        return []
    lone = np.setdiff1d(forward, backward)
    middle = 0.5 * (mesh.points[lone // n] + mesh.points[lone % n])
    return [
        Finding(
            "open-zone",
            "error",
            "Free edges: the boundary does not close around the zone.",
            max(1, len(lone)),
            middle[:PLACES].tolist(),
        )
    ]


def cautions(skewness: np.ndarray, dihedral: np.ndarray, centre: np.ndarray) -> list[Finding]:
    """Findings about quality: equiangle skewness over 0.9, mean over 0.25, flat cells."""
    out = []
    bad = np.flatnonzero(skewness > 0.9)
    if len(bad):
        worst = bad[np.argsort(-skewness[bad])][:PLACES]
        out.append(
            Finding(
                "skewed-cells",
                "caution",
                "Cells of equiangle skewness over 0.9.",
                len(bad),
                centre[worst].tolist(),
                "Lower the smallest edge, or remove the sliver in the geometry there.",
            )
        )
    flat = np.flatnonzero(dihedral < 8.0)
    if len(flat):
        worst = flat[np.argsort(dihedral[flat])][:PLACES]
        out.append(
            Finding(
                "flat-cells",
                "caution",
                "Cells with a dihedral angle under 8°.",
                len(flat),
                centre[worst].tolist(),
                "Two faces of the geometry may meet at a sharp angle there; refine around it.",
            )
        )
    return out
