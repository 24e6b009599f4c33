"""Volume: filling the zones, between their layers, with tetrahedra and proving the result."""

from dataclasses import dataclass, replace
from typing import NotRequired

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from intaglio.errors import StepFailed
from intaglio.findings import PLACES, Finding
from intaglio.layers.core import Wanted, layered
from intaglio.layers.grow import Grown, grow
from intaglio.layers.reach import edge_means
from intaglio.layers.shell import Shell
from intaglio.mesh.building import Polygons, cell_mesh, tet_mesh, with_patches
from intaglio.mesh.covering import surface_findings
from intaglio.mesh.mesh import Mesh, Patch, Zone, fan, polygon_edges
from intaglio.mesh.parting import parted_along
from intaglio.mesh.quality import Measured, Spread, cell_metrics, measure
from intaglio.mesh.report import Histogram, MeshZoneRow, histograms, mesh_findings, report
from intaglio.mesh.slices import outer_faces
from intaglio.mesh.storing import mesh_arrays, stored_mesh
from intaglio.parts.model import Product
from intaglio.parts.picture import picture
from intaglio.settings.blanks import blank
from intaglio.sizing.forecast import BYTES_PER_CELL, volume_seconds
from intaglio.sizing.octree import SizeField
from intaglio.stages.domain.faces import back_faces
from intaglio.stages.layers.shells import grown_of, shells_of
from intaglio.stages.reports import StageReport
from intaglio.stages.sizing.local_sizes import sides_of
from intaglio.stages.sizing.step import MEMORY_LIMIT, field_of
from intaglio.stages.stage import Cost, Progress, Reports, Run, Sentence, Stage
from intaglio.volume.fill import fill

# layers that make a mesh invalid are left out so many edges around, in so many tries
_AVOIDED, _TRIES = 4.0, 4
# what cells in layers add, checks included: measured on the demo models
_LAYER_CELLS_PER_SECOND, _BYTES_PER_LAYER_CELL = 60_000.0, 400


@dataclass(frozen=True)
class VolumeMesh:
    target: float = blank(
        "angle",
        "aim for the smallest dihedral angle",
        "18° to 25° suits solvers; beyond 30° little can be gained.",
        25.0,
        unit="°",
        least=0.0,
        most=40.0,
    )
    passes: int = blank(
        "integer",
        "improvement passes",
        "Eight reach the figures on ordinary parts.",
        8,
        least=0,
        most=60,
    )


class VolumeReport(StageReport):
    """The mesh: counts, zones, quality; splits and swaps that recovering the surface took.

    layer_cells: those that lie in layers. Products of version 0.3 do not tell these, nor the cells
    by shape, nor the faces.
    """

    unit: str
    cells: int
    points: int
    cells_by_shape: NotRequired[dict[str, int]]
    faces: NotRequired[list[str]]
    volume: float
    zones: dict[str, MeshZoneRow]
    quality: dict[str, Spread]
    histograms: dict[str, Histogram]
    splits: int
    swaps: int
    layer_cells: NotRequired[int]


def _opened(mesh: Mesh, measured: Measured) -> NDArray[np.uint8]:
    """Picture of the cells behind a plane through their middle, so that the inside shows."""
    across = float(measured.centroid[:, 1] @ measured.volume / measured.volume.sum())
    outline = outer_faces(mesh, np.flatnonzero(measured.centroid[:, 1] > across))
    triangles, _ = fan(outline.start, outline.nodes)
    drawn = picture(
        mesh.points,
        triangles,
        np.zeros((0, 2, 3)),
        mesh.points[polygon_edges(outline.start, outline.nodes)],
    )
    return np.frombuffer(drawn, np.uint8)


@dataclass(frozen=True)
class _Cells:
    """All cells as a mesh before sheets are cut open; its polygons on the given surface; layer
    (c,) of each cell, 0 where it is in none; splits and swaps of the filling; lowered (k, 3):
    places at which layers had to be lowered once more for its sake."""

    mesh: Mesh
    surface: Polygons
    layer: NDArray[np.int32]
    splits: int
    swaps: int
    lowered: NDArray[np.float64]


def _filled(
    settings: VolumeMesh,
    surface: Product,
    field: SizeField,
    domain: Product,
    progress: Progress,
) -> _Cells:
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
        _patches(domain),
        filling.zone,
        _zones(domain),
        unit=surface.report["unit"],
    )
    return _Cells(
        mesh,
        Polygons.of_rows(filling.triangles, own),
        np.zeros(mesh.cells, np.int32),
        filling.splits,
        filling.swaps,
        np.zeros((0, 3)),
    )


