"""The worst cells of a metric, and why each is as it is, as far as that is known."""

from typing import Any

import numpy as np
from numpy.typing import NDArray
from typing_extensions import TypedDict

from intaglio.findings import PLACES
from intaglio.mesh.cells import PYRAMID, SHAPES
from intaglio.mesh.mesh import Floats, Longs, Mesh, cell_middles, rows
from intaglio.quality.catalogue import METRICS, Metric
from intaglio.quality.forced import CORNER, STRIP, Forced, forced_cells
from intaglio.quality.values import Values

# values told of each metric, so that cells beyond a limit can be counted without the mesh
TOLD = 200


class WorstCell(TypedDict):
    """A cell: its number, value, centroid, shape, zone, number of its layer (0: none), and why it
    is as it is ("" if nothing is known)."""

    cell: int
    value: float
    place: list[float]
    shape: str
    zone: str
    layer: int
    cause: str


class Tail(TypedDict):
    """The worst end of a metric: values of up to TOLD cells, worst first, and the centroids of the
    first PLACES of them."""

    values: list[float]
    places: list[list[float]]


def worst_cells(values: Floats, large_is_bad: bool, count: int) -> Longs:
    """The `count` cells (k,) with the worst values, worst first; cells without a value never. Cells
    of one value come in the order of their numbers."""
    badness = values if large_is_bad else -values
    badness = np.where(np.isnan(badness), -np.inf, badness)
    held = int(np.count_nonzero(~np.isnan(values)))
    count = min(count, held)
    if count < len(badness):
        least = np.partition(badness, len(badness) - count)[len(badness) - count] if count else 0.0
        chosen = np.flatnonzero(badness >= least) if count else np.zeros(0, np.int64)
    else:
        chosen = np.arange(len(badness))
    return chosen[np.argsort(-badness[chosen], kind="stable")][:count]


def described(
    mesh: Mesh,
    cells: Longs,
    value: Floats,
    layer: NDArray[Any] | None = None,
    names: list[str] | None = None,
) -> list[WorstCell]:
    """A row for each of cells (k,) with value (k,); layer (c,) as Volume tells it; names of the
    patches, where they are called otherwise than in the mesh."""
    if not len(cells):
        return []
    why = causes(mesh, cells, layer, names)
    middle = cell_middles(mesh, cells)
    return [
        {
            "cell": int(c),
            "value": float(value[k]),
            "place": middle[k].tolist(),
            "shape": SHAPES[mesh.shape[c]].name,
            "zone": mesh.zones[mesh.zone[c]].name,
            "layer": int(layer[c]) if layer is not None else 0,
            "cause": why[k],
        }
        for k, c in enumerate(cells.tolist())
    ]


def tails(values: Values) -> dict[str, Tail]:
    """{metric: its worst end} of all that judge a cell."""
    out: dict[str, Tail] = {}
    for metric in METRICS:
        if metric.key not in values.known() or not metric.judged:
            continue
        of_cells = values.of_cells(metric.key)
        cells = worst_cells(of_cells, metric.large_is_bad, TOLD)
        if len(cells):
            out[metric.key] = {
                "values": of_cells[cells].tolist(),
                "places": cell_middles(values.mesh, cells[:PLACES]).tolist(),
            }
    return out


def causes(
    mesh: Mesh,
    cells: Longs,
    layer: NDArray[Any] | None = None,
    names: list[str] | None = None,
) -> list[str]:
    """Why each of cells (k,) is as it is: an edge, corner or strip of the geometry that forces it,
    layers that end there, or the faces that it touches."""
    names = [patch.name for patch in mesh.patches] if names is None else names
    forced = _forced_words(forced_cells(mesh, cells), names)
    touched = _touched(mesh, cells)
    ends = _at_layer_ends(mesh, cells, layer)
    out = []
    for k, c in enumerate(cells.tolist()):
        words = [forced[c]] if c in forced else []
        if layer is not None and layer[c] > 0:
            words.append(f"in layer {int(layer[c])}")
        if ends[k]:
            words.append("where layers end")
        patches, whole = touched[k]
        if c not in forced and patches:
            listed = " and ".join(dict.fromkeys(names[p] for p in patches))
            words.append(f"reaches from wall to wall: {listed}" if whole else f"at {listed}")
        out.append("; ".join(words))
    return out


def _forced_words(forced: Forced, names: list[str]) -> dict[int, str]:
    """{cell: words} of what forces it."""
    out = {}
    for k, c in enumerate(forced.cells.tolist()):
        a, b = forced.patches[k].tolist()
        angle = f"{forced.angle[k]:.3g}°"
        if forced.kind[k] == CORNER:
            out[c] = f"forced by a corner of {names[a]} of {angle}"
        elif forced.kind[k] == STRIP:
            out[c] = f"on a strip of {names[a]} narrower than the edges are long"
        elif names[a] == names[b]:
            out[c] = f"forced by an edge within {names[a]} of {angle}"
        else:
            out[c] = f"forced by the edge between {names[a]} and {names[b]} of {angle}"
    return out


def _touched(mesh: Mesh, cells: Longs) -> list[tuple[list[int], bool]]:
    """Per cell the patches that its nodes lie on, and whether all of them lie on some."""
    start, nodes = rows(mesh.cell_start, mesh.cell_nodes, cells)
    near = np.zeros(len(mesh.points), bool)
    near[nodes] = True
    rim = np.flatnonzero(mesh.patch >= 0)
    rim_start, rim_nodes = rows(mesh.face_start, mesh.face_nodes, rim)
    held = near[rim_nodes]
    patch = np.repeat(mesh.patch[rim], np.diff(rim_start))[held]
    of_node: dict[int, set[int]] = {}
    for v, p in zip(rim_nodes[held].tolist(), patch.tolist(), strict=True):
        of_node.setdefault(v, set()).add(p)
    out = []
    for a, b in zip(start[:-1].tolist(), start[1:].tolist(), strict=True):
        own = [of_node.get(v, set()) for v in nodes[a:b].tolist()]
        # most of its nodes first
        count: dict[int, int] = {}
        for patches in own:
            for p in patches:
                count[p] = count.get(p, 0) + 1
        out.append((sorted(count, key=lambda p: (-count[p], p))[:3], all(own)))
    return out


def _at_layer_ends(mesh: Mesh, cells: Longs, layer: NDArray[Any] | None) -> NDArray[np.bool_]:
    """Whether each of cells (k,) closes layers that end there: a pyramid among them, a cell of
    theirs with two faces towards the core, or a core cell with two faces towards theirs."""
    if layer is None or not (layer > 0).any():
        return np.zeros(len(cells), bool)
    inner = mesh.interior_faces
    number = np.full(mesh.cells, -1)
    number[cells] = np.arange(len(cells))
    own, beyond = mesh.owner[:inner], mesh.neighbour[:inner]
    turns = (layer[own] > 0) != (layer[beyond] > 0)
    count = np.zeros(len(cells), np.int64)
    for side in (own[turns], beyond[turns]):
        held = number[side]
        count += np.bincount(held[held >= 0], minlength=len(cells))
    return (count >= 2) | ((mesh.shape[cells] == PYRAMID) & (count >= 1))


def beyond(values: Floats, metric: Metric, limit: float) -> NDArray[np.bool_]:
    """Whether each value is beyond a limit of the metric; NaN never."""
    out: NDArray[np.bool_] = values > limit if metric.large_is_bad else values < limit
    return out
