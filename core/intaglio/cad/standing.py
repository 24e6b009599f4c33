"""Sheets of CAD that stand beside solids: walls drawn without a thickness."""

import numpy as np
from OCP.TopAbs import TopAbs_ShapeEnum

from intaglio.cad.measures import once
from intaglio.cad.part import Part
from intaglio.cad.tessellation import as_shown
from intaglio.cad.topology import edge_uses, explore, free_uses
from intaglio.facets.part import FacetPart, kept
from intaglio.facets.plates import is_sheet


def standing_sheets(part: Part) -> list[int]:
    """Numbers of the bodies that are sheets with free edges, where there is a solid."""
    if not part.solids:
        return []
    return once("standing sheets", part.shape, lambda: _found(part), turned=True)


def _found(part: Part) -> list[int]:
    open_bodies = {u.body for u in free_uses(edge_uses(part))}
    out = []
    for k, shape in enumerate(part.bodies):
        if k not in open_bodies or shape.ShapeType() == TopAbs_ShapeEnum.TopAbs_SOLID:
            continue
        facets = _facets_of(part, k)
        if len(facets.triangles) and is_sheet(facets):
            out.append(k)
    return out


def _facets_of(part: Part, number: int) -> FacetPart:
    """One of the bodies as facets, as the screen shows it."""
    facets, _ = as_shown(part, [])
    own = [
        part.face_map.FindIndex(f) - 1
        for f in explore(part.bodies[number], TopAbs_ShapeEnum.TopAbs_FACE)
    ]
    whole = FacetPart(
        facets.points,
        facets.triangles,
        facets.region,
        np.zeros(len(facets.triangles), np.int32),
        ("",) * len(part.faces),
        ("",),
        part.unit,
    )
    return kept(whole, np.isin(facets.region, own))
