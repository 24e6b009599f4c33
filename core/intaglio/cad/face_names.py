"""Names of faces, and the size that shares are taken of."""

from collections.abc import Iterable

import numpy as np

from intaglio.cad.measures import bounds
from intaglio.cad.part import Part


def face_id(number: int) -> str:
    return f"face_{number + 1}"


def face_ids(numbers: Iterable[int]) -> list[str]:
    return [face_id(int(n)) for n in list(numbers)[:200]]


def diagonal(part: Part) -> float:
    return float(np.linalg.norm(np.subtract(*bounds(part.shape))))
