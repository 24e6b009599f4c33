"""Meshing the surface of the fluid, again with shorter edges where it does not hold."""

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from intaglio.errors import SettingRejected, StepFailed
from intaglio.findings import PLACES, Finding, offer, two_digits
from intaglio.numeric.boxtree import box_tree, distances
from intaglio.numeric.intersections import crossing_pairs
from intaglio.parts.kind import Model
from intaglio.parts.kinds import kind_of
from intaglio.parts.model import Product, model_of
from intaglio.parts.picture import edge_segments, picture
from intaglio.quality.statistics import histogram, spread
from intaglio.quality.triangles import (
    SURFACE_METRICS,
    mean_edge,
    triangle_angles,
    triangle_aspect,
)
from intaglio.quality.worst_triangles import triangle_tails
from intaglio.remeshing.remesh import RemeshedSurface
from intaglio.remeshing.surface_mesh import mesh_surface
from intaglio.sizing.forecast import Forecast, forecast
from intaglio.sizing.octree import SizeField, sizes
from intaglio.sizing.regions import Region
from intaglio.stages.domain.faces import back_faces
from intaglio.stages.patches.made import patch_of_face
from intaglio.stages.sizing.local_sizes import resolved
from intaglio.stages.sizing.made import field_arrays, field_of
from intaglio.stages.sizing.seams import walk
from intaglio.stages.sizing.settings import Sizing
from intaglio.stages.sizing.step import fluid_facets, laid_out
from intaglio.stages.stage import Progress
from intaglio.stages.surface.mending import (
    Faults,
    as_row,
    faults,
    flattened,
    lowered,
    regions_around,
)
from intaglio.stages.surface.report import SurfaceReport
from intaglio.stages.surface.settings import SurfaceMesh
from intaglio.triangles.closure import edge_keys, edge_uses, unclosed_edges, zone_surfaces
from intaglio.triangles.facets import Facets
from intaglio.triangles.measures import enclosed_volume

# a surface is meshed so often at most
_ROUNDS = 5
# ... and only while it asks for no more triangles and cells than these times the first one: for
# angles and distances, and for triangles that cross, without which there is no mesh at all
_MORE = 1.25
_MUCH_MORE = 4.0
# so many more triangles, and ten times as many cells, cost nothing
_FEW = 3000


@dataclass(frozen=True)
class Held:
    """A surface mesh, what is still wrong with it, and the sizes that it was made with."""

    surface: RemeshedSurface
    faults: Faults
    field: SizeField
    regions: tuple[Region, ...]


def surface_step(
    settings: SurfaceMesh,
    sizing_settings: Sizing,
    domain: Product,
    sizing: Product,
    patches: Product,
    progress: Progress,
) -> Product:
    """Mesh the fluid's surface; refuse one that is open or meets itself."""
    model = model_of(domain)
    facets, curves = fluid_facets(model, sizing_settings)
    local, _ = resolved(sizing_settings, domain.report, patches.report, facets, curves)
    assert local.sides is not None
    # a seam between patches has a meaning
    seam = sizing.arrays["seam"].astype(bool)
    seam[np.flatnonzero(seam)[parted(sizing.report["seams"], patch_of_face(patches))]] = False
    walked = walk(sizing_settings, facets, curves, local, seam)

    def meshed(field: SizeField, tell: Progress) -> RemeshedSurface:
        return mesh_surface(
            facets,
            curves,
            field,
            lambda share: tell(share, "splitting, swapping, smoothing"),
            settings.passes,
            local.counted,
            walked,
            partial(kind_of(model).settled, model, curves),
        )

    def sized(regions: tuple[Region, ...]) -> SizeField:
        more = replace(local, regions=local.regions + regions)
        return laid_out(sizing_settings, facets, curves, more, walked)

    floor = settings.mend * sizing_settings.smallest
    number = 1 + sum(r.name.startswith("mended_") for r in local.regions)
    names = [face["id"] for face in domain.report["faces"]]

    def look_at_geometry() -> None:
        _refuse_crossing_geometry(model, sizing_settings, names)

    rounds, held = _until_it_holds(
        facets,
        local.sides[facets.region],
        field_of(sizing),
        meshed,
        sized,
        floor,
        number,
        look_at_geometry,
        progress,
    )
    needles = None
    if len(held.faults.crossing):
        progress(0.93, "flattening needles")
        needles = flattened(held.surface, held.faults.crossing)
    if needles is not None:
        held = replace(held, surface=needles[0], faults=faults(needles[0], facets))
    surface, field = held.surface, held.field
    progress(0.95, "checking")
    sides = local.sides[surface.region]
    gaps = unclosed_edges(surface.triangles, sides)
    if len(gaps):
        raise StepFailed(
            "open-surface",
            f"The surface mesh has {len(gaps)} free edges.",
            surface.points[gaps].mean(axis=1)[:PLACES].tolist(),
        )
    if rounds == 1 and len(held.faults.crossing):
        look_at_geometry()
    _refuse_crossing(held, floor if rounds > 1 else 0.0, domain.report["unit"])
    angles = triangle_angles(surface.points, surface.triangles)
    measured = {
        "smallest_angle": angles.min(axis=1),
        "largest_angle": angles.max(axis=1),
        "aspect_ratio": triangle_aspect(surface.points, surface.triangles),
        "edge_ratio": _edge_ratio(surface.points, surface.triangles, field),
        "deviation": _deviation(surface.points, surface.triangles, facets),
    }
    found = _findings(held, domain.report["unit"])
    if needles is not None:
        found.append(_flattened_finding(surface.points[needles[1]]))
    enclosed = [
        enclosed_volume(surface.points, own) for own in zone_surfaces(surface.triangles, sides)
    ]
    data: SurfaceReport = {
        "unit": domain.report["unit"],
        "triangles": len(surface.triangles),
        "points": len(surface.points),
        "volume": sum(enclosed),
        "zone_volumes": enclosed,
        "volume_error": sum(enclosed) / domain.report["volume"] - 1.0,
        "quality": {key: spread(own) for key, own in measured.items()},
        "histograms": {
            metric.key: histogram(measured[metric.key], metric) for metric in SURFACE_METRICS
        },
        "worst": triangle_tails(surface.points, surface.triangles, measured),
        "rounds": rounds,
        "mended": len(held.regions),
        "findings": [f.as_dict() for f in found],
    }
    arrays = {
        "points": surface.points,
        "triangles": surface.triangles,
        "region": surface.region,
        **{key: own.astype(np.float32) for key, own in measured.items()},
        "picture": _mesh_picture(surface.points, surface.triangles, surface.points[surface.edges]),
    }
    back = back_faces(domain.report)
    if (back >= 0).any():
        arrays["back"] = back
    return Product(arrays | (field_arrays(field) if held.regions else {}), data)


