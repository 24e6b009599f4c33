"""Reading a finished mesh, and describing its boundary as if it were a fluid taken from a part."""

import tempfile
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from intaglio.errors import FileRejected
from intaglio.facets.features import split_by_angle
from intaglio.facets.part import FacetPart, free_name
from intaglio.findings import Finding
from intaglio.formats.registry import MESH_BY_SUFFIX, read_mesh
from intaglio.mesh.building import with_patches
from intaglio.mesh.mesh import Mesh, Patch, Zone, fan, rows
from intaglio.mesh.soundness import unsound
from intaglio.mesh.storing import mesh_arrays, stored_mesh
from intaglio.parts.kinds import FACETS
from intaglio.parts.model import Product, display, face_rows
from intaglio.parts.source import Source, plain_name
from intaglio.quality.cells import measure_cells
from intaglio.quality.report import read_otherwise
from intaglio.stages.domain.report import DomainReport
from intaglio.stages.stage import Progress, Report

# patches are cut apart at edges sharper than this, in degrees, into so many faces at most
SHARP = 40.0
MOST_FACES = 2_000


def is_finished(name: str) -> bool:
    """Whether a file of this name holds a finished mesh."""
    return Path(name).suffix.lower() in MESH_BY_SUFFIX


def mesh_of_source(source: Source) -> Mesh:
    """The mesh of a file that was brought. Raises FileRejected."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"mesh{Path(source.name).suffix.lower()}"
        path.write_bytes(source.data)
        try:
            return read_mesh(path)
        except FileRejected as problem:
            # by the name that the analyst knows
            words = str(problem).replace(str(path), source.name).replace(path.name, source.name)
            raise FileRejected(problem.code, words) from problem


def reading_step(source: Source, progress: Progress) -> Product:
    """The mesh, its boundary as facets, and a row for each of its patches."""
    progress(0.1, f"reading {source.name}")
    mesh = mesh_of_source(source)
    progress(0.6, "drawing its boundary")
    broken = unsound(mesh)
    if broken:
        raise FileRejected(broken[0].code, f"{source.name}: {broken[0].message}")
    if not (mesh.patch >= 0).any():
        raise FileRejected(
            "no-boundary",
            f"{source.name} has cells, and not one face on their boundary. The file may be "
            "damaged. Write it again from the program that made the mesh.",
        )
    return _described(mesh, *_in_faces(mesh))


def _in_faces(mesh: Mesh) -> tuple[Mesh, FacetPart, list[int]]:
    """The mesh with its patches cut apart at sharp edges, so that they can be named anew; its
    boundary as facets, a region for each; and the file's patch that each is of."""
    part = _boundary(mesh)
    whole = list(range(len(mesh.patches)))
    cut = split_by_angle(part, SHARP)
    if len(cut.region_names) > MOST_FACES:
        return mesh, part, whole
    own = np.flatnonzero(mesh.patch >= 0)
    polygon = fan(*rows(mesh.face_start, mesh.face_nodes, own))[1]
    of = np.zeros(len(cut.region_names), np.int64)
    of[cut.region] = part.region
    # in the order of the file's patches
    order = np.argsort(of, kind="stable")
    place = np.empty(len(order), np.int32)
    place[order] = np.arange(len(order))
    names = tuple(cut.region_names[k] for k in order)
    cut, of = replace(cut, region=place[cut.region], region_names=names), of[order]
    patch = mesh.patch.copy()
    # of a bent polygon its last triangle decides
    patch[own[polygon]] = cut.region
    kinds = tuple(Patch(n, mesh.patches[k].kind) for n, k in zip(cut.region_names, of, strict=True))
    return with_patches(mesh, patch, kinds), cut, of.tolist()


