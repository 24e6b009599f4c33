"""From the rows of layers to what is asked for over each node of the walls."""

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.case.friction import WallFlow, wall_flow
from intaglio.errors import SettingRejected
from intaglio.layers.core import Wanted
from intaglio.layers.heights import Heights, of_last, of_total
from intaglio.layers.reach import edge_means
from intaglio.layers.shell import Shell
from intaglio.settings.patterns import meaning
from intaglio.stages.layers.rows import MOST_LAYERS
from intaglio.units import MM_PER_UNIT

# kinds of patches that layers can stand on
LAYERED = ("wall", "interface")
# height of a regular tetrahedron over its edge
CORE_HEIGHT = float(np.sqrt(2.0 / 3.0))
# how much faster than asked for layers may grow to meet the core
_FASTER = 0.1
# names told where another one is meant by none
_NAMES = 8
# rounds in which heights are evened out over the walls, so that scopes blend
_BLENDS = 6


def row_of_faces(
    rows: list[dict[str, Any]], domain: Mapping[str, Any], patches: Mapping[str, Any]
) -> NDArray[np.int32]:
    """Which row (faces,) is in force on each face of the domain, -1 for none. Raises
    SettingRejected for a row that meets no wall, and where two are meant for one patch."""
    number = {face["id"]: k for k, face in enumerate(domain["faces"])}
    out = np.full(len(number), -1, np.int32)
    taken: dict[str, int] = {}
    for k, row in enumerate(rows):
        means = meaning(row["patches"])
        meant = [
            patch
            for patch in patches["patches"]
            if patch["kind"] in LAYERED and means(patch["name"])
        ]
        if not meant:
            raise SettingRejected(
                "layers.layers",
                f"Row {k + 1} asks for layers on {', '.join(row['patches'])}, and no wall is "
                f"called so. {_walls(patches['patches'])} Correct the names, or drop the row.",
            )
        for patch in meant:
            other = taken.setdefault(patch["name"], k)
            if other != k:
                raise SettingRejected(
                    "layers.layers",
                    f"Rows {other + 1} and {k + 1} both ask for layers on {patch['name']}. "
                    "Name it in one of them.",
                )
            out[[number[face] for face in patch["faces"]]] = k
    return out


def _walls(patches: Sequence[Mapping[str, Any]]) -> str:
    names = [patch["name"] for patch in patches if patch["kind"] in LAYERED]
    more = " …" if len(names) > _NAMES else ""
    return f"Walls are {', '.join(names[:_NAMES])}{more}." if names else "There is no wall at all."


def growing_sides(
    rows: list[dict[str, Any]],
    row_of: NDArray[np.int32],
    sides: NDArray[np.int32],
    kinds: Sequence[str],
) -> NDArray[np.bool_]:
    """Whether layers grow on the side behind and the side before (faces, 2) of each face: on those
    of fluids, and of solids where the row of the face, row_of (faces,), asks for it. sides as the
    zones (faces, 2) there, kinds those of the zones."""
    solid = np.array([kind == "solid" for kind in kinds] + [False])
    wanted = np.array([bool(row.get("solids")) for row in rows] + [False])
    asked = np.asarray(row_of >= 0)[:, None] & (sides >= 0)
    out: NDArray[np.bool_] = asked & (~solid[sides] | wanted[row_of][:, None])
    return out