def _edge_ratio(
    points: NDArray[np.float64], triangles: NDArray[np.int32], field: SizeField
) -> NDArray[np.float64]:
    """Of each triangle's edges (m,) the largest length over what the field asks for."""
    pairs, _, _ = edge_uses(triangles)
    length = np.linalg.norm(points[pairs[:, 0]] - points[pairs[:, 1]], axis=1)
    ratio = length / sizes(field, points[pairs].mean(axis=1))
    sides = edge_keys(triangles[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2))
    of_side = np.searchsorted(edge_keys(pairs), sides)
    out: NDArray[np.float64] = ratio[of_side].reshape(-1, 3).max(axis=1)
    return out


def _deviation(
    points: NDArray[np.float64], triangles: NDArray[np.int32], facets: Facets
) -> NDArray[np.float64]:
    """Distance (m,) of each triangle's middle from the geometry's facets over its mean edge."""
    middle = points[triangles].mean(axis=1)
    away = distances(box_tree(facets.points, facets.triangles), middle)
    return away / mean_edge(points, triangles)


def _until_it_holds(
    facets: Facets,
    sides: NDArray[np.int32],
    field: SizeField,
    meshed: Callable[[SizeField, Progress], RemeshedSurface],
    sized: Callable[[tuple[Region, ...]], SizeField],
    floor: float,
    number: int,
    look_at_geometry: Callable[[], None],
    progress: Progress,
) -> tuple[int, Held]:
    """The rounds it took, and the best surface: meshed again with shorter edges where it fails.

    sides (m, 2): zones of the facets; number: of the first region that lowers edges;
    look_at_geometry: raises StepFailed if the geometry crosses itself, called where shorter edges
    have not helped.
    """
    regions: tuple[Region, ...] = ()
    best: Held | None = None
    first: Forecast | None = None
    for k in range(_ROUNDS):
        start, share = 1.0 - 0.5**k, 0.5 ** (k + 1)

        def tell(done: float, doing: str, start: float = start, share: float = share) -> None:
            progress(0.95 * (start + share * done), doing)

        surface = meshed(field, tell)
        held = Held(surface, faults(surface, facets), field, regions)
        if k == 1 and len(held.faults.crossing):
            look_at_geometry()
        better = best is None or held.faults.weight < best.faults.weight
        if better:
            best = held
        elif not len(held.faults.crossing) and not len(held.faults.folded):
            # shorter edges help no further
            break
        if floor <= 0 or not len(held.faults.triangles()):
            break
        first = first or forecast(facets, field, sides)
        finer = None
        # all places together if that costs little, else those alone without which there is no mesh
        for rows, room in ((held.faults.triangles(), _MORE), (held.faults.severe(), _MUCH_MORE)):
            spot, around, wanted = lowered(surface, rows, field, floor)
            if len(spot):
                more = (*regions, *regions_around(spot, around, wanted, number + len(regions)))
                finer = _affordable(sized, more, facets, sides, first, room)
            if finer is not None:
                break
        if finer is None:
            break
        regions, field = more, finer
    assert best is not None
    return k + 1, best