def _described(brought: Mesh, mesh: Mesh, part: FacetPart, of: list[int]) -> Product:
    low, high = mesh.points.min(axis=0), mesh.points.max(axis=0)
    scale = float(np.linalg.norm(high - low))
    view = FACETS.drawn(part)
    found = face_rows(part, view, scale, rough=True)
    for k, row in enumerate(found):
        own = np.flatnonzero(mesh.patch == k)
        zones = {int(z) for z in mesh.zone[mesh.owner[own]]}
        beyond = mesh.neighbour[own]
        zones |= {int(z) for z in mesh.zone[beyond[beyond >= 0]]}
        row["id"] = part.region_names[k]
        row["name"] = brought.patches[of[k]].name
        row["role"] = "interface" if (beyond >= 0).any() else ""
        row["opening"] = False
        row["zones"] = sorted(zones)
        row["kind"] = brought.patches[of[k]].kind
    volume = measure_cells(mesh).volume
    amounts = np.bincount(mesh.zone, volume, len(mesh.zones))
    data: DomainReport = {
        "unit": mesh.unit,
        "model": FACETS.names(part),
        "low": low.tolist(),
        "high": high.tolist(),
        "size": (high - low).tolist(),
        "volume": float(volume.sum()),
        "area": float(sum(row["area"] for row in found)),
        "pin": (0.5 * (low + high)).tolist(),
        "zones": [
            {"name": zone.name, "kind": zone.kind, "volume": float(amount)}
            for zone, amount in zip(mesh.zones, amounts, strict=True)
        ],
        "faces": found,
        "links": [],
        "cells": mesh.cells,
        "smallest_radius": None,
        "aim": {"largest": 0.0, "wall": 0.0, "fine": 0.0, "feature": 0.0, "why": "", "scales": []},
        "findings": [f.as_dict() for f in _told(brought)],
    }
    held = {f"mesh_{name}": array for name, array in mesh_arrays(mesh).items()}
    arrays = FACETS.stored(part) | display(view) | held
    return Product(arrays, data)


def _boundary(mesh: Mesh) -> FacetPart:
    """The faces on patches as facets, a region for each patch."""
    own = np.flatnonzero(mesh.patch >= 0)
    triangles, polygon = fan(*rows(mesh.face_start, mesh.face_nodes, own))
    used, local = np.unique(triangles, return_inverse=True)
    names: list[str] = []
    for patch in mesh.patches:
        names.append(free_name(plain_name(patch.name, "patch"), names))
    return FacetPart(
        mesh.points[used],
        local.reshape(-1, 3).astype(np.int32),
        mesh.patch[own][polygon].astype(np.int32),
        mesh.zone[mesh.owner[own]][polygon].astype(np.int32),
        tuple(names),
        tuple(plain_name(zone.name, "zone") for zone in mesh.zones),
        mesh.unit,
    )


def _told(mesh: Mesh) -> list[Finding]:
    """What one should know of how a file was read, and of its patches."""
    told = read_otherwise(mesh)
    empty = [p.name for k, p in enumerate(mesh.patches) if not (mesh.patch == k).any()]
    if empty:
        told.append(
            Finding("empty-patch", "note", f"Patches without any face: {', '.join(empty)}.")
        )
    return told


def read_product(product: Product) -> Mesh:
    """The mesh of a product of reading_step, its patches called as the report's faces are."""
    arrays = {
        name.removeprefix("mesh_"): array
        for name, array in product.arrays.items()
        if name.startswith("mesh_")
    }
    patches = tuple(Patch(face["id"], "wall") for face in product.report["faces"])
    zones = tuple(Zone(z["name"], z["kind"]) for z in product.report["zones"])
    return stored_mesh(arrays, patches, zones, product.report["unit"])


def own_patches(domain: Report) -> tuple[dict[str, Any], dict[str, str]]:
    """The patches as the file names them, with their kinds."""
    own: dict[str, dict[str, Any]] = {}
    names: list[str] = []
    for face in domain["faces"]:
        if face["name"] not in own:
            names.append(free_name(plain_name(face["name"], "patch"), names))
            own[face["name"]] = {"name": names[-1], "kind": face["kind"], "faces": []}
        own[face["name"]]["faces"].append(face["id"])
    return {"patches": list(own.values())}, {"patches": "Names and kinds are those of the file."}
