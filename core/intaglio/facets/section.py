"""A flat section of closed facets, drawn out to a slab one cell thick."""

import manifold3d
import numpy as np

from intaglio.errors import StepFailed
from intaglio.facets.booleans import solid_of
from intaglio.facets.part import FacetPart
from intaglio.numeric.boxtree import box_tree, nearest


def facet_section(
    part: FacetPart, axis: int, at: float, thickness: float
) -> tuple[FacetPart, list[int | str]]:
    """The slab, and per region the number of the part's region that it continues, or front or back.

    The slab reaches from the plane along the positive axis. Raises StepFailed if the plane misses
    the facets.
    """
    order = [(axis + 1) % 3, (axis + 2) % 3, axis]
    turned = np.ascontiguousarray(part.points[:, order])
    solid = solid_of(turned, part.triangles, part.region)
    outline = solid.slice(at)
    if outline.is_empty():
        low, high = part.points[:, axis].min(), part.points[:, axis].max()
        raise StepFailed(
            "no-section",
            f"The plane at {at:g} does not meet the fluid, which reaches from {low:g} to {high:g}.",
        )
    slab = manifold3d.Manifold.extrude(outline, thickness).to_mesh64()
    points = np.asarray(slab.vert_properties, np.float64)[:, :3].copy()
    triangles = np.asarray(slab.tri_verts).astype(np.int32)
    points[:, 2] += at
    back = np.empty_like(points)
    back[:, order] = points
    corner = back[triangles]
    height = corner[:, :, axis] - at
    flat = np.ptp(height, axis=1) < 1e-9 * thickness
    region = np.full(len(triangles), -1)
    region[flat] = np.where(height[flat].mean(axis=1) < 0.5 * thickness, -2, -3)
    tree = box_tree(part.points, part.triangles)
    foot = np.empty(3)
    for t in np.flatnonzero(~flat):
        low_nodes = corner[t][height[t] < 0.5 * thickness]
        spot = low_nodes.mean(axis=0)
        if len(low_nodes) == 1:
            spot = corner[t].mean(axis=0)
            spot[axis] = at
        region[t] = part.region[nearest(tree, 0, spot, foot)]
    used, number = np.unique(region, return_inverse=True)
    names = {-2: "front", -3: "back"}
    sources: list[int | str] = [names.get(int(r), int(r)) for r in used]
    return (
        FacetPart(
            back,
            triangles,
            number.astype(np.int32),
            np.zeros(len(triangles), np.int32),
            tuple(str(s) for s in sources),
            ("fluid",),
            part.unit,
        ),
        sources,
    )
