"""Growing layers from the walls, and telling where they stand."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.errors import SettingRejected
from intaglio.findings import PLACES, Finding
from intaglio.layers.core import Wanted
from intaglio.layers.grow import Grown, grow
from intaglio.layers.heights import last, total
from intaglio.layers.reach import edge_means
from intaglio.layers.shell import Shell
from intaglio.parts.model import Product
from intaglio.stages.domain.faces import back_faces, both_sides
from intaglio.stages.layers.missing import nowhere_findings, short_findings, step_findings
from intaglio.stages.layers.report import LayerPatchRow, LayersReport
from intaglio.stages.layers.scopes import growing_sides, heights_of, row_of_faces, wanted_on
from intaglio.stages.layers.settings import LayerSettings
from intaglio.stages.layers.shells import grown_arrays, shells_of
from intaglio.stages.patches.made import patch_of_face
from intaglio.stages.sizing.local_sizes import sides_of
from intaglio.stages.stage import Progress
from intaglio.stages.surface.made import surface_made
from intaglio.triangles.measures import triangle_areas

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
    unit = domain.report["unit"]
    given = surface_made(surface)
    points, triangles, region = given.points, given.triangles, given.region
    seen = _Seen.of(len(triangles))
    if not settings.layers:
        return Product(_shown(points, triangles, region, seen, domain), data)
    row_of = row_of_faces(settings.layers, domain.report, patches.report)
    kinds = [zone["kind"] for zone in domain.report["zones"]]
    sides = sides_of(domain.report)
    grows = growing_sides(settings.layers, row_of, sides, kinds)
    shells, rows = shells_of(
        points, triangles, region, sides, back_faces(domain.report), row_of, grows
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

        want = wanted_on(shell, row, settings.layers, unit, settings.onward)
        grown.append(grow(shell, want.first, want.growth, want.count, tell, settings.lowest))
        wanted.append(want)
    told = grown_rows(settings.layers, row_of, shells, grown, patches)
    data["patches"] = told
    data["cells"] = sum(
        int(have.columns.count[shell.triangles[shell.grown]].max(axis=1).sum())
        for shell, have in zip(shells, grown, strict=True)
    )
    found = nowhere_findings(told, grows.any())
    found += _left_out(row_of, grows, domain.report)
    found += short_findings(shells, grown, rows, settings.layers, unit)
    found += step_findings(shells, grown, unit)
    data["findings"] = [f.as_dict() for f in found]
    for z, (shell, have, want) in enumerate(zip(shells, grown, wanted, strict=True)):
        own = shell.grown
        at = np.where(shell.front, 0, 1)[own], shell.place[own]
        seen.cover[at] = _cover(shell, have)[own]
        seen.zone[at] = z
        seen.corners[at] = shell.triangles[own]
        first = np.where(have.columns.count > 0, want.first * have.thinned, 0.0)
        seen.first[at] = first[shell.triangles[own]].mean(axis=1)
    arrays = {**grown_arrays(grown, wanted), "row_of_face": row_of, "grows": grows}
    return Product(arrays | _shown(points, triangles, region, seen, domain), data)


@dataclass(frozen=True)
class _Seen:
    """What is seen of the layers behind and before each triangle of the surface: cover (2, m), zone
    (2, m) they stand in, -1 for none, corners (2, m, 3) as nodes of its shell, first (2, m): mean
    height of the first layer."""

    cover: NDArray[np.uint8]
    zone: NDArray[np.int32]
    corners: NDArray[np.int32]
    first: NDArray[np.float32]

    @classmethod
    def of(cls, count: int) -> "_Seen":
        return cls(
            np.zeros((2, count), np.uint8),
            np.full((2, count), -1, np.int32),
            np.zeros((2, count, 3), np.int32),
            np.zeros((2, count), np.float32),
        )


def _shown(
    points: NDArray[np.float64],
    triangles: NDArray[np.int32],
    region: NDArray[np.int32],
    seen: _Seen,
    domain: Product,
) -> dict[str, NDArray[Any]]:
    """What the screen shows: the surface, sheets with both sides, and what stands on it; between
    zones on the side that has less of what it asks."""
    back = back_faces(domain.report)
    m = len(triangles)
    sheet = back[region] >= 0
    asked = np.where(seen.cover > 0, seen.cover, len(COVER))
    side = np.where(sheet, 0, asked.argmin(axis=0))
    triangles, region, of = both_sides(triangles, region, back)
    at = np.concatenate([side, np.ones(len(of) - m, np.int64)]), of
    return {
        "display_points": points.astype(np.float32),
        "display_triangles": triangles,
        "display_region": region,
        "display_cover": seen.cover[at],
        "display_zone": seen.zone[at],
        "display_corners": seen.corners[at],
        "display_first": seen.first[at],
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
    patch_of = patch_of_face(patches)
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
                "faces": list(patch["faces"]),
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


def _left_out(
    row_of: NDArray[np.int32], grows: NDArray[np.bool_], domain: Mapping[str, Any]
) -> list[Finding]:
    """Walls of solids that rows name and that grow none, as nothing flows there."""
    faces = domain["faces"]
    found = np.flatnonzero((row_of >= 0) & ~grows.any(axis=1))
    if not len(found):
        return []
    return [
        Finding(
            "layers-solid",
            "note",
            "Walls of solids grow no layers, as nothing flows there.",
            len(found),
            [faces[k]["at"] for k in found[:PLACES]],
            "Name only the patches that layers are meant for, or let them grow in solids too.",
            faces=[faces[k]["id"] for k in found],
        )
    ]
