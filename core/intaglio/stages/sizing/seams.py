"""Which edges the sizes of a fluid walk over."""

import math

import numpy as np
from numpy.typing import NDArray

from intaglio.sizing.sources import LocalSizes, node_sizes
from intaglio.stages.sizing.settings import Sizing
from intaglio.triangles.facets import Curves, Facets
from intaglio.triangles.seams import Walked, faces_beside, seams, walked

Flags = NDArray[np.bool_]


def seams_of(
    settings: Sizing,
    facets: Facets,
    curves: Curves,
    local: LocalSizes,
    turn: NDArray[np.float64],
) -> Flags:
    """The curves (curves,) that are walked over where both faces are of one patch.

    turn (curves,): largest angle (rad) between the faces along each.
    """
    assert local.sides is not None
    label = np.unique(local.sides, axis=0, return_inverse=True)[1].ravel().astype(np.int32)
    angle = math.radians(settings.walk_over)
    out = seams(
        facets, curves, turn, label, angle, _sizes(settings, facets, local), _kept(curves, local)
    )
    beside = faces_beside(facets, curves)
    for c in local.seams - local.kept:
        one, other = beside[c]
        out[c] = one >= 0 and label[one] == label[other]
    return out


def walk(
    settings: Sizing, facets: Facets, curves: Curves, local: LocalSizes, seam: Flags
) -> Walked | None:
    """What is meshed where these seams (curves,) are walked over; None where no edge is."""
    angle = math.radians(settings.walk_over)
    if angle <= 0 and not seam.any():
        return None
    size = _sizes(settings, facets, local)
    return walked(facets, curves, seam, _kept(curves, local), angle, size)


def _sizes(settings: Sizing, facets: Facets, local: LocalSizes) -> NDArray[np.float64]:
    angle = math.radians(settings.angle)
    return node_sizes(facets, settings.smallest, settings.largest, angle, local.faces)


def _kept(curves: Curves, local: LocalSizes) -> Flags:
    return np.isin(np.arange(len(curves.ends)), list(local.kept))
