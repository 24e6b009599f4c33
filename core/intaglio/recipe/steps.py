"""The steps after the domain: pure functions from settings and input products to one product and
its report."""

import io
import json
import math
import zipfile
from collections.abc import Callable, Mapping
from dataclasses import asdict
from typing import Any

import numpy as np
import yaml
from numpy.typing import NDArray

from intaglio.cad.part import Part, bounds
from intaglio.cad.surface_mesh import mesh_surface
from intaglio.cad.tessellation import tessellate
from intaglio.case.case import case_document, inlets
from intaglio.case.case import findings as case_findings
from intaglio.errors import SettingRejected, StepFailed
from intaglio.facets.facets import (
    Curves,
    Facets,
    edge_uses,
    enclosed_volume,
    unclosed_edges,
    zone_surfaces,
)
from intaglio.facets.features import meshing_input
from intaglio.facets.part import FacetPart
from intaglio.findings import Finding
from intaglio.formats.cgns import cgns_bytes
from intaglio.formats.stl import patch_files
from intaglio.formats.vtu import vtu_bytes
from intaglio.mesh.building import tet_mesh, with_patches
from intaglio.mesh.covering import surface_findings
from intaglio.mesh.mesh import Mesh, Patch, Zone, fan, polygon_edges
from intaglio.mesh.quality import Measured, cell_metrics, measure, summary, triangle_angles
from intaglio.mesh.report import histograms, mesh_findings, patch_rows, report
from intaglio.mesh.slices import outer_faces
from intaglio.mesh.storing import mesh_arrays, stored_mesh
from intaglio.numeric.intersections import crossing_triangles
from intaglio.recipe.local_sizes import check_counts, counted_points, resolved, sides_of
from intaglio.recipe.model import Product, model_of
from intaglio.recipe.naming import resolve
from intaglio.recipe.picture import edge_segments, picture
from intaglio.recipe.places import distances
from intaglio.recipe.readme import export_readme
from intaglio.recipe.settings import Case, Patches, Sizing, SurfaceMesh, VolumeMesh
from intaglio.sizing.forecast import BYTES_PER_CELL, forecast
from intaglio.sizing.octree import SizeField, sizes
from intaglio.sizing.sources import surface_field
from intaglio.volume.fill import fill

Progress = Callable[[float, str], None]

# a run that would need more memory than this is refused, with the sizes that would fit
MEMORY_LIMIT = 12e9


def patches_step(settings: Patches, domain: Product, progress: Progress) -> Product:
    """Settle which face belongs to which patch; broken rules are findings of level error."""
    faces = domain.report["faces"]

    def locate(spot: list[float]) -> NDArray[np.float64]:
        return distances(model_of(domain), np.array(spot))

    members, found = resolve(settings.patches, faces, scale_of_report(domain.report), locate)
    of_face = np.full(len(faces), -1, np.int32)
    rows = []
    for k, (row, numbers) in enumerate(zip(settings.patches, members, strict=True)):
        of_face[numbers] = k
        rows.append(
            {
                "name": row["name"],
                "kind": row["kind"],
                "faces": [faces[n]["id"] for n in numbers],
                "area": float(sum(faces[n]["area"] for n in numbers)),
            }
        )
    found += case_findings([r for r in rows if r["faces"]])
    return Product(
        {"patch_of_face": of_face},
        {"patches": rows, "unit": domain.report["unit"], "findings": [f.as_dict() for f in found]},
    )


def scale_of_report(report: Mapping[str, Any]) -> float:
    """Diagonal of the box of a model."""
    return float(np.linalg.norm(np.subtract(report["high"], report["low"])))


def _fluid_facets(domain: Product, settings: Sizing) -> tuple[Part | None, Facets, Curves]:
    """The fluid's part, if it is CAD, its facets and feature curves."""
    model = model_of(domain)
    if isinstance(model, FacetPart):
        facets, curves = meshing_input(model)
        return None, facets, curves
    part = model
    low, high = bounds(part.shape)
    scale = float(np.linalg.norm(high - low))
    linear = max(min(0.02 * settings.smallest, 2e-3 * scale), 2e-6 * scale)
    facets, curves = tessellate(part, linear, min(math.radians(settings.angle) / 2, 0.2))
    return part, facets, curves


