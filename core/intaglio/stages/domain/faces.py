"""The rows of a domain's faces: those of the model, then the other sides of its sheets."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray


def own_face(domain: Mapping[str, Any]) -> NDArray[np.int64]:
    """The model's face (rows,) that each row of a domain's report tells of."""
    return np.array([row.get("back_of", k) for k, row in enumerate(domain["faces"])], np.int64)


def back_faces(domain: Mapping[str, Any]) -> NDArray[np.int32]:
    """The row (rows,) that tells of the other side of each row's face, -1 where there is none."""
    out = np.full(len(domain["faces"]), -1, np.int32)
    for k, row in enumerate(domain["faces"]):
        if "back_of" in row:
            out[row["back_of"]] = k
    return out


def both_sides(
    triangles: NDArray[np.int32], region: NDArray[np.int32], back: NDArray[np.int32]
) -> tuple[NDArray[np.int32], NDArray[np.int32], NDArray[np.int64]]:
    """Triangles (m, 3) and their region (m,) for drawing, those of sheets there for each side: the
    copies are turned and have the region that tells of the other side. Last, the triangle (k,) that
    each comes from. back (rows,): as `back_faces` gives it."""
    again = np.flatnonzero(back[region] >= 0)
    return (
        np.concatenate([triangles, triangles[again][:, ::-1]]),
        np.concatenate([region, back[region[again]]]),
        np.concatenate([np.arange(len(triangles)), again]),
    )