def wanted_on(
    shell: Shell,
    row_of: NDArray[np.int32],
    rows: list[dict[str, Any]],
    unit: str,
    onward: str = "stop",
) -> Wanted:
    """What is asked for over each node of a shell; row_of (m,) the row of each grown triangle.
    onward: `stop` at the number asked for, or add layers until they `meet` the core."""
    n = len(shell.points)
    edge = _evened(shell, edge_means(shell))
    log_first, growth, weight = np.zeros(n), np.zeros(n), np.zeros(n)
    count = np.zeros(n, np.int32)
    for k, row in enumerate(rows):
        own = shell.triangles[shell.grown & (row_of == k)].ravel()
        if not len(own):
            continue
        nodes, times = np.unique(own, return_counts=True)
        first = first_height(row, edge[nodes], unit)
        number, rate = row["count"], np.full(len(nodes), float(row["growth"]))
        if onward == "meet":
            number, rate = met(first, rate, number, edge[nodes])
        log_first[nodes] += times * np.log(first)
        growth[nodes] += times * rate
        weight[nodes] += times
        count[nodes] = np.maximum(count[nodes], number)
    # the columns of an arc are as one
    first, middle, last = shell.arcs.nodes.T
    for value in (log_first, growth, weight):
        value[first] = value[middle] = value[last] = value[first] + value[last]
    count[first] = count[middle] = count[last] = np.minimum(count[first], count[last])
    on = weight > 0
    log_first[on] /= weight[on]
    growth[on] /= weight[on]
    log_first, growth = _evened(shell, log_first), _evened(shell, growth)
    for value in (log_first, growth):
        value[first] = value[middle] = value[last] = 0.5 * (value[first] + value[last])
    return Wanted(
        np.where(on, np.exp(log_first), 0.0),
        np.where(on, growth, 1.0),
        count,
    )


def met(
    first: NDArray[np.float64], growth: NDArray[np.float64], count: int, edge: NDArray[np.float64]
) -> tuple[int, NDArray[np.float64]]:
    """Number of layers, at least `count`, with which layers from first (n,) lead over to a core of
    edges (n,), and the growth (n,) at which the last is as high as the core's cells at each node;
    it strays from the growth (n,) asked for no further than it has to and never under 1."""
    last = CORE_HEIGHT * edge
    rate = float(np.median(growth))
    if rate <= 1.0:
        return count, growth
    needed = 1.0 + np.log(np.median(last / first)) / np.log(rate)
    number = int(min(max(count, np.ceil(needed - 1e-9)), MOST_LAYERS))
    if number <= count and needed <= count:
        # they meet the core as they are
        return count, growth
    return number, np.clip((last / first) ** (1.0 / max(1, number - 1)), 1.0, rate + _FASTER)


def first_height(
    row: Mapping[str, Any], edge: NDArray[np.float64], unit: str
) -> NDArray[np.float64]:
    """Height (n,) of the first layer of a row, where the wall's edges are edge (n,) long."""
    count, growth = row["count"], row["growth"]
    flow = flow_of(row, unit)
    if flow is not None:
        return np.full(len(edge), flow.height * 1000.0 / MM_PER_UNIT[unit])
    if "first" in row:
        return np.full(len(edge), row["first"])
    if "total" in row:
        return np.full(len(edge), of_total(row["total"], growth, count).first)
    return of_last(1.0, growth, count).first * row["last"] * edge


def flow_of(row: Mapping[str, Any], unit: str) -> WallFlow | None:
    """The flow at the wall that a row goes by, in m and m/s, if it goes by y+."""
    if "yplus" not in row:
        return None
    metres = row["length"] * MM_PER_UNIT[unit] / 1000.0
    return wall_flow(row["yplus"], row["speed"], metres, row["viscosity"], row["along"])


def heights_of(row: Mapping[str, Any], edge: float, unit: str) -> Heights:
    """The layers of a row where the wall's edges are `edge` long."""
    first = first_height(row, np.array([edge]), unit)
    return Heights(float(first[0]), row["growth"], row["count"])


def _evened(shell: Shell, value: NDArray[np.float64]) -> NDArray[np.float64]:
    """A value of the walls' nodes (n,), each moved towards the mean of its neighbours'."""
    edges = shell.wall_edges
    count = np.bincount(edges.ravel(), minlength=len(value))
    out = value.copy()
    for _ in range(_BLENDS):
        near = np.bincount(edges[:, 0], out[edges[:, 1]], len(value))
        near += np.bincount(edges[:, 1], out[edges[:, 0]], len(value))
        # what is even stays so to the last bit
        change = near / np.maximum(count, 1) - out
        out = np.where(
            (count > 0) & (np.abs(change) > 1e-12 * np.abs(out)), out + 0.5 * change, out
        )
    return out
