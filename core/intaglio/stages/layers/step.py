"""Growing layers from the walls, and telling where they stand."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.errors import SettingRejected
from intaglio.facets.facets import triangle_areas
from intaglio.findings import PLACES, Finding, two_digits
from intaglio.layers.core import Wanted
from intaglio.layers.directions import LEAST_SEEN
from intaglio.layers.grow import Grown, grow
from intaglio.layers.heights import last, total
from intaglio.layers.reach import edge_means
from intaglio.layers.shell import Shell
from intaglio.layers.sides import constraints
from intaglio.parts.model import Product
from intaglio.stages.domain.faces import back_faces, both_sides
from intaglio.stages.layers.report import LayerPatchRow, LayersReport
from intaglio.stages.layers.scopes import heights_of, row_of_faces, wanted_on
from intaglio.stages.layers.settings import LayerSettings
from intaglio.stages.layers.shells import grown_arrays, shells_of
from intaglio.stages.sizing.local_sizes import sides_of
from intaglio.stages.stage import Progress

# layers whose cells would take more memory than there is are refused
_MOST_CELLS = 60_000_000
# what stands on a triangle of the surface, as numbers from 0
COVER = ("unasked", "none", "some", "lowered", "full")
# heights lowered by more than this share are told
_LOWER = 0.05


def layers_step(
    settings: LayerSettings,
    surface: Product,
    domain: Product,
    patches: Product,
    progress: Progress,
) -> Product:
    """Grow the layers that are asked for; without any, nothing."""
    data: LayersReport = {
        "unit": domain.report["unit"],
        "cells": 0,
        "patches": [],
        "findings": [],
    }
    a = surface.arrays
    points, triangles = np.ascontiguousarray(a["points"]), np.ascontiguousarray(a["triangles"])
    region = np.ascontiguousarray(a["region"])
    cover = np.zeros(len(triangles), np.uint8)
    if not settings.layers:
        return Product(_shown(points, triangles, region, cover, domain), data)
    row_of, found = row_of_faces(settings.layers, domain.report, patches.report)
    kinds = [zone["kind"] for zone in domain.report["zones"]]
    shells, rows, places, _ = shells_of(
        points, triangles, region, sides_of(domain.report), row_of, kinds
    )
    most = max((row["count"] for row in settings.layers), default=0)
    if most * len(triangles) > _MOST_CELLS:
        raise SettingRejected(
            "layers.layers",
            f"{most} layers on {len(triangles):,} triangles are more cells than fit in memory. "
            f"At most {_MOST_CELLS // len(triangles)} fit.",
        )
    grown: list[Grown] = []
    wanted: list[Wanted] = []
    for z, (shell, row) in enumerate(zip(shells, rows, strict=True)):

        def tell(share: float, doing: str, z: int = z) -> None:
            progress((z + share) / len(shells), doing)

        want = wanted_on(shell, row, settings.layers, domain.report["unit"])
        grown.append(grow(shell, want.first, want.growth, want.count, tell, settings.lowest))
        wanted.append(want)
    told = grown_rows(settings.layers, row_of, shells, grown, patches)
    data["patches"] = told
    data["cells"] = sum(
        int(have.columns.count[shell.triangles[shell.grown]].max(axis=1).sum())
        for shell, have in zip(shells, grown, strict=True)
    )
    found += _left_out(row_of, domain.report)
    for shell, have in zip(shells, grown, strict=True):
        found += _short(shell, have, domain.report["unit"])
    data["findings"] = [f.as_dict() for f in found]
    for shell, have, at in zip(shells, grown, places, strict=True):
        cover[at[shell.grown]] = _cover(shell, have)[shell.grown]
    arrays = {**grown_arrays(grown, wanted), "row_of_face": row_of}
    return Product(arrays | _shown(points, triangles, region, cover, domain), data)


def _shown(
    points: NDArray[np.float64],
    triangles: NDArray[np.int32],
    region: NDArray[np.int32],
    cover: NDArray[np.uint8],
    domain: Product,
) -> dict[str, NDArray[Any]]:
    """What the screen shows: the surface, sheets with both sides, and what stands on it."""
    triangles, region, of = both_sides(triangles, region, back_faces(domain.report))
    return {
        "display_points": points.astype(np.float32),
        "display_triangles": triangles,
        "display_region": region,
        "display_cover": cover[of],
    }


def _cover(shell: Shell, have: Grown) -> NDArray[np.uint8]:
    """What stands over each triangle (m,) of a shell, by COVER."""
    share, lowered = _covered(shell, have)
    out = np.full(len(share), COVER.index("some"), np.uint8)
    out[have.columns.count[shell.triangles].max(axis=1) == 0] = COVER.index("none")
    out[share >= 1] = COVER.index("lowered")
    out[(share >= 1) & (lowered >= 1 - _LOWER)] = COVER.index("full")
    return out


def _covered(shell: Shell, have: Grown) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Share (m,) of the layers asked for that stand over each triangle, and the height they are
    lowered to (m,)."""
    tri = shell.triangles
    share = have.columns.count / np.maximum(have.wanted, 1)
    return share[tri].min(axis=1), have.lowered[tri].min(axis=1)


