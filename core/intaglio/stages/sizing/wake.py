"""The wake of a body in a stream: a refinement region on offer."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.findings import Finding, offer
from intaglio.settings.blanks import significant
from intaglio.stages.sizing.local_sizes import body_faces
from intaglio.stages.sizing.settings import Sizing
from intaglio.triangles.facets import Facets

# the wake is refined from the body's middle to so many of its lengths behind it, by so much of its
# width on every side, with edges so many times those on its walls
_LENGTHS_BEHIND = 2.0
_ASIDE = 0.25
_COARSER = 2.0


def wake_offer(
    settings: Sizing, domain: Mapping[str, Any], along: str, facets: Facets
) -> list[Finding]:
    """A note that offers to refine the wake, where a body stands in a stream along ±x, ±y or ±z and
    no region is called wake yet."""
    own = body_faces(domain)[facets.region]
    if not own.any() or any(row["name"] == "wake" for row in settings.regions):
        return []
    body = facets.points[np.unique(facets.triangles[own])]
    low, high = behind(body, along, np.array(domain["low"]), np.array(domain["high"]))
    size = _COARSER * (settings.wall or settings.smallest)
    row = {
        "name": "wake",
        "shape": "box",
        "size": significant(min(size, settings.largest), 3),
        "easing": 0.0,
        "low": [significant(x, 4) for x in low],
        "high": [significant(x, 4) for x in high],
    }
    return [
        Finding(
            "wake",
            "note",
            "The wake behind the body has no edges of its own.",
            1,
            [(0.5 * (low + high)).tolist()],
            "Refine it where forces or the flow behind the body count.",
            float(row["size"]),  # type: ignore[arg-type]
            f"{domain['unit']}, edges twice as long as on the body's walls",
            repairs=[offer("Refine the wake", "keep_sizes", rows=[row])],
        )
    ]


def behind(
    body: NDArray[np.float64],
    along: str,
    least: NDArray[np.float64],
    most: NDArray[np.float64],
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Low and high corner of the wake of a body (n, 3), within the corners of the fluid."""
    low, high = body.min(axis=0), body.max(axis=0)
    axis, way = "xyz".index(along[1]), 1.0 if along[0] == "+" else -1.0
    middle, length = 0.5 * (low + high), high - low
    wide = _ASIDE * np.delete(length, axis).max()
    out = np.stack([low - wide, high + wide])
    end = (high if way > 0 else low)[axis] + way * _LENGTHS_BEHIND * length[axis]
    out[:, axis] = sorted([middle[axis], end])
    return np.maximum(out[0], least), np.minimum(out[1], most)