def sizing_step(settings: Sizing, domain: Product, patches: Product, progress: Progress) -> Product:
    """Lay out the size field and forecast the counts."""
    low, high = np.array(domain.report["low"]), np.array(domain.report["high"])
    scale = float(np.linalg.norm(high - low))
    if settings.smallest < 1e-5 * scale:
        raise SettingRejected(
            "sizing.smallest",
            f"The smallest edge {settings.smallest:g} is under a hundred-thousandth of the model. "
            f"Use at least {1e-5 * scale:.2g}.",
        )
    rough = domain.report["volume"] / settings.largest**3 + domain.report["area"] / (
        settings.largest**2
    )
    if rough > 1e8:
        _refuse(settings, domain, rough * 7)
    progress(0.1, "laying out sizes")
    _, facets, curves = _fluid_facets(domain, settings)
    local, found = resolved(settings, domain.report, patches.report, facets, curves)
    assert local.sides is not None
    sides = local.sides[facets.region]
    gaps = unclosed_edges(facets.triangles, sides)
    if len(gaps):
        raise StepFailed(
            "open-surface",
            f"The fluid's surface has {len(gaps)} free edges; the geometry is not closed there.",
            facets.points[gaps].mean(axis=1)[:20].tolist(),
        )
    try:
        field = surface_field(
            facets,
            curves,
            settings.smallest,
            settings.largest,
            math.radians(settings.angle),
            settings.growth,
            settings.gap_cells,
            local,
        )
    except MemoryError as error:
        raise SettingRejected(
            "sizing.regions",
            f"Region {error} asks for so small edges that its sizes alone fill the memory. "
            "Raise its edge length.",
        ) from error
    check_counts(curves, local, field)
    progress(0.7, "forecasting")
    expected = forecast(facets, field, sides)
    if expected.memory > MEMORY_LIMIT:
        _refuse(settings, domain, expected.cells)
    wall = sizes(field, facets.points)
    data = {
        "unit": domain.report["unit"],
        "edge": summary(wall),
        "forecast": asdict(expected),
        "counted": counted_points(curves, local).tolist(),
        "findings": [f.as_dict() for f in found],
    }
    return Product(
        {
            "low": field.low,
            "side": np.array([field.side]),
            "child": field.child,
            "corner": field.corner,
            "value": field.value,
            "display_size": wall.astype(np.float32),
            "display_points": facets.points.astype(np.float32),
            "display_triangles": facets.triangles,
            "display_region": facets.region,
        },
        data,
    )


def _refuse(settings: Sizing, domain: Product, cells: float) -> None:
    fit = settings.largest * (cells * BYTES_PER_CELL / MEMORY_LIMIT) ** (1 / 3) * 1.1
    raise SettingRejected(
        "sizing.largest",
        f"These sizes ask for about {cells:,.0f} cells, more than fit in memory. "
        f"A largest edge of {fit:.2g} {domain.report['unit']} would fit.",
    )


def field_of(product: Product) -> SizeField:
    """The size field of a sizing product."""
    a = product.arrays
    return SizeField(
        np.ascontiguousarray(a["low"]),
        float(a["side"][0]),
        np.ascontiguousarray(a["child"]),
        np.ascontiguousarray(a["corner"]),
        np.ascontiguousarray(a["value"]),
    )


