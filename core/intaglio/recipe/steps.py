"""The steps: pure functions from settings and input products to one product and its report."""

import io
import json
import math
import zipfile
from collections.abc import Callable, Mapping
from dataclasses import asdict, dataclass
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import numpy as np
import yaml
from numpy.typing import NDArray
from OCP.BRepAdaptor import BRepAdaptor_Surface

from intaglio.cad import domain as fluid_domain
from intaglio.cad.part import Part, area, bounds, centroid, from_bytes, to_bytes, volume
from intaglio.cad.step import is_sound, read_step
from intaglio.cad.surface_mesh import mesh_surface
from intaglio.cad.tessellation import DENSE, tessellate
from intaglio.case.case import case_document, inlets
from intaglio.case.case import findings as case_findings
from intaglio.errors import SettingRejected, StepFailed
from intaglio.facets.facets import Curves, Facets, edge_uses, enclosed_volume, open_edges
from intaglio.facets.intersections import crossing_triangles
from intaglio.formats.cgns import cgns_bytes
from intaglio.formats.stl import patch_files
from intaglio.formats.vtu import vtu_bytes
from intaglio.mesh.mesh import Mesh, Patch, tet_mesh
from intaglio.mesh.quality import cell_metrics, summary, tet_volumes, triangle_angles
from intaglio.mesh.report import histograms, mesh_findings, patch_rows, report
from intaglio.mesh.slices import outer_faces
from intaglio.mesh.validity import Finding
from intaglio.recipe.naming import resolve
from intaglio.recipe.picture import edge_segments, picture
from intaglio.recipe.readme import export_readme
from intaglio.recipe.stages import Case, Domain, Patches, Sizing, SurfaceMesh, VolumeMesh
from intaglio.sizing.forecast import forecast
from intaglio.sizing.octree import SizeField, sizes
from intaglio.sizing.sources import surface_field
from intaglio.volume.fill import fill

Progress = Callable[[float, str], None]
Arrays = dict[str, NDArray[Any]]

# a run that would need more memory than this is refused, with the sizes that would fit
MEMORY_LIMIT = 12e9


@dataclass(frozen=True)
class Product:
    """What a step made: arrays, and a report of plain data."""

    arrays: Arrays
    report: dict[str, Any]


@dataclass(frozen=True)
class Source:
    """The file that a study began with."""

    name: str
    data: bytes


def _bytes(array: NDArray[Any]) -> bytes:
    return array.astype(np.uint8).tobytes()


def _display(part: Part) -> Arrays:
    """Facets and feature curves for the screen, fine enough to look round."""
    low, high = bounds(part.shape)
    scale = float(np.linalg.norm(high - low))
    facets, curves = tessellate(part, 4e-4 * scale, 0.2)
    pairs = []
    for c in range(len(curves.ends)):
        # the nodes of the tessellation, so that lines lie on the facets' own edges
        line = curves.points[curves.start[c] : curves.start[c + 1] : DENSE]
        pairs.append(np.stack([line[:-1], line[1:]], axis=1))
    lines = np.concatenate(pairs) if pairs else np.zeros((0, 2, 3))
    drawn = picture(facets.points, facets.triangles, lines, np.zeros((0, 2, 3)))
    return {
        "display_points": facets.points.astype(np.float32),
        "display_triangles": facets.triangles,
        "display_region": facets.region,
        "display_lines": lines.astype(np.float32),
        "picture": np.frombuffer(drawn, np.uint8),
    }


def _rounded(values: NDArray[np.float64] | list[float], scale: float) -> list[float]:
    """Coordinates without the last digits' noise."""
    digits = 9 - max(-6, math.floor(math.log10(scale))) if scale > 0 else 9
    return [round(float(v), digits) + 0.0 for v in values]


