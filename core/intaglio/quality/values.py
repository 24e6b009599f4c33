"""The value of any metric for every cell, computed when it is asked for."""

from collections.abc import Iterable
from functools import cached_property

import numpy as np

from intaglio.mesh.cells import POLYHEDRON
from intaglio.mesh.mesh import Floats, Mesh
from intaglio.mesh.validity import face_warp
from intaglio.quality import shapes
from intaglio.quality.catalogue import METRICS
from intaglio.quality.cells import Measured, measure
from intaglio.quality.faces import (
    FaceMeasures,
    face_orthogonality,
    measure_faces,
    worst_face_of_cells,
)

# metrics that only the standard shapes have, which have a regular cell
_OF_STANDARD = ("equiangle_skewness", "largest_dihedral")


class Values:
    """The metrics of one mesh. What several of them need is computed once, at first use. The edge
    length over the field is known only where asked (c,), what the field asks for at the centroids,
    is given, or size_ratio (c,) itself."""

    def __init__(
        self,
        mesh: Mesh,
        measured: Measured | None = None,
        asked: Floats | None = None,
        size_ratio: Floats | None = None,
    ) -> None:
        self.mesh = mesh
        self._asked = asked
        self._size_ratio = size_ratio
        if measured is not None:
            self.measured = measured

    @cached_property
    def measured(self) -> Measured:
        return measure(self.mesh)

    @cached_property
    def _shapes(self) -> Floats:
        return shapes.measure_shapes(self.mesh)

    @cached_property
    def _faces(self) -> FaceMeasures:
        return measure_faces(self.mesh, self.measured.centroid)

    @cached_property
    def _warp(self) -> Floats:
        if (np.diff(self.mesh.face_start) == 3).all():
            return np.zeros(self.mesh.faces)
        return face_warp(self.mesh)

    def known(self) -> list[str]:
        """Keys of the metrics that this mesh has, in the order of METRICS."""
        sized = self._asked is not None or self._size_ratio is not None
        return [m.key for m in METRICS if sized or m.key != "size_ratio"]

    def of_faces(self, key: str) -> Floats | None:
        """Values (i,) per interior face of a metric of faces; None of one of cells."""
        if key == "non_orthogonality":
            return self.measured.non_orthogonality
        if key == "volume_ratio":
            return self.measured.volume_ratio
        if key == "face_offset":
            return self._faces.offset
        if key == "growth":
            return self._faces.growth
        return None

    def of_cells(self, key: str) -> Floats:
        """Values (c,) of a metric, of one of faces the worst of the cell's; NaN where a cell's
        shape has none. Raises KeyError for one that the mesh does not have."""
        on_faces = self.of_faces(key)
        if on_faces is not None:
            ratio = key in ("volume_ratio", "growth")
            return worst_face_of_cells(self.mesh, on_faces, 1.0 if ratio else 0.0)
        if key == "face_orthogonality":
            return face_orthogonality(self.mesh, self._faces)
        if key == "warp":
            return worst_face_of_cells(self.mesh, self._warp, 0.0)
        if key == "size_ratio" and self._size_ratio is not None:
            return self._size_ratio
        if key == "size_ratio" and self._asked is not None:
            return self._shapes[:, shapes.EDGE_LENGTH] / self._asked
        of_measured = {
            "equiangle_skewness": "skewness",
            "smallest_dihedral": "least_dihedral",
            "largest_dihedral": "largest_dihedral",
            "volume": "volume",
        }
        if key in of_measured:
            out: Floats = getattr(self.measured, of_measured[key])
            many = self.mesh.shape == POLYHEDRON
            if key in _OF_STANDARD and many.any():
                # faces of a polyhedron may lie in one plane, and polygons have nodes in line
                return np.where(many, np.nan, out)
            return out
        column = {
            "equivolume_skewness": shapes.EQUIVOLUME,
            "aspect_ratio": shapes.ASPECT,
            "scaled_jacobian": shapes.JACOBIAN,
            "edge_length": shapes.EDGE_LENGTH,
        }[key]
        return self._shapes[:, column]

    def samples(self, key: str) -> Floats:
        """What a metric's mean and percentiles are taken over: interior faces, or cells that have
        it."""
        on_faces = self.of_faces(key)
        if on_faces is not None:
            return on_faces
        values = self.of_cells(key)
        return values[~np.isnan(values)]


def cell_values(values: Values, keys: Iterable[str]) -> dict[str, Floats]:
    """{metric: values (c,)} of some metrics."""
    return {key: values.of_cells(key) for key in keys}
