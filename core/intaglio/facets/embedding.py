"""Open facets standing in closed ones: what lies inside, joined where their nodes meet."""

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from intaglio.errors import StepFailed
from intaglio.facets.domain import compact
from intaglio.facets.part import FacetPart, Floats, joined, kept, scale_of, with_triangles
from intaglio.facets.pieces import find_pieces
from intaglio.findings import PLACES
from intaglio.numeric.boxtree import beyond, box_tree
from intaglio.numeric.intersections import crossing_pairs
from intaglio.numeric.winding import winding_numbers
from intaglio.triangles.closure import edge_keys, edge_uses
from intaglio.triangles.edges import edge_table

# nodes this near to a wall's, as a share of the model, are that wall's
_SAME = 1e-6


def embedded(hull: FacetPart, sheets: FacetPart) -> FacetPart:
    """The closed facets, and the pieces of the sheets that lie inside them.

    Bodies of the sheets follow those of the hull. Facets are not cut: raises StepFailed with places
    where a sheet runs into a wall or another sheet but at common nodes.
    """
    whole = joined([hull, sheets])
    near = _SAME * scale_of(hull.points)
    apart, nearest = cKDTree(hull.points).query(sheets.points)
    number = np.arange(len(whole.points))
    number[len(hull.points) :] = np.where(
        apart <= near, nearest, len(hull.points) + np.arange(len(sheets.points))
    )
    whole = with_triangles(
        whole, number[whole.triangles].astype(np.int32), whole.region, whole.body
    )
    pairs = crossing_pairs(whole.points, whole.triangles)
    pairs = pairs[(pairs >= len(hull.triangles)).any(axis=1)]
    corner = whole.points[whole.triangles[np.unique(pairs.max(axis=1))]]
    places = np.concatenate([corner.mean(axis=1), _touching(hull, sheets, apart <= near, near)])
    if len(places):
        raise StepFailed(
            "sheet-crosses",
            f"Sheets run into walls or each other at {len(places)} places where they share no "
            "nodes. Facets of sheets are not cut: end them short of the wall, let the nodes meet, "
            "or use CAD.",
            places[:PLACES].tolist(),
        )
    inside = np.ones(len(whole.triangles), bool)
    inside[len(hull.triangles) :] = _inside(hull, sheets)
    return compact(kept(whole, inside))


def _touching(
    hull: FacetPart, sheets: FacetPart, joined_: NDArray[np.bool_], near: float
) -> Floats:
    """Places (k, 3) where sheets lie on the hull but share no node or edge with it; joined_ (n,):
    nodes of the sheets that are the hull's."""
    edges, _, _ = edge_uses(sheets.triangles)
    both = joined_[edges].all(axis=1)
    # an edge between common nodes may run through the inside; on the wall it must be the wall's
    _, at = cKDTree(hull.points).query(sheets.points[edges[both]].reshape(-1, 3))
    known = np.isin(edge_keys(at.reshape(-1, 2)), edge_keys(edge_uses(hull.triangles)[0]))
    spots = np.concatenate(
        [
            sheets.points[~joined_],
            sheets.points[edges[~both]].mean(axis=1),
            sheets.points[edges[both][~known]].mean(axis=1),
        ]
    )
    tree = box_tree(hull.points, hull.triangles)
    on = ~beyond(tree, spots, np.full(len(spots), near))
    apart, _ = cKDTree(sheets.points).query(hull.points)
    free = hull.points[apart > near]
    pierced = ~beyond(box_tree(sheets.points, sheets.triangles), free, np.full(len(free), near))
    return np.concatenate([spots[on], free[pierced]])


def _inside(hull: FacetPart, sheets: FacetPart) -> NDArray[np.bool_]:
    """Triangles (m,) of the sheets that lie inside, told by the largest of each piece."""
    pieces = find_pieces(sheets, edge_table(sheets.triangles))
    corner = sheets.points[sheets.triangles]
    size = np.linalg.norm(
        np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]), axis=1
    )
    order = np.lexsort((size, pieces.piece))
    last = np.searchsorted(pieces.piece[order], np.arange(len(pieces.closed)), side="right") - 1
    spots = np.ascontiguousarray(corner[order[last]].mean(axis=1))
    turns = winding_numbers(hull.points, hull.triangles, spots)
    held: NDArray[np.bool_] = (turns > 0.5)[pieces.piece]
    return held
