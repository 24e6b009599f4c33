"""The shells of a surface's zones, and what of the surface no shell may change."""

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.layers.columns import columns
from intaglio.layers.core import Wanted
from intaglio.layers.directions import Directions
from intaglio.layers.grow import Grown
from intaglio.layers.remainder import remade
from intaglio.layers.shell import Longs, Shell
from intaglio.layers.sides import constraints

Ints = NDArray[np.int32]
Arrays = Mapping[str, NDArray[Any]]


def shells_of(
    points: NDArray[np.float64],
    triangles: Ints,
    region: Ints,
    sides: Ints,
    row_of_face: Ints,
    kinds: Sequence[str],
) -> tuple[list[Shell], list[Ints], list[Longs], tuple[Ints, Ints, Ints]]:
    """A shell for each zone; the row of layers (m,) of each of its triangles, -1 for none, and
    which of the surface's triangles (m,) it is; and the triangles that stay as they are with their
    regions and sides, as `layered` takes them.

    sides (faces, 2): zones behind and before each face; row_of_face (faces,); kinds: of the zones,
    of which solid ones grow no layers.
    """
    own = sides[region]
    sheet = np.asarray((own[:, 0] == own[:, 1]) & (own[:, 0] >= 0))
    shared = np.asarray((own >= 0).all(axis=1))
    shells, rows, places = [], [], []
    for zone in range(int(sides.max()) + 1):
        behind = np.flatnonzero((own[:, 0] == zone) & ~sheet)
        before = np.flatnonzero((own[:, 1] == zone) & ~sheet)
        at = np.concatenate([behind, before])
        corners = np.concatenate([triangles[behind], triangles[before][:, ::-1]])
        none = shared[at] | (kinds[zone] == "solid")
        row = np.where(none, -1, row_of_face[region[at]]).astype(np.int32)
        shells.append(
            Shell(
                points,
                np.ascontiguousarray(corners),
                region[at],
                row >= 0,
                shared[at],
                np.ascontiguousarray(triangles[sheet & (own[:, 0] == zone)]),
            )
        )
        rows.append(row)
        places.append(at)
    return shells, rows, places, (triangles[shared], region[shared], own[shared].astype(np.int32))


def grown_arrays(grown: list[Grown], wanted: list[Wanted]) -> dict[str, NDArray[Any]]:
    """What grew, as arrays of a product."""
    out: dict[str, NDArray[Any]] = {}
    for z, (have, want) in enumerate(zip(grown, wanted, strict=True)):
        own: dict[str, NDArray[Any]] = {
            "way": have.found.way,
            "seen": have.found.seen,
            "mean": have.found.mean,
            "ends": have.ends,
            "number": have.columns.count,
            "height": have.height,
            "lowered": have.lowered,
            "first": want.first,
            "growth": want.growth,
            "count": want.count,
        }
        out |= {f"{name}_{z}": value for name, value in own.items()}
    return out


def grown_of(arrays: Arrays, shells: list[Shell]) -> tuple[list[Grown], list[Wanted]]:
    """Inverse of `grown_arrays`."""
    grown, wanted = [], []
    for z, shell in enumerate(shells):

        def array(name: str, z: int = z) -> NDArray[Any]:
            return np.ascontiguousarray(arrays[f"{name}_{z}"])

        found = Directions(array("way"), array("seen"), array("mean"))
        made = columns(shell, found.way, array("ends"), array("number"))
        core = remade(shell, constraints(shell), made)
        count = array("count")
        grown.append(
            Grown(made, core, array("ends"), array("height"), array("lowered"), count, found)
        )
        wanted.append(Wanted(array("first"), array("growth"), count))
    return grown, wanted
