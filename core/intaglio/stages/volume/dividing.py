"""Layers of a finished mesh divided again: rows of what is asked for, and what comes of them."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.errors import SettingRejected
from intaglio.findings import Finding, two_digits
from intaglio.layers.dividing import Divided, divided
from intaglio.mesh.mesh import Mesh
from intaglio.settings.forms import PATTERNS, Field, Form, Forms, rows_of
from intaglio.settings.patterns import meaning
from intaglio.stages.layers.rows import COUNT, FIRST, GROWTH
from intaglio.stages.layers.scopes import LAYERED

# a first layer higher than asked for by more than this is told
_HIGHER = 1.05
DIVISIONS = Forms(
    "Layers divided again",
    (
        Form("growth", "a growth", (Field("growth", GROWTH),), ("growth",)),
        Form("first", "a first height", (FIRST,), ("first",)),
    ),
    (Field("patches", PATTERNS), COUNT),
    untold="growth or first says how high they become.",
)
DIVISION_ROWS = rows_of(DIVISIONS)


def meant(row: Mapping[str, Any], patches: list[tuple[str, str]]) -> list[int]:
    """Which patches (name, kind) a row is meant for: walls and interfaces that its names fit."""
    means = meaning(row["patches"])
    return [k for k, (name, kind) in enumerate(patches) if kind in LAYERED and means(name)]


@dataclass(frozen=True)
class DividedMesh:
    """A mesh whose layers are divided again: layer and of (c,): the layer of each cell and the cell
    it is of, as in Divided; lines: what came of each row; findings."""

    mesh: Mesh
    layer: NDArray[np.int32]
    of: NDArray[np.int64]
    lines: list[str]
    findings: list[Finding]


def divided_mesh(
    mesh: Mesh,
    rows: list[dict[str, Any]],
    patches_of: list[list[int]],
    layer: NDArray[np.int32] | None = None,
) -> DividedMesh:
    """Divide by one row after the other; patches_of: numbers of the mesh's patches that each is
    meant for; layer (c,): of each cell, where it is known. Raises FileRejected as `divided`, and
    SettingRejected for a row that is meant for none."""
    layer = np.zeros(mesh.cells, np.int32) if layer is None else layer
    of = np.arange(mesh.cells, dtype=np.int64)
    lines: list[str] = []
    found: list[Finding] = []
    for row, own in zip(rows, patches_of, strict=True):
        walls = np.flatnonzero(np.isin(mesh.patch, own))
        names = ", ".join(row["patches"])
        if not len(walls):
            raise SettingRejected(
                "volume.divided",
                f"Layers are to be divided again on {names}, and no wall is called so. Correct the "
                "names, or drop the row.",
            )
        made = divided(mesh, walls, row["count"], row.get("growth"), row.get("first"))
        mesh, of = made.mesh, of[made.of]
        layer = np.where(made.layer > 0, made.layer, layer[made.of]).astype(np.int32)
        lines.append(_line(names, made, mesh.unit))
        found += _thinned(names, made) + _higher(names, made, row.get("first"))
    return DividedMesh(mesh, layer, of, lines, found)


def _line(names: str, made: Divided, unit: str) -> str:
    low, high = two_digits(float(made.growth.min())), two_digits(float(made.growth.max()))
    growth = f"{low:g}" if low == high else f"{low:g} to {high:g}"
    return (
        f"{names}: {int(made.number.max())} layers, the first "
        f"{two_digits(float(np.median(made.first))):g} {unit} high in the middle of them, "
        f"growing by {growth}"
    )


def _thinned(names: str, made: Divided) -> list[Finding]:
    if not made.thinned.any():
        return []
    share = float(made.thinned.mean())
    return [
        Finding(
            "layers-thin",
            "note",
            f"On {names} {100 * share:.0f} % of the columns are too low for so many layers with a "
            "first one as high as asked for: theirs are even, and thinner.",
            int(made.thinned.sum()),
            advice="Ask for fewer layers, or a lower first one.",
        )
    ]


def _higher(names: str, made: Divided, first: float | None) -> list[Finding]:
    """Where no growth that is allowed leads from a first layer as low as asked for to the top."""
    if first is None:
        return []
    higher = made.first > _HIGHER * first
    if not higher.any():
        return []
    return [
        Finding(
            "layers-higher",
            "caution",
            f"On {names} {100 * float(higher.mean()):.0f} % of the columns begin with a higher "
            "layer than asked for: from so low a one they would have to grow by more than 3.",
            int(higher.sum()),
            advice="Ask for more layers, or a higher first one.",
        )
    ]
