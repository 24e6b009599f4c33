"""What the sizes of a fluid follow from, and how many cells they make."""

import math

import numpy as np

from intaglio.parts.kinds import kind_of
from intaglio.sizing.aiming import USUAL_ANGLE, counted_scales, gap_cells_for, lengths_met
from intaglio.stages.domain.fluid import Fluid
from intaglio.stages.domain.report import AimRow

# as fine as what the screen shows
_SHARE = 0.02


def aim(fluid: Fluid, volume: float, radius: float | None) -> AimRow:
    """Lengths that the flow meets, and cells forecast at a few scales of them.

    A face of the enclosure tells a body in a stream; then the faces of no role are the body's.
    """
    kind = kind_of(fluid.model)
    facets, curves = kind.meshing_input(
        fluid.model, _SHARE * kind.scale(fluid.model), float(USUAL_ANGLE)
    )
    sides = np.full((len(fluid.ids), 2), -1, np.int32)
    for k, own in enumerate(fluid.sides):
        sides[k, : len(own[:2])] = own[:2]
    around = "far" in fluid.roles
    body = np.array([around and role in ("", "sheet") for role in fluid.roles], bool)
    lengths = lengths_met(facets, sides[facets.region], body[facets.region], radius)
    turn = kind.turns(fluid.model, facets, curves)
    gaps = gap_cells_for(volume, kind.area(fluid.model))
    rows = counted_scales(facets, curves, sides, body, lengths, volume, gaps, turn)
    return {
        "largest": lengths.largest,
        "wall": lengths.wall,
        "fine": lengths.fine if math.isfinite(lengths.fine) else 0.0,
        "feature": lengths.feature,
        "why": lengths.why,
        "scales": [[scale, cells] for scale, cells in rows],
    }