def grown_rows(
    rows: list[dict[str, Any]],
    row_of: NDArray[np.int32],
    shells: list[Shell],
    grown: list[Grown],
    patches: Product,
) -> list[LayerPatchRow]:
    """What grew from each patch on which a row of layers is in force, by row_of (faces,)."""
    out: list[LayerPatchRow] = []
    patch_of = patches.arrays["patch_of_face"]
    for p, patch in enumerate(patches.report["patches"]):
        own_rows = np.unique(row_of[np.flatnonzero(patch_of == p)])
        if not len(own_rows) or own_rows[0] < 0:
            continue
        row = rows[int(own_rows[0])]
        area = full = none = low = 0.0
        edges: list[NDArray[np.float64]] = []
        for shell, have in zip(shells, grown, strict=True):
            on = shell.grown & (patch_of[shell.region] == p)
            if not on.any():
                continue
            size = triangle_areas(shell.points, shell.triangles[on])
            share, lowered = (v[on] for v in _covered(shell, have))
            some = have.columns.count[shell.triangles[on]].max(axis=1) > 0
            area += float(size.sum())
            full += float(size[share >= 1].sum())
            none += float(size[~some].sum())
            low += float(size[(share >= 1) & (lowered < 1 - _LOWER)].sum())
            edges.append(edge_means(shell)[np.unique(shell.triangles[on])])
        if not area:
            continue
        edge = float(np.median(np.concatenate(edges)))
        asked = heights_of(row, edge, patches.report["unit"])
        out.append(
            {
                "name": patch["name"],
                "area": area,
                "full": full / area,
                "some": 1.0 - (full + none) / area,
                "none": none / area,
                "lowered": low / area,
                "count": row["count"],
                "growth": row["growth"],
                "first": asked.first,
                "total": total(asked),
                "last": last(asked),
                "edge": edge,
            }
        )
    return out


def _left_out(row_of: NDArray[np.int32], domain: Mapping[str, Any]) -> list[Finding]:
    """Walls that grow none as yet: those with a zone on both sides, and those of solids."""
    sides = sides_of(domain)
    kinds = np.array([zone["kind"] for zone in domain["zones"]] + [""])
    asked = row_of >= 0
    both = np.asarray((sides >= 0).all(axis=1))
    solid = np.asarray(((kinds[sides] == "solid") | (sides < 0)).all(axis=1)) & ~both
    faces = domain["faces"]
    out = []
    for which, code, words in (
        (both, "layers-shared", "Walls with a zone on both sides grow no layers in this version."),
        (solid, "layers-solid", "Walls of solids grow no layers."),
    ):
        found = np.flatnonzero(asked & which)
        if len(found):
            out.append(
                Finding(
                    code,
                    "caution" if code == "layers-shared" else "note",
                    words,
                    len(found),
                    [faces[k]["at"] for k in found[:PLACES]],
                    "Name only the patches that layers are meant for.",
                    faces=[faces[k]["id"] for k in found],
                )
            )
    return out


def _short(shell: Shell, have: Grown, unit: str) -> list[Finding]:
    """Where layers are missing or end early, by cause."""
    number, asked = have.columns.count, have.wanted
    missing = (number < asked) & shell.walls
    if not missing.any():
        return []
    held = constraints(shell).blocked & missing
    sharp = missing & ~held & (have.found.seen < LEAST_SEEN)
    from_held = _near(shell, held | sharp, missing)
    narrow = missing & ~held & ~sharp & ~from_held
    out = []
    for which, code, words, advice in (
        (
            held,
            "layers-blocked",
            "Layers end before faces that are not plane, or before corners of several faces.",
            "Give the face beside it layers too, or make it plane in Geometry.",
        ),
        (
            sharp,
            "layers-sharp",
            "No direction sees all faces of an edge well enough for layers to grow from it.",
            "Round the edge in Geometry, or leave its patch without layers.",
        ),
        (
            narrow,
            "layers-short",
            "Layers end early where there is no room for all of them.",
            "Lower their height there, or use shorter edges, by a row of its own for the patch.",
        ),
    ):
        nodes = np.flatnonzero(which)
        if not len(nodes):
            continue
        size, measure = 0.0, ""
        left = float(have.height[nodes].min())
        if code == "layers-short" and left > 0:
            size, measure = two_digits(left), f"{unit} is left of their height at the least"
        out.append(
            Finding(
                code,
                "caution" if code != "layers-short" else "note",
                words,
                len(nodes),
                shell.points[nodes[:: max(1, len(nodes) // PLACES)][:PLACES]].tolist(),
                advice,
                size,
                measure,
            )
        )
    return out


def _near(shell: Shell, seeds: NDArray[np.bool_], among: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Nodes among some that hang together with seeds through edges between them."""
    edges = shell.wall_edges
    edges = edges[among[edges].all(axis=1)]
    out = seeds.copy()
    while True:
        before = out.sum()
        out[edges[out[edges[:, 0]], 1]] = True
        out[edges[out[edges[:, 1]], 0]] = True
        if out.sum() == before:
            return out
