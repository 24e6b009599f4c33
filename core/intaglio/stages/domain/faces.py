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
