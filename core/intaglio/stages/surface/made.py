"""What Surface made, and other stages may look at."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from intaglio.parts.model import Product
from intaglio.sizing.octree import SizeField
from intaglio.stages.sizing.made import field_of


@dataclass(frozen=True)
class SurfaceMade:
    """Triangles (m, 3) of points (n, 3) in `unit`, each with its face of the domain, region (m,);
    enclosed: the volume inside each zone, in the domain's order; mended: the size field that the
    surface follows where its own edges had to be shorter than was asked for, else None."""

    points: NDArray[np.float64]
    triangles: NDArray[np.int32]
    region: NDArray[np.int32]
    unit: str
    enclosed: tuple[float, ...]
    mended: SizeField | None

    def field(self, sizing: Product) -> SizeField:
        """The sizes that cells within the surface follow."""
        return field_of(sizing) if self.mended is None else self.mended


def surface_made(product: Product) -> SurfaceMade:
    """The view of a product of Surface."""
    a, report = product.arrays, product.report
    return SurfaceMade(
        np.ascontiguousarray(a["points"]),
        np.ascontiguousarray(a["triangles"]),
        np.ascontiguousarray(a["region"]),
        report["unit"],
        tuple(report["zone_volumes"]),
        field_of(product) if "child" in a else None,
    )