def _filled_around(
    settings: VolumeMesh,
    surface: Product,
    layers: Product,
    lowest: float,
    field: SizeField,
    domain: Product,
    avoided: list[list[float]],
    progress: Progress,
) -> tuple[_Cells, NDArray[np.int32]]:
    """Layers, but for those near places to be avoided, and tetrahedra; the surface's node that each
    point is, or -1."""
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
        _without(shells, wanted, grown, avoided, lowest) if avoided else grown,
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
        _patches(domain),
        made.zone,
        _zones(domain),
        unit=surface.report["unit"],
    )
    lowered = [
        shell.points[now.height < before.height * (1 - 1e-9)]
        for shell, before, now in zip(shells, grown, made.grown, strict=True)
    ]
    cells = _Cells(mesh, made.surface, made.layer, made.splits, made.swaps, np.concatenate(lowered))
    return cells, made.given


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


def _patches(domain: Product) -> tuple[Patch, ...]:
    return tuple(Patch(face["id"], "wall") for face in domain.report["faces"])


def _zones(domain: Product) -> tuple[Zone, ...]:
    return tuple(Zone(z["name"], z["kind"]) for z in domain.report["zones"])


def _as_given(mesh: Mesh, points: NDArray[np.float64], given: NDArray[np.int32]) -> Mesh:
    """The mesh with the surface's points first, so that it can be held against the surface."""
    n = len(points)
    number = np.where(given >= 0, given, n + np.arange(len(given))).astype(np.int32)
    return replace(
        mesh,
        points=np.concatenate([points, mesh.points]),
        face_nodes=number[mesh.face_nodes],
    )


def _proved(
    cells: _Cells,
    given: NDArray[np.int32] | None,
    points: NDArray[np.float64],
    triangles: NDArray[np.int32],
    region: NDArray[np.int32],
    sides: NDArray[np.int32],
    back: NDArray[np.int32],
) -> tuple[Mesh, Measured, list[Finding]]:
    """The mesh cut open along its sheets, measured, and what is found in it; given (n,): the
    surface's node that each of its points is, if layers stand on the surface."""
    mesh, origin = cells.mesh, None
    on_sheet = cells.surface.of_patches(np.flatnonzero(back >= 0))
    if len(on_sheet.patch):
        mesh, origin = parted_along(mesh, on_sheet, back[on_sheet.patch])
    measured = measure(mesh)
    seen = mesh
    if given is not None:
        seen = _as_given(mesh, points, given if origin is None else given[origin])
        origin = None if origin is None else np.arange(len(seen.points))
    found = surface_findings(seen, points, triangles, region, sides[:, 0], origin, back)
    return mesh, measured, found + mesh_findings(mesh, measured) + _lowered(cells.lowered)


def _without(
    shells: list[Shell],
    wanted: list[Wanted],
    grown: list[Grown],
    places: list[list[float]],
    lowest: float,
) -> list[Grown]:
    """What grows if nothing does near some places."""
    tree = cKDTree(np.array(places))
    out = []
    for shell, want, have in zip(shells, wanted, grown, strict=True):
        near = tree.query(shell.points)[0] < _AVOIDED * edge_means(shell)
        highest = np.where(near, 0.0, have.height)
        out.append(
            grow(
                shell,
                want.first,
                want.growth,
                want.count,
                lowest=lowest,
                highest=highest,
                found=have.found,
            )
        )
    return out


