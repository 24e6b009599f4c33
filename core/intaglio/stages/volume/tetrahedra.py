"""A way of making the mesh: what the layers leave is filled with tetrahedra."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from intaglio.findings import PLACES, Finding
from intaglio.layers.core import Wanted, layered, lowered
from intaglio.layers.grow import Grown
from intaglio.layers.reach import edge_means
from intaglio.layers.shell import Shell
from intaglio.mesh.building import Polygons, cell_mesh, tet_mesh
from intaglio.mesh.mesh import Patch, Zone
from intaglio.parts.model import Product
from intaglio.sizing.forecast import BYTES_PER_CELL, volume_seconds
from intaglio.stages.domain.faces import back_faces
from intaglio.stages.layers.made import LayersMade, layers_made
from intaglio.stages.sizing.local_sizes import sides_of
from intaglio.stages.sizing.step import MEMORY_LIMIT
from intaglio.stages.stage import Cost, Run, Sentence
from intaglio.stages.surface.made import SurfaceMade, surface_made
from intaglio.stages.volume.expecting import Exactly
from intaglio.stages.volume.way import Avoided, Made, Way
from intaglio.volume.fill import fill

# layers that make a mesh invalid are left out so many edges around, and at each further try so many
# times as far
_AVOIDED, _FARTHER = 4.0, 4.0


# what cells in layers add, checks included: measured on the demo models
_LAYER_CELLS_PER_SECOND, _BYTES_PER_LAYER_CELL = 60_000.0, 400


def _make(run: Run, avoided: Avoided) -> Made:
    """Tetrahedra, around layers where there are any."""
    surface = surface_made(run.product("surface"))
    layers = layers_made(run.product("layers"), surface, run.product("domain"))
    if layers is None:
        return _alone(run, surface)
    return _around(run, surface, layers, avoided)


def _expected(
    run: Run, surface: SurfaceMade, given: NDArray[np.int32] | None, swaps: int
) -> Exactly:
    domain = run.product("domain")
    enclosed = zip(zones_of(domain), surface.enclosed, strict=True)
    return Exactly(
        surface.points,
        surface.triangles,
        surface.region,
        sides_of(domain.report)[:, 0],
        given,
        {zone.name: volume for zone, volume in enclosed},
        same=swaps == 0,
    )


def _alone(run: Run, surface: SurfaceMade) -> Made:
    domain, settings = run.product("domain"), run.settings
    field = surface.field(run.product("sizing"))
    filling = fill(
        surface.points,
        surface.triangles,
        surface.region,
        field,
        run.tell,
        max_cells=int(MEMORY_LIMIT / BYTES_PER_CELL),
        improve_passes=settings.passes,
        target=settings.target,
        sides=sides_of(domain.report)[surface.region],
    )
    own = surface.region[filling.origin]
    mesh = tet_mesh(
        filling.points,
        filling.tets,
        filling.triangles,
        own,
        patches_of(domain),
        filling.zone,
        zones_of(domain),
        unit=surface.unit,
    )
    return Made(
        mesh,
        _expected(run, surface, None, filling.swaps),
        _on_sheets(Polygons.of_rows(filling.triangles, own), domain),
        sizes=field,
        splits=filling.splits,
        swaps=filling.swaps,
    )


def _around(run: Run, surface: SurfaceMade, layers: LayersMade, avoided: Avoided) -> Made:
    """Layers, but for those near places that earlier tries failed at, and tetrahedra."""
    domain, settings = run.product("domain"), run.settings
    lowest = run.settings_of("layers").lowest
    field = surface.field(run.product("sizing"))
    shells, grown, wanted = layers.shells, layers.grown, layers.wanted
    made = layered(
        shells,
        wanted,
        without(shells, wanted, grown, avoided, lowest) if avoided else grown,
        field,
        run.tell,
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
        unit=surface.unit,
    )
    places = [
        shell.points[now.height < before.height * (1 - 1e-9)]
        for shell, before, now in zip(shells, grown, made.grown, strict=True)
    ]
    return Made(
        mesh,
        _expected(run, surface, made.given, made.swaps),
        _on_sheets(made.surface, domain),
        made.layer,
        field,
        _lowered(np.concatenate(places)),
        made.splits,
        made.swaps,
        # better no layers at a place than no mesh
        again=True,
    )


def _on_sheets(surface: Polygons, domain: Product) -> Polygons:
    return surface.of_patches(np.flatnonzero(back_faces(domain.report) >= 0))


def _lowered(places: NDArray[np.float64]) -> list[Finding]:
    """Layers that the core asked for to be lower than what Layers tells."""
    if not len(places):
        return []
    return [
        Finding(
            "layers-for-core",
            "note",
            "Layers are lower than Layers tells where the core could not have been filled else.",
            len(places),
            places[:: max(1, len(places) // PLACES)][:PLACES].tolist(),
            "Shorter edges there, or lower layers, leave the core more room.",
        )
    ]


def without(
    shells: list[Shell],
    wanted: list[Wanted],
    grown: list[Grown],
    avoided: Avoided,
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


def _cost(reports: Mapping[str, Mapping[str, Any]]) -> Cost:
    sizing = reports.get("sizing")
    if not sizing:
        return Cost(25.0)
    expected = sizing["forecast"]
    in_layers = reports["layers"]["cells"] if "layers" in reports else 0
    return Cost(
        volume_seconds(expected["cells"]) + in_layers / _LAYER_CELLS_PER_SECOND,
        expected["memory"] + _BYTES_PER_LAYER_CELL * in_layers,
    )


WAY = Way(
    "tetrahedra",
    "tetrahedra",
    ("surface", "layers", "sizing"),
    _make,
    _cost,
    (
        Sentence(
            "Then raise the worst of them in {passes} passes until none has an angle under "
            "{target}."
        ),
    ),
    version=6,
)
