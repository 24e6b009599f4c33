"""A triangulated surface with named regions and feature curves: the reference for meshing."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.numeric.boxtree import BoxTree, box_tree

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]


@dataclass(frozen=True)
class Facets:
    """Triangles of one closed or open surface, oriented outward where it is closed.

    points (n, 3) in model units; triangles (m, 3); region (m,) number of the CAD face or facet
    region; curvature (n,) largest normal curvature in 1/unit, 0 where flat or unknown.
    """

    points: Floats
    triangles: Ints
    region: Ints
    curvature: Floats

    @cached_property
    def tree(self) -> BoxTree:
        """Over all triangles."""
        return box_tree(self.points, self.triangles)

    @cached_property
    def memo(self) -> dict[Any, Any]:
        """What others found out about these facets and may need again; kept with them."""
        return {}


@dataclass(frozen=True)
class Curves:
    """Feature curves as dense polylines over arc length.

    start (k + 1,) offsets into points (n, 3), arc (n,) and parameter (n,); ends (k, 2) node of the
    surface at each end; edge_nodes (e, 2), edge_curve (e,), edge_arc (e, 2): the surface's edges on
    curves, with the arc length at their nodes.
    """

    start: Ints
    points: Floats
    arc: Floats
    parameter: Floats
    ends: Ints
    edge_nodes: Ints
    edge_curve: Ints
    edge_arc: Floats