def geometry_step(source: Source, progress: Progress) -> Product:
    """Read and measure the part; list its openings and closed spaces."""
    progress(0.0, "reading the file")
    with TemporaryDirectory() as folder:
        path = Path(folder) / "part.step"
        path.write_bytes(source.data)
        part = read_step(path, source.name)
    progress(0.3, "measuring")
    low, high = bounds(part.shape)
    scale = float(np.linalg.norm(high - low))
    found = []
    if not is_sound(part.shape):
        found.append(
            Finding(
                "unsound",
                "caution",
                "The CAD kernel finds faults in the part: edges or faces that do not fit exactly.",
                advice="Meshing may fail there; exporting the part again often helps.",
            )
        )
    faces = [
        {
            "id": f"face_{k + 1}",
            "surface": _surface_word(part, k),
            "area": area(f),
            "centre": _rounded(centroid(f), scale),
        }
        for k, f in enumerate(part.faces)
    ]
    progress(0.5, "looking for openings")
    openings = fluid_domain.openings(part)
    spaces = fluid_domain.spaces(part, openings) if openings or len(part.faces) > 1 else []
    largest = max(part.solids, key=volume)
    inside = fluid_domain.any_inside(largest, 1e-7 * scale)
    progress(0.8, "preparing the picture")
    body = [
        {
            "name": part.body_names[k] if k < len(part.body_names) else f"body_{k + 1}",
            "volume": volume(s),
            "faces": len(Part(s, part.unit).faces),
        }
        for k, s in enumerate(part.solids)
    ]
    data = {
        "file": source.name,
        "unit": part.unit,
        "low": _rounded(low, scale),
        "high": _rounded(high, scale),
        "size": _rounded(high - low, scale * 1e3),
        "volume": volume(part.shape),
        "area": area(part.shape),
        "bodies": body,
        "faces": faces,
        "openings": [
            {**asdict(o), "centre": _rounded(list(o.centre), scale), "edges": list(o.edges)}
            for o in openings
        ],
        "spaces": [
            {"openings": list(s.openings), "volume": s.volume, "pin": _rounded(list(s.pin), scale)}
            for s in spaces
        ],
        "inside": _rounded(inside if inside is not None else (low + high) / 2, scale),
        "findings": [f.as_dict() for f in found],
    }
    arrays = {"brep": np.frombuffer(to_bytes(part), np.uint8), **_display(part)}
    return Product(arrays, data)


def _surface_word(part: Part, face: int) -> str:
    """plane, cylinder, cone, sphere, torus, or other."""
    word = BRepAdaptor_Surface(part.faces[face]).GetType().name.split("_")[-1].lower()
    return word if word in ("plane", "cylinder", "cone", "sphere", "torus") else "other"


def _part(product: Product) -> Part:
    return from_bytes(_bytes(product.arrays["brep"]), product.report["unit"])


