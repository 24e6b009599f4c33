"""The shells of a surface's zones, and what grew in them, as a product has it."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.layers.arcs import with_arcs
from intaglio.layers.columns import columns
from intaglio.layers.core import Wanted
from intaglio.layers.directions import Directions
from intaglio.layers.grow import Grown
from intaglio.layers.remainder import remade
from intaglio.layers.shell import NO_ARCS, Shell, parted
from intaglio.layers.sides import constraints

Ints = NDArray[np.int32]
Arrays = Mapping[str, NDArray[Any]]


def shells_of(
    points: NDArray[np.float64],
    triangles: Ints,
    region: Ints,
    sides: Ints,
    back: Ints,
    row_of_face: Ints,
    grows: NDArray[np.bool_],
) -> tuple[list[Shell], list[Ints]]:
    """A shell for each zone, and the row of layers (m,) of each of its triangles, -1 for none.

    sides (faces, 2): zones behind and before each face; back (faces,): the row that tells of the
    other side of a sheet, -1 for others; row_of_face (faces,); grows (faces, 2): whether a face's
    row is meant for its side behind and its side before.
    """
    own = sides[region]
    sheet = np.asarray((own[:, 0] == own[:, 1]) & (own[:, 0] >= 0))
    shared = np.asarray((own >= 0).all(axis=1))
    shells, rows = [], []
    for zone in range(int(sides.max()) + 1):
        behind = np.flatnonzero(own[:, 0] == zone)
        before = np.flatnonzero(own[:, 1] == zone)
        at = np.concatenate([behind, before]).astype(np.int32)
        front = np.arange(len(at)) < len(behind)
        place = np.full(len(triangles), -1, np.int32)
        place[behind] = np.arange(len(behind))
        twin = np.full(len(at), -1, np.int32)
        other = np.flatnonzero(~front & sheet[at])
        twin[other] = place[at[other]]
        twin[twin[other]] = other
        face = np.where(front | ~sheet[at], region[at], back[region[at]]).astype(np.int32)
        row = np.where(grows[face, np.where(front | sheet[at], 0, 1)], row_of_face[face], -1)
        held, corners, origin = parted(
            points, np.concatenate([triangles[behind], triangles[before][:, ::-1]])
        )
        shell = Shell(
            held,
            origin,
            np.ascontiguousarray(corners),
            face,
            row >= 0,
            shared[at],
            at,
            front,
            twin,
            np.zeros(len(held), bool),
            np.arange(len(held), dtype=np.int32),
            NO_ARCS,
        )
        shells.append(with_arcs(shell))
        rows.append(row.astype(np.int32))
    return shells, rows


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
            "thinned": have.thinned,
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
            Grown(
                made,
                core,
                array("ends"),
                array("height"),
                array("lowered"),
                array("thinned"),
                count,
                found,
            )
        )
        wanted.append(Wanted(array("first"), array("growth"), count))
    return grown, wanted