def surface_step(
    settings: SurfaceMesh,
    sizing_settings: Sizing,
    domain: Product,
    sizing: Product,
    patches: Product,
    progress: Progress,
) -> Product:
    """Mesh the fluid's surface; refuse one that is open or meets itself."""
    part, facets, curves = _fluid_facets(domain, sizing_settings)
    field = field_of(sizing)

    def shares(share: float) -> None:
        progress(0.9 * share, "splitting, swapping, smoothing")

    local, _ = resolved(sizing_settings, domain.report, patches.report, facets, curves)
    assert local.sides is not None
    # faces are one only within a patch and between the same zones
    label = np.unique(
        np.column_stack([local.sides, patches.arrays["patch_of_face"]]), axis=0, return_inverse=True
    )[1]
    surface = mesh_surface(
        part,
        facets,
        curves,
        field,
        shares,
        settings.passes,
        local.counted,
        label.ravel().astype(np.int32),
        math.radians(settings.walk_over),
    )
    progress(0.92, "checking")
    sides = local.sides[surface.region]
    gaps = unclosed_edges(surface.triangles, sides)
    if len(gaps):
        raise StepFailed(
            "open-surface",
            f"The surface mesh has {len(gaps)} free edges.",
            surface.points[gaps].mean(axis=1)[:20].tolist(),
        )
    crossing = crossing_triangles(surface.points, surface.triangles)
    if len(crossing):
        centre = surface.points[surface.triangles[crossing]].mean(axis=1)
        raise StepFailed(
            "surface-crosses",
            f"{len(crossing)} triangles of the surface mesh cross others: walls lie closer "
            "together than the edges are long. Lower the smallest edge, or raise the cells "
            "across a gap.",
            centre[:20].tolist(),
        )
    angles = triangle_angles(surface.points, surface.triangles)
    pairs, _, _ = edge_uses(surface.triangles)
    length = np.linalg.norm(surface.points[pairs[:, 0]] - surface.points[pairs[:, 1]], axis=1)
    wanted = sizes(field, surface.points[pairs].mean(axis=1))
    found = []
    thin = np.flatnonzero(angles.min(axis=1) < 10)
    if len(thin):
        found.append(
            Finding(
                "thin-triangles",
                "caution",
                "Triangles with an angle under 10°.",
                len(thin),
                surface.points[surface.triangles[thin[:20]]].mean(axis=1).tolist(),
                "The geometry has a sliver or a sharp tip there, or the edges are too long for it.",
            )
        )
    enclosed = [
        enclosed_volume(surface.points, own) for own in zone_surfaces(surface.triangles, sides)
    ]
    data = {
        "unit": domain.report["unit"],
        "triangles": len(surface.triangles),
        "points": len(surface.points),
        "volume": sum(enclosed),
        "zone_volumes": enclosed,
        "volume_error": sum(enclosed) / domain.report["volume"] - 1.0,
        "quality": {
            "smallest_angle": summary(angles.min(axis=1)),
            "largest_angle": summary(angles.max(axis=1)),
            "edge_ratio": summary(length / wanted),
        },
        "findings": [f.as_dict() for f in found],
    }
    return Product(
        {
            "points": surface.points,
            "triangles": surface.triangles,
            "region": surface.region,
            "angle": angles.min(axis=1).astype(np.float32),
            "picture": _mesh_picture(
                surface.points, surface.triangles, surface.points[surface.edges]
            ),
        },
        data,
    )


def _mesh_picture(
    points: NDArray[np.float64], triangles: NDArray[np.int32], strong: NDArray[np.float64]
) -> NDArray[np.uint8]:
    return np.frombuffer(
        picture(points, triangles, strong, edge_segments(points, triangles)), np.uint8
    )


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