def volume_step(
    settings: VolumeMesh,
    surface: Product,
    layers: Product,
    lowest: float,
    sizing: Product,
    domain: Product,
    progress: Progress,
) -> Product:
    """Fill what the layers leave of the surface with tetrahedra and prove the result. lowest: the
    share to which layers may be lowered."""
    a = surface.arrays
    points, triangles = np.ascontiguousarray(a["points"]), np.ascontiguousarray(a["triangles"])
    region = np.ascontiguousarray(a["region"])
    sides = sides_of(domain.report)
    # where the surface was mended it has a field of its own
    field = field_of(surface if "child" in a else sizing)

    def tell(share: float, doing: str) -> None:
        progress(0.9 * share, doing)

    back = back_faces(domain.report)
    avoided: list[list[float]] = []
    for _ in range(_TRIES):
        given = None
        if "row_of_face" in layers.arrays:
            cells, given = _filled_around(
                settings, surface, layers, lowest, field, domain, avoided, tell
            )
        else:
            cells = _filled(settings, surface, field, domain, tell)
        progress(0.92, "checking every cell")
        mesh, measured, found = _proved(cells, given, points, triangles, region, sides, back)
        errors = [f for f in found if f.level == "error"]
        places = [p for f in errors for p in f.places]
        if given is None or not places:
            break
        # better no layers there than no mesh
        avoided += places
    if errors:
        raise StepFailed(
            errors[0].code,
            "The filled mesh is not valid: " + " ".join(f.message for f in errors),
            places[:20],
        )
    unit = surface.report["unit"]
    zones = _zones(domain)
    total = report(mesh, found, measured)
    metrics = cell_metrics(mesh, measured)
    filled = {name: row["volume"] for name, row in total["zones"].items()}
    for zone, enclosed in zip(zones, surface.report["zone_volumes"], strict=True):
        if abs(filled[zone.name] - enclosed) > 1e-9 * enclosed and not cells.swaps:
            raise StepFailed("volume-mismatch", "The cells do not fill exactly the surface mesh.")
    data: VolumeReport = {
        "unit": unit,
        "cells": total["cells"],
        "points": total["points"],
        "cells_by_shape": total["cells_by_shape"],
        "faces": [face["id"] for face in domain.report["faces"]],
        "volume": sum(filled.values()),
        "zones": total["zones"],
        "quality": total["quality"],
        "histograms": histograms(metrics),
        "splits": cells.splits,
        "swaps": cells.swaps,
        "layer_cells": int((cells.layer > 0).sum()),
        "findings": total["findings"],
    }
    return Product(
        {
            **mesh_arrays(mesh),
            **({"layer": cells.layer} if given is not None else {}),
            "picture": _opened(mesh, measured),
            **{f"metric_{k}": v.astype(np.float32) for k, v in metrics.items()},
        },
        data,
    )


def volume_mesh(product: Product) -> Mesh:
    """The mesh of a volume product, its patches being the faces of the domain."""
    zones = tuple(Zone(name, z["kind"]) for name, z in product.report["zones"].items())
    patches = tuple(Patch(name, "wall") for name in product.report.get("faces", []))
    return stored_mesh(product.arrays, patches, zones, product.report["unit"])


def named_mesh(volume_product: Product, patches: Product) -> Mesh:
    """The volume mesh with the patches' names on its boundary."""
    mesh = volume_mesh(volume_product)
    of_face = patches.arrays["patch_of_face"].astype(np.int32)
    patch = np.where(mesh.patch >= 0, of_face[mesh.patch], -1).astype(np.int32)
    named = tuple(Patch(p["name"], p["kind"]) for p in patches.report["patches"])
    return with_patches(mesh, patch, named)


def _run(run: Run) -> Product:
    return volume_step(
        run.settings,
        run.product("surface"),
        run.product("layers"),
        run.settings_of("layers").lowest,
        run.product("sizing"),
        run.product("domain"),
        run.tell,
    )


def _cost(reports: Reports) -> Cost:
    sizing = reports.get("sizing")
    if not sizing:
        return Cost(25.0)
    expected = sizing["forecast"]
    in_layers = reports["layers"]["cells"] if "layers" in reports else 0
    return Cost(
        volume_seconds(expected["cells"]) + in_layers / _LAYER_CELLS_PER_SECOND,
        expected["memory"] + _BYTES_PER_LAYER_CELL * in_layers,
    )


STAGE = Stage(
    "volume",
    "Volume",
    VolumeMesh,
    VolumeReport,
    (
        Sentence(
            "Fill what the layers leave with tetrahedra, then raise the worst of them in {passes} "
            "passes until none has an angle under {target}."
        ),
    ),
    "Fill the volume",
    ("surface", "layers", "sizing"),
    run=_run,
    defaults=lambda reports, given: (
        {"passes": 12, "target": 25.0},
        {
            "passes": "Enough for ordinary parts.",
            "target": "Reached on ordinary parts; sharp corners may forbid it.",
        },
    ),
    cost=_cost,
    usual=lambda counts: volume_seconds(counts["cells"]),
    version=3,
)
