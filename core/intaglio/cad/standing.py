"""Sheets of CAD that stand beside solids: walls drawn without a thickness."""

import numpy as np
from OCP.TopAbs import TopAbs_ShapeEnum

from intaglio.cad.duplicates import body_of_face
from intaglio.cad.measures import once
from intaglio.cad.part import Part
from intaglio.cad.tessellation import as_shown
from intaglio.facets.part import FacetPart
from intaglio.facets.plates import standing_plates


def standing_sheets(part: Part) -> list[int]:
    """Numbers of the bodies that are sheets, where there is a solid; see `standing_plates`."""
    if not part.solids or len(part.bodies) == len(part.solids):
        return []
    return once("standing sheets", part.shape, lambda: _found(part), turned=True)


def _found(part: Part) -> list[int]:
    facets, _ = as_shown(part, [])
    bodies = body_of_face(part)
    body = np.array([bodies[k] for k in range(len(part.faces))], np.int32)[facets.region]
    names = ("",) * len(part.faces)
    whole = FacetPart(facets.points, facets.triangles, facets.region, body, names, ("",), part.unit)
    solid = {k: b.ShapeType() == TopAbs_ShapeEnum.TopAbs_SOLID for k, b in enumerate(part.bodies)}
    return standing_plates(whole, solid)
