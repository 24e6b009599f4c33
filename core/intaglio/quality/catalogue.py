"""The metrics of a mesh: key, words, unit, which end is bad, and what one value belongs to."""

from dataclasses import dataclass
from typing import Literal


@dataclass(frozen=True)
class Metric:
    """A metric's identity: key, words, unit, whether large values are bad, whether its values are
    those of cells or of the faces between them, and its definition in a line. ratio: values are
    compared by how many times one is the other, so that bars and colours are even in the logarithm.
    judged: it says how good a cell is, not just how large."""

    key: str
    label: str
    unit: str
    large_is_bad: bool
    of: Literal["cell", "face"] = "cell"
    meaning: str = ""
    ratio: bool = False
    judged: bool = True


METRICS = (
    Metric("equiangle_skewness", "Equiangle skewness", "", True, "cell",
           "How far the angles are from those of the regular cell: 0 is regular, 1 flat."),
    Metric("equivolume_skewness", "Equivolume skewness", "", True, "cell",
           "What a tetrahedron lacks of the regular one in the same sphere, as a share of it."),
    Metric("non_orthogonality", "Non-orthogonality", "°", True, "face",
           "Angle between a face's normal and the line between the centroids of its two cells."),
    Metric("face_orthogonality", "Face orthogonality", "", False, "cell",
           "Least cosine between a face's normal and the way to it from the cell's centroid."),
    Metric("face_offset", "Face offset", "", True, "face",
           "How far beside a face's centroid the line between the centroids of its two cells "
           "passes, over their distance."),
    Metric("aspect_ratio", "Aspect ratio", "", True, "cell",
           "Tetrahedra: longest edge over the inscribed sphere's radius, 1 if regular. Others: "
           "longest edge over shortest.", ratio=True),
    Metric("smallest_dihedral", "Smallest dihedral angle", "°", False, "cell",
           "Least angle inside the cell between two of its faces."),
    Metric("largest_dihedral", "Largest dihedral angle", "°", True, "cell",
           "Largest angle inside the cell between two of its faces."),
    Metric("scaled_jacobian", "Scaled Jacobian", "", False, "cell",
           "Least volume that the edges at a corner span, over their lengths; 1 in the ideal "
           "cell."),
    Metric("volume_ratio", "Volume ratio", "", True, "face",
           "The larger volume over the smaller of two cells beside each other.", ratio=True),
    Metric("growth", "Growth", "", True, "face",
           "The longer way from a cell's centroid to a face over the shorter one beyond it.",
           ratio=True),
    Metric("warp", "Warp", "°", True, "cell",
           "How far the parts of a face lean from it, at most, over the cell's faces."),
    Metric("volume", "Volume", "unit³", False, "cell", "Volume of the cell.",
           ratio=True, judged=False),
    Metric("edge_length", "Edge length", "unit", True, "cell", "Mean length of the cell's edges.",
           ratio=True, judged=False),
    Metric("size_ratio", "Edge length over the field", "", True, "cell",
           "Mean edge length over what the size field asks for at the centroid.", ratio=True),
)  # fmt: skip
BY_KEY = {metric.key: metric for metric in METRICS}
