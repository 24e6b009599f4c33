"""How far the ends of the domain are from the walls that stand in a stream."""

import numpy as np

from intaglio.case.measuring import patch_faces
from intaglio.case.setup import CaseSetup, PatchSetup, metres
from intaglio.findings import Finding, two_digits
from intaglio.mesh.mesh import Floats, Mesh, rows

# J. Franke et al., Best practice guideline for the CFD simulation of flows in the urban
# environment, COST Action 732 (2007), section 4: five heights of the body ahead, fifteen behind
_AHEAD, _BEHIND = 5.0, 15.0
# under this share of them it is more than a remark
_FAR_TOO_SHORT = 1.0 / 3.0


def room_findings(mesh: Mesh, case: CaseSetup) -> list[Finding]:
    """Remarks where a body in a stream stands near the ends of its domain, by the guideline."""
    out = []
    for number, zone in enumerate(case.zones):
        patches = [p for p in case.patches if zone.name in p.zones]
        if zone.kind != "fluid" or not any(p.kind == "far_field" for p in patches):
            continue
        way = _direction(mesh, patches, case)
        if way is None:
            continue
        walls = [k for k, p in enumerate(mesh.patches) if p.kind == "wall"]
        at = np.isin(mesh.patch, walls) & (mesh.zone[mesh.owner] == number)
        nodes = np.unique(rows(mesh.face_start, mesh.face_nodes, np.flatnonzero(at))[1])
        if not len(nodes):
            continue
        cells = np.flatnonzero(mesh.zone == number)
        every = mesh.points[rows(mesh.cell_start, mesh.cell_nodes, cells)[1]] @ way
        body = mesh.points[nodes]
        along = body @ way
        ahead, behind = along.min() - every.min(), every.max() - along.max()
        near = 1e-6 * (every.max() - every.min())
        # a wall that runs through from end to end is no body in the stream
        if ahead <= near or behind <= near:
            continue
        size = _across(body, way)
        for words, room, wanted in (("ahead of", ahead, _AHEAD), ("behind", behind, _BEHIND)):
            if size > 0 and room < wanted * size:
                out.append(_short(words, room / size, wanted, size * metres(mesh.unit)))
    return out


def _short(words: str, heights: float, wanted: float, size: float) -> Finding:
    return Finding(
        f"short-{words.split()[0]}",
        "caution" if heights < _FAR_TOO_SHORT * wanted else "note",
        f"The domain ends {two_digits(heights):g} heights {words} the body, which is "
        f"{two_digits(size):g} m across the stream; the guideline for bodies on the ground asks "
        f"for {wanted:g}.",
        advice="Lengthen the domain in Domain, unless the end is where it really is.",
        size=heights,
        measure="heights of the body",
    )


def _direction(mesh: Mesh, patches: list[PatchSetup], case: CaseSetup) -> Floats | None:
    """Unit vector of what streams in: that of a velocity, else into the fluid at the inlet."""
    entering = [p for p in patches if p.inflow is not None and p.inflow.speed > 0]
    for p in sorted(entering, key=lambda p: p.kind != "inlet"):
        if "velocity" in p.numbers:
            vector = np.array(p.numbers["velocity"], float)
        else:
            number = next(k for k, q in enumerate(mesh.patches) if q.name == p.name)
            vector = -patch_faces(mesh, number).vectors.sum(axis=0)
        length = np.linalg.norm(vector)
        if length > 0:
            return np.asarray(vector / length)
    return None


def _across(points: Floats, way: Floats) -> float:
    """The larger extent (of two at right angles) of points across a direction."""
    one = np.cross(way, np.eye(3)[np.abs(way).argmin()])
    one /= np.linalg.norm(one)
    return float(max(np.ptp(points @ one), np.ptp(points @ np.cross(way, one))))