def domain_step(settings: Domain, geometry: Product, progress: Progress) -> Product:
    """Extract the fluid body and describe its faces."""
    part = _part(geometry)
    progress(0.1, "finding the space at the pin")
    if settings.where == "as-is":
        fluid = fluid_domain.fluid_as_is(part)
    else:
        openings = fluid_domain.openings(part)
        known = {o.name for o in openings}
        unknown = [name for name in settings.closed if name not in known]
        if unknown:
            raise SettingRejected(
                "domain.closed", f"The part has no opening called {', '.join(unknown)}."
            )
        pin = (settings.pin[0], settings.pin[1], settings.pin[2])
        fluid = fluid_domain.fluid_inside(part, openings, settings.closed, pin)
    progress(0.6, "describing the fluid")
    body = fluid.part
    low, high = bounds(body.shape)
    scale = float(np.linalg.norm(high - low))
    display = _display(body)
    faces = []
    used: dict[str, int] = {}
    for k, (kind, name) in enumerate(fluid.source):
        identity = name if kind == "opening" else f"face_{name}"
        used[identity] = used.get(identity, 0) + 1
        if used[identity] > 1:
            identity = f"{identity}_{used[identity]}"
        row = {
            "id": identity,
            "opening": kind == "opening",
            "surface": _surface_word(body, k),
            "area": area(body.faces[k]),
            "centre": _rounded(centroid(body.faces[k]), scale),
            "normal": [0.0, 0.0, 0.0],
            "at_end": False,
        }
        if row["surface"] == "plane":
            normal = fluid_domain.plane_normal(body.faces[k])
            row["normal"] = _rounded(normal, 1.0)
            heights = display["display_points"].astype(float) @ normal
            level = float(np.dot(centroid(body.faces[k]), normal))
            row["at_end"] = bool(heights.max() < level + 1e-5 * scale)
        faces.append(row)
    facets, _ = tessellate(body, 1e-3 * scale, 0.3)
    curved = facets.curvature[facets.curvature > 1e-9 / scale]
    data = {
        "unit": body.unit,
        "low": _rounded(low, scale),
        "high": _rounded(high, scale),
        "size": _rounded(high - low, scale * 1e3),
        "volume": volume(body.shape),
        "area": area(body.shape),
        "pin": list(fluid.pin),
        "faces": faces,
        "smallest_radius": float(1 / np.percentile(curved, 98)) if len(curved) else None,
        "findings": [],
    }
    return Product({"brep": np.frombuffer(to_bytes(body), np.uint8), **display}, data)


def patches_step(settings: Patches, domain: Product, progress: Progress) -> Product:
    """Settle which face belongs to which patch; broken rules are findings of level error."""
    faces = domain.report["faces"]
    members, found = resolve(settings.patches, [f["id"] for f in faces])
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


def _fluid_facets(domain: Product, settings: Sizing) -> tuple[Part, Facets, Curves]:
    part = _part(domain)
    low, high = bounds(part.shape)
    scale = float(np.linalg.norm(high - low))
    linear = max(min(0.02 * settings.smallest, 2e-3 * scale), 2e-6 * scale)
    facets, curves = tessellate(part, linear, min(math.radians(settings.angle) / 2, 0.2))
    return part, facets, curves


