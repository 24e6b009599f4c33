"""What a file of triangles holds, whatever its format."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class TriangleFile:
    """Triangles as they stand in a file, before anything is welded.

    points (n, 3); triangles (m, 3); group (m,) index into names; problems: what is wrong with the
    file itself, as (code, words), with what could still be read.
    """

    points: NDArray[np.float64]
    triangles: NDArray[np.int32]
    group: NDArray[np.int32]
    names: tuple[str, ...]
    problems: tuple[tuple[str, str], ...] = ()


def without_nonsense(
    points: NDArray[np.float64],
    triangles: NDArray[np.int32],
    group: NDArray[np.int32],
    names: tuple[str, ...],
    problems: list[tuple[str, str]],
) -> TriangleFile:
    """Drop triangles that name points that are not there or have no finite position."""
    wild = np.asarray(((triangles < 0) | (triangles >= len(points))).any(axis=1), bool)
    if wild.any():
        problems.append(
            ("unknown-points", f"{int(wild.sum()):,} triangles name points that are not there.")
        )
        triangles, group = triangles[~wild], group[~wild]
    finite = np.asarray((np.isfinite(points) & (np.abs(points) < 1e150)).all(axis=1), bool)
    if not finite.all():
        keep = finite[triangles].all(axis=1)
        if not keep.all():
            problems.append(
                (
                    "not-finite",
                    f"{int((~keep).sum()):,} triangles have corners without a finite position.",
                )
            )
        triangles, group = triangles[keep], group[keep]
        points = np.where(finite[:, None], points, 0.0)
    return TriangleFile(
        np.ascontiguousarray(points, np.float64),
        np.ascontiguousarray(triangles, np.int32),
        np.ascontiguousarray(group, np.int32),
        names,
        tuple(problems),
    )