def _affordable(
    sized: Callable[[tuple[Region, ...]], SizeField],
    regions: tuple[Region, ...],
    facets: Facets,
    sides: NDArray[np.int32],
    first: Forecast,
    room: float,
) -> SizeField | None:
    """The size field with these regions, if it asks for no more than `room` times the first."""
    try:
        field = sized(regions)
    except SettingRejected:
        # the sizes alone would fill the memory
        return None
    asked = forecast(facets, field, sides)
    too_many = asked.triangles > room * first.triangles + _FEW
    return None if too_many or asked.cells > room * first.cells + 10 * _FEW else field


# the geometry is looked at through facets finer than those that are meshed by this
_FINER = 4.0


def _refuse_crossing_geometry(model: Model, sizing: Sizing, names: list[str]) -> None:
    """Where the geometry crosses itself no edges are short enough: say which faces do."""
    angle = math.radians(sizing.angle) / _FINER
    facets, _ = kind_of(model).meshing_input(model, sizing.smallest / _FINER, angle)
    pairs = crossing_pairs(facets.points, facets.triangles)
    if not len(pairs):
        return
    faces = np.unique(np.sort(facets.region[pairs], axis=1), axis=0)
    told = [names[a] if a == b else f"{names[a]} and {names[b]}" for a, b in faces[:5].tolist()]
    more = f" and {len(faces) - 5} more pairs" if len(faces) > 5 else ""
    rows = pairs[:: max(1, len(pairs) // PLACES), 0][:PLACES]
    raise StepFailed(
        "geometry-crosses",
        f"The geometry crosses itself ({'; '.join(told)}{more}), so that no mesh can follow it. "
        "Rebuild these faces in the CAD program, or cut away in Geometry what overlaps.",
        facets.points[facets.triangles[rows]].mean(axis=1).tolist(),
    )


def _refuse_crossing(held: Held, tried: float, unit: str) -> None:
    """tried: the shortest edges that were tried, 0 for none."""
    crossing = held.faults.crossing
    if not len(crossing):
        return
    centre = held.surface.points[held.surface.triangles[crossing]].mean(axis=1)
    told = f" Edges down to {two_digits(tried):g} {unit} were tried." if tried else ""
    raise StepFailed(
        "surface-crosses",
        f"{len(crossing)} triangles of the surface mesh cross others: walls lie closer together "
        f"than the edges are long.{told} Lower the smallest edge, or raise the cells across "
        "a gap.",
        centre[:PLACES].tolist(),
    )


def _findings(held: Held, unit: str) -> list[Finding]:
    surface, out = held.surface, []
    if held.regions:
        finest = min(r.size for r in held.regions)
        out.append(
            Finding(
                "mended",
                "note",
                "The edges were lowered where the surface did not hold.",
                len(held.regions),
                [r.start.tolist() for r in held.regions if r.start is not None][:PLACES],
                "Keep these sizes, and the next surface holds at once.",
                finest,
                f"{unit}, the shortest edge asked for there",
                repairs=[
                    offer("Keep these sizes", "keep_sizes", rows=[as_row(r) for r in held.regions])
                ],
            )
        )
    angles = triangle_angles(surface.points, surface.triangles).min(axis=1)
    thin = np.flatnonzero(angles < 10)
    if len(thin):
        out.append(
            Finding(
                "thin-triangles",
                "caution",
                "Triangles with an angle under 10°.",
                len(thin),
                surface.points[surface.triangles[thin[:PLACES]]].mean(axis=1).tolist(),
                "The geometry has a sliver or a sharp tip there, or the edges are too long for it.",
            )
        )
    off = held.faults.off
    if len(off):
        out.append(
            Finding(
                "off-geometry",
                "caution",
                "Triangles stand off the geometry by much of their length.",
                len(off),
                surface.points[surface.triangles[off[:PLACES]]].mean(axis=1).tolist(),
                "Lower the smallest edge, or give this place a size of its own.",
            )
        )
    return out


def _flattened_finding(spots: NDArray[np.float64]) -> Finding:
    return Finding(
        "flattened",
        "caution",
        "Nodes were taken off the geometry, which is narrower there than the edges.",
        len(spots),
        spots[:PLACES].tolist(),
        "Look at these places: a needle or a fold of the geometry is left out. Repair it in "
        "Geometry, or lower the smallest edge if it matters.",
    )


def _mesh_picture(
    points: NDArray[np.float64], triangles: NDArray[np.int32], strong: NDArray[np.float64]
) -> NDArray[np.uint8]:
    return np.frombuffer(
        picture(points, triangles, strong, edge_segments(points, triangles)), np.uint8
    )


def parted(pairs: list[list[int]], patch_of_face: NDArray[np.int32]) -> NDArray[np.int64]:
    """Those of some seams, by their faces (k, 2), whose faces are of two patches."""
    own = patch_of_face[np.array(pairs, np.int64).reshape(-1, 2)]
    return np.flatnonzero(own[:, 0] != own[:, 1])