def sizing_step(settings: Sizing, domain: Product, progress: Progress) -> Product:
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
    gaps = open_edges(facets.triangles)
    if len(gaps):
        raise StepFailed(
            "open-surface",
            f"The fluid's surface has {len(gaps)} free edges; the CAD part is not closed there.",
            facets.points[gaps].mean(axis=1)[:20].tolist(),
        )
    field = surface_field(
        facets,
        curves,
        settings.smallest,
        settings.largest,
        math.radians(settings.angle),
        settings.growth,
        settings.gap_cells,
    )
    progress(0.7, "forecasting")
    expected = forecast(facets, field)
    if expected.memory > MEMORY_LIMIT:
        _refuse(settings, domain, expected.cells)
    wall = sizes(field, facets.points)
    data = {
        "unit": domain.report["unit"],
        "edge": summary(wall),
        "forecast": asdict(expected),
        "findings": [],
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
    fit = settings.largest * (cells * 900 / MEMORY_LIMIT) ** (1 / 3) * 1.1
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
    progress: Progress,
) -> Product:
    """Mesh the fluid's surface; refuse one that is open or meets itself."""
    part, facets, curves = _fluid_facets(domain, sizing_settings)
    field = field_of(sizing)
    surface = mesh_surface(
        part,
        facets,
        curves,
        field,
        lambda share: progress(0.9 * share, "splitting, swapping, smoothing"),
        settings.passes,
    )
    progress(0.92, "checking")
    gaps = open_edges(surface.triangles)
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
    enclosed = enclosed_volume(surface.points, surface.triangles)
    data = {
        "unit": domain.report["unit"],
        "triangles": len(surface.triangles),
        "points": len(surface.points),
        "volume": enclosed,
        "volume_error": enclosed / domain.report["volume"] - 1.0,
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


def _opened(points: NDArray[np.float64], tets: NDArray[np.int32]) -> NDArray[np.uint8]:
    """Picture of the cells behind a plane through their middle, so that the inside shows."""
    middle = points[tets].mean(axis=1)
    volumes = tet_volumes(points, tets)
    across = float((middle[:, 1] * volumes).sum() / volumes.sum())
    faces, _ = outer_faces(tets, np.flatnonzero(middle[:, 1] > across))
    return _mesh_picture(points, faces, np.zeros((0, 2, 3)))


def volume_step(
    settings: VolumeMesh, surface: Product, sizing: Product, progress: Progress
) -> Product:
    """Fill the surface with tetrahedra and prove the result."""
    a = surface.arrays
    points, triangles = np.ascontiguousarray(a["points"]), np.ascontiguousarray(a["triangles"])
    region = np.ascontiguousarray(a["region"])
    filling = fill(
        points,
        triangles,
        region,
        field_of(sizing),
        lambda share, doing: progress(0.9 * share, doing),
        max_cells=int(MEMORY_LIMIT / 600),
        improve_passes=settings.passes,
    )
    progress(0.92, "checking every cell")
    regions = int(region.max()) + 1
    unit = surface.report["unit"]
    mesh = tet_mesh(
        filling.points,
        filling.tets,
        filling.triangles,
        region[filling.origin],
        tuple(Patch(f"face_{k}", "wall") for k in range(regions)),
        unit=unit,
    )
    found = mesh_findings(mesh)
    errors = [f for f in found if f.level == "error"]
    if errors:
        raise StepFailed(
            errors[0].code,
            "The filled mesh is not valid: " + " ".join(f.message for f in errors),
            [p for f in errors for p in f.places][:20],
        )
    enclosed = surface.report["volume"]
    total = report(mesh, found)
    if abs(total["zones"]["fluid"]["volume"] - enclosed) > 1e-9 * enclosed and not filling.swaps:
        raise StepFailed("volume-mismatch", "The cells do not fill exactly the surface mesh.")
    data = {
        "unit": unit,
        "cells": total["cells"],
        "points": total["points"],
        "volume": total["zones"]["fluid"]["volume"],
        "quality": total["quality"],
        "histograms": histograms(mesh),
        "splits": filling.splits,
        "swaps": filling.swaps,
        "findings": total["findings"],
    }
    metrics = {f"metric_{k}": v.astype(np.float32) for k, v in cell_metrics(mesh).items()}
    return Product(
        {
            "points": filling.points,
            "tets": filling.tets,
            "triangles": filling.triangles,
            "region": region[filling.origin],
            "picture": _opened(filling.points, filling.tets),
            **metrics,
        },
        data,
    )


def named_mesh(volume_product: Product, patches: Product) -> Mesh:
    """The volume mesh with the patches' names on its boundary."""
    a = volume_product.arrays
    return tet_mesh(
        np.ascontiguousarray(a["points"]),
        np.ascontiguousarray(a["tets"]),
        np.ascontiguousarray(a["triangles"]),
        patches.arrays["patch_of_face"][a["region"]],
        tuple(Patch(p["name"], p["kind"]) for p in patches.report["patches"]),
        unit=volume_product.report["unit"],
    )


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
    found = mesh_findings(mesh) + case_findings([r for r in rows if r["triangles"]])
    for row in rows:
        if not row["triangles"]:
            found.append(
                Finding("empty-patch", "caution", f"Patch {row['name']} has no faces in the mesh.")
            )
    values = asdict(settings)
    document = case_document(mesh, rows, values, name)
    full = report(mesh, found, steps)
    if not full["valid"]:
        raise StepFailed("invalid", "The mesh is not valid: " + " ".join(f.message for f in found))
    progress(0.3, "writing mesh.cgns")
    files: dict[str, bytes] = {"mesh.cgns": cgns_bytes(mesh)}
    progress(0.5, "writing mesh.vtu")
    files["mesh.vtu"] = vtu_bytes(mesh, cell_metrics(mesh))
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
