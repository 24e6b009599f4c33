"""The triangles of a variant's surface mesh with one of their metrics."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request

from intaglio.quality.catalogue import Metric
from intaglio.quality.triangles import SURFACE_METRICS
from intaglio.quality.worst import WorstCell
from intaglio.quality.worst_triangles import described_triangles, triangle_metric
from studies.api.held import product_arrays, shown_product
from studies.api.variants import surface_stage
from studies.models import Variant


@dataclass(frozen=True)
class SurfaceTriangles:
    """Points (n, 3), triangles (m, 3), the face (m,) of each and its value (m,) of a metric; the
    names of the faces, and the product's key."""

    key: str
    metric: Metric
    points: NDArray[np.float64]
    triangles: NDArray[np.int32]
    region: NDArray[np.int32]
    value: NDArray[np.float64]
    faces: list[str]

    def described(self, chosen: NDArray[np.int64], names: list[str]) -> list[WorstCell]:
        """What is told of each of the triangles chosen (k,); names of the faces."""
        value = self.value[chosen]
        return described_triangles(self.points, self.triangles, self.region, chosen, value, names)

    def drawn(self, chosen: NDArray[np.int64]) -> dict[str, NDArray[Any]]:
        """Triangles (k,) as the model view draws cells."""
        used, local = np.unique(self.triangles[chosen], return_inverse=True)
        return {
            "points": self.points[used].astype(np.float32),
            "triangles": local.reshape(-1, 3).astype(np.int32),
            "sides": np.full(len(chosen), 7, np.uint8),
            "value": self.value[chosen].astype(np.float32),
            "cell": chosen.astype(np.int32),
        }


def surface_shown(request: Request, variant: Variant) -> SurfaceTriangles:
    """The surface mesh that a variant shows, with the metric that a request names. Raises Http404,
    Conflict, ValidationError."""
    key = shown_product(variant, surface_stage(variant))
    arrays, _ = product_arrays(key)
    asked = request.query_params.get("metric", SURFACE_METRICS[0].key)
    metric = triangle_metric(asked)
    if metric is None or metric.key not in arrays:
        raise ValidationError({"detail": f"This surface has no metric called {asked}."})
    _, domain = product_arrays(shown_product(variant, "domain"))
    return SurfaceTriangles(
        key,
        metric,
        arrays["points"],
        arrays["triangles"],
        arrays["region"],
        arrays[metric.key].astype(np.float64),
        [face["id"] for face in domain["faces"]],
    )
