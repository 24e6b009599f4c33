"""Where the nodes of a counted edge stand: uniform, or clustered to either or both ends."""

import numpy as np
from numpy.typing import NDArray

# ways of spacing, and what they are called
CLUSTERS = {
    "uniform": "evenly",
    "first": "closer at the first end",
    "last": "closer at the last end",
    "both": "closer at both ends",
}


def positions(length: float, count: int, cluster: str, ratio: float) -> NDArray[np.float64]:
    """Arc lengths (count + 1,) from 0 to `length` of `count` edges in geometric progression.

    ratio: longest edge over the shortest, which lies at the end that `cluster` names.
    """
    step = np.ones(count)
    if cluster in ("first", "last") and count > 1:
        step = ratio ** (np.arange(count) / (count - 1))
        if cluster == "last":
            step = step[::-1]
    elif cluster == "both" and count > 2:
        rank = np.minimum(np.arange(count), np.arange(count)[::-1])
        step = ratio ** (rank / rank.max())
    at = np.concatenate([[0.0], np.cumsum(step)])
    return at * (length / at[-1])
