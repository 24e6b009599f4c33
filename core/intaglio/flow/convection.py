"""What a flow carries through a face: a bounded value of second order."""

import numpy as np

from intaglio.flow.operators import Operators
from intaglio.mesh.mesh import Floats


def bounded_share(ops: Operators, values: Floats, slope: Floats, flux: Floats) -> Floats:
    """Share (i,) of the step along the flow that the value at each link is above the upwind one: as
    linear between the cells, limited where the slopes before and behind differ by more than twice
    or in sign (P. K. Sweby, SIAM J. Numer. Anal. 21 (1984) 995: within the region of second order),
    with the ratio of slopes on irregular meshes of M. Darwish and F. Moukalled, Int. J. Heat Mass
    Transfer 46 (2003) 599."""
    k = ops.volumes.links
    forth = flux >= 0.0
    up, down = np.where(forth, k.left, k.right), np.where(forth, k.right, k.left)
    way = np.where(forth, 1.0, -1.0)[:, None] * k.way
    share = np.where(forth, k.share, 1.0 - k.share)
    step = values[down] - values[up]
    ahead = 2.0 * (slope[up] * way).sum(axis=1) - step
    # a large step over a small slope before it is cut, whichever sign both have
    ratio = np.divide(2.0 * ahead, step, out=np.zeros_like(step), where=step != 0.0)
    return share * np.clip(ratio, 0.0, 1.0)


def beyond_upwind(ops: Operators, values: Floats, flux: Floats, share: Floats) -> Floats:
    """What the value at each link (i,) is above the upwind one, for such shares."""
    step = values[ops.volumes.links.right] - values[ops.volumes.links.left]
    return np.where(flux >= 0.0, step, -step) * share
