"""Temperatures that cannot be: beyond all that are given, where nothing else warms or cools.

No exact solution has them (the maximum principle); a mesh whose cells lean far makes some.
"""

import numpy as np

from intaglio.flow.heat import HeatProblem, Warmth, given_range
from intaglio.proof.fields import ZERO

# of the range of what is given: beyond it so far is told
_TOLD = 0.01


def beyond_given(problem: HeatProblem, warmth: Warmth) -> str | None:
    """How many temperatures lie beyond, and how far, in a sentence, if any do."""
    bounds = given_range(problem, warmth)
    if bounds is None:
        return None
    least, most = bounds
    off = np.maximum(warmth.temperature - most, least - warmth.temperature)
    # a region that nothing warms has its material's temperature
    off[np.abs(warmth.temperature - problem.usual) < 1e-3] = 0.0
    count = int((off > max(_TOLD * (most - least), 1e-3)).sum())
    if not count:
        return None
    lie = "one lies" if count == 1 else f"{count:,} lie"
    return (
        f"Of {len(off):,} temperatures {lie} beyond the {least - ZERO:.4g} to {most - ZERO:.4g} °C "
        f"that are given, by {off.max():.3g} K at most: the mesh, or a flow not settled."
    )
