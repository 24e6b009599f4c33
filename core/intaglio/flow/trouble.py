"""What is special about cells in which a flow went wrong."""

import numpy as np

from intaglio.mesh.cells import SHAPES
from intaglio.mesh.mesh import Longs, Mesh
from intaglio.quality.catalogue import BY_KEY
from intaglio.quality.values import Values

# metrics that tell what a solver stumbles over, and the share of cells they are held against
_TELLING = ("non_orthogonality", "equiangle_skewness", "aspect_ratio", "volume_ratio")
_MOST = 0.99


def special(mesh: Mesh, cells: Longs) -> str:
    """A sentence on cells (k,) of a mesh: their shape, and by which metrics they stand out."""
    if not len(cells):
        return ""
    values = Values(mesh)
    shape = SHAPES[int(np.bincount(mesh.shape[cells]).argmax())].name
    out = []
    for key in _TELLING:
        if key not in values.known():
            continue
        of_all = values.of_cells(key)
        metric = BY_KEY[key]
        sign = 1.0 if metric.large_is_bad else -1.0
        usual = float(np.quantile(sign * of_all, _MOST)) * sign
        worst = float((sign * of_all[cells]).max()) * sign
        if sign * worst > sign * usual:
            out.append(
                f"{metric.label.lower()} {worst:.3g}{metric.unit} where 99 % of all cells have "
                f"{'at most' if sign > 0 else 'at least'} {usual:.3g}{metric.unit}"
            )
    patches = np.unique(mesh.patch[_faces_of(mesh, cells)])
    names = [mesh.patches[p].name for p in patches if p >= 0]
    at = f" at {', '.join(names[:3])}" if names else ""
    stand = "; ".join(out) if out else "no metric of theirs stands out: look at the conditions"
    return f"Mostly {'a ' if len(cells) == 1 else ''}{shape}{at}: {stand}."


def _faces_of(mesh: Mesh, cells: Longs) -> Longs:
    chosen = np.zeros(mesh.cells, bool)
    chosen[cells] = True
    behind = (mesh.neighbour >= 0) & chosen[mesh.neighbour]
    return np.flatnonzero(chosen[mesh.owner] | behind)
