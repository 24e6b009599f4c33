"""A made-up way of making the mesh: each triangle of the surface joined with the middle of it all.

It uses the surface alone, so that a study meshed so goes through no layers, and it fills only what
is seen whole from its middle. It is also copied into a core as a module of its own.
"""

import numpy as np

from intaglio.errors import StepFailed
from intaglio.mesh.building import tet_mesh
from intaglio.stages.sizing.local_sizes import sides_of
from intaglio.stages.stage import Cost, Run, Sentence
from intaglio.stages.volume.expecting import Exactly
from intaglio.stages.volume.tetrahedra import patches_of, zones_of
from intaglio.stages.volume.way import Avoided, Made, Way


def _make(run: Run, avoided: Avoided) -> Made:
    surface, domain = run.product("surface"), run.product("domain")
    a, report = surface.arrays, domain.report
    points, triangles, patch = a["points"], a["triangles"], a["region"]
    run.tell(0.5, "joining with the middle")
    tip = np.full(len(triangles), len(points), np.int32)
    points = np.concatenate([points, points.mean(axis=0)[None]])
    p = points[triangles] - points[-1]
    if (np.einsum("ij,ij->i", p[:, 0], np.cross(p[:, 1], p[:, 2])) <= 0).any():
        raise StepFailed("no-fan", "The fluid is not seen whole from its middle.")
    tets = np.column_stack([triangles[:, [0, 2, 1]], tip]).astype(np.int32)
    zone = np.zeros(len(tets), np.int32)
    mesh = tet_mesh(
        points, tets, triangles, patch, patches_of(domain), zone, zones_of(domain), report["unit"]
    )
    volumes = dict(zip(["fluid"], surface.report["zone_volumes"], strict=True))
    behind = sides_of(report)[:, 0]
    return Made(mesh, Exactly(a["points"], triangles, patch, behind, None, volumes))


WAY = Way(
    "fan",
    "a fan of tetrahedra about the middle",
    ("surface",),
    _make,
    lambda reports: Cost(1.0),
    (Sentence("They meet where its nodes have their middle."),),
)


def _know() -> None:
    from intaglio.settings.blanks import blanks_of
    from intaglio.stages.volume import ways
    from intaglio.stages.volume.settings import VolumeMesh

    ways.WAYS = (*ways.WAYS, WAY)
    described = blanks_of(VolumeMesh)["cells"]
    object.__setattr__(described, "choices", (*described.choices, (WAY.key, WAY.title)))


def compute_many(there, folder, limits):
    """What a child does that knows this way."""
    from sandbox import child

    _know()
    child.compute_many(there, folder, limits)


def compute(there, folder, limits):
    """The same for one order."""
    from sandbox import child

    _know()
    child.compute(there, folder, limits)