def volume_step(
    settings: VolumeMesh, surface: Product, sizing: Product, domain: Product, progress: Progress
) -> Product:
    """Fill the surface with tetrahedra and prove the result."""
    a = surface.arrays
    points, triangles = np.ascontiguousarray(a["points"]), np.ascontiguousarray(a["triangles"])
    region = np.ascontiguousarray(a["region"])
    sides = sides_of(domain.report)
    filling = fill(
        points,
        triangles,
        region,
        field_of(sizing),
        lambda share, doing: progress(0.9 * share, doing),
        max_cells=int(MEMORY_LIMIT / BYTES_PER_CELL),
        improve_passes=settings.passes,
        target=settings.target,
        sides=sides[region],
    )
    progress(0.92, "checking every cell")
    unit = surface.report["unit"]
    zones = tuple(Zone(z["name"], z["kind"]) for z in domain.report["zones"])
    mesh = tet_mesh(
        filling.points,
        filling.tets,
        filling.triangles,
        region[filling.origin],
        tuple(Patch(face["id"], "wall") for face in domain.report["faces"]),
        filling.zone,
        zones,
        unit=unit,
    )
    measured = measure(mesh)
    found = surface_findings(mesh, points, triangles, region, sides[:, 0])
    found += mesh_findings(mesh, measured)
    errors = [f for f in found if f.level == "error"]
    if errors:
        raise StepFailed(
            errors[0].code,
            "The filled mesh is not valid: " + " ".join(f.message for f in errors),
            [p for f in errors for p in f.places][:20],
        )
    total = report(mesh, found, measured)
    metrics = cell_metrics(mesh, measured)
    filled = {name: row["volume"] for name, row in total["zones"].items()}
    for zone, enclosed in zip(zones, surface.report["zone_volumes"], strict=True):
        if abs(filled[zone.name] - enclosed) > 1e-9 * enclosed and not filling.swaps:
            raise StepFailed("volume-mismatch", "The cells do not fill exactly the surface mesh.")
    data = {
        "unit": unit,
        "cells": total["cells"],
        "points": total["points"],
        "cells_by_shape": total["cells_by_shape"],
        "faces": [face["id"] for face in domain.report["faces"]],
        "volume": sum(filled.values()),
        "zones": total["zones"],
        "quality": total["quality"],
        "histograms": histograms(metrics),
        "splits": filling.splits,
        "swaps": filling.swaps,
        "findings": total["findings"],
    }
    return Product(
        {
            **mesh_arrays(mesh),
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


def case_step(
    settings: Case,
    name: str,
    volume_product: Product,
    patches: Product,
    steps: list[dict[str, Any]],
    progress: Progress,
) -> Product:
    """Check mesh and case together and write every file of the export."""
    broken = [f for f in patches.report["findings"] if f["level"] == "error"]
    if broken:
        raise StepFailed(
            "patches",
            "The patches are not settled: " + " ".join(f["message"] for f in broken),
        )
    progress(0.05, "naming the boundary")
    mesh = named_mesh(volume_product, patches)
    rows = patch_rows(mesh)
    measured = measure(mesh)
    found = mesh_findings(mesh, measured) + case_findings([r for r in rows if r["faces"]])
    for row in rows:
        if not row["faces"]:
            found.append(
                Finding("empty-patch", "caution", f"Patch {row['name']} has no faces in the mesh.")
            )
    values = asdict(settings)
    document = case_document(mesh, rows, values, name)
    full = report(mesh, found, measured, steps)
    if not full["valid"]:
        raise StepFailed("invalid", "The mesh is not valid: " + " ".join(f.message for f in found))
    progress(0.3, "writing mesh.cgns")
    files: dict[str, bytes] = {"mesh.cgns": cgns_bytes(mesh)}
    progress(0.5, "writing mesh.vtu")
    files["mesh.vtu"] = vtu_bytes(mesh, cell_metrics(mesh, measured))
    progress(0.7, "writing patches")
    files |= patch_files(mesh)
    files["case.yaml"] = yaml.safe_dump(document, sort_keys=False, allow_unicode=True).encode()
    files["report.json"] = json.dumps(full, indent=1).encode()
    files["README.txt"] = export_readme(name, full, document).encode()
    progress(0.8, "packing")
    data = {
        "unit": mesh.unit,
        "cells": full["cells"],
        "patches": rows,
        "inlets": [
            asdict(i)
            for i in inlets(
                rows, mesh.unit, settings.density, settings.viscosity, settings.velocity
            )
        ],
        "valid": full["valid"],
        "files": {k: len(v) for k, v in files.items()},
        "findings": full["findings"],
    }
    return Product({"zip": np.frombuffer(zipped(files), np.uint8)}, data)


def zipped(files: Mapping[str, bytes]) -> bytes:
    """One zip file with these files, in a fixed order and with a fixed date."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
        for path, data in files.items():
            info = zipfile.ZipInfo(path, (2026, 1, 1, 0, 0, 0))
            info.compress_type = zipfile.ZIP_DEFLATED
            info.external_attr = 0o644 << 16
            archive.writestr(info, data)
    return out.getvalue()
