"""What a flow carries through a face: a bounded value of second order, see `sweeps`."""

import numpy as np

from intaglio.flow.operators import Operators
from intaglio.flow.sweeps import bounded_shares
from intaglio.mesh.mesh import Floats


def shares_of(ops: Operators, values: Floats, slope: Floats, flux: Floats) -> Floats:
    """Share (i,) of the step along the flow that the value at each link is above the upwind one."""
    k = ops.volumes.links
    return np.asarray(bounded_shares(k.left, k.right, k.way, k.share, flux, values, slope))
