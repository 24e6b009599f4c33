"""What a way of making the mesh is: what it takes of earlier stages, and what it gives.

One proof, one description and one judging follow for all ways (`step.py`). A way is a module with a
`WAY` and a line in `ways.py`.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.findings import Finding
from intaglio.mesh.building import Polygons
from intaglio.mesh.mesh import Mesh
from intaglio.sizing.octree import SizeField
from intaglio.stages.stage import Cost, Run, Sentence
from intaglio.stages.volume.expecting import Expected

# places at which earlier tries gave a mesh that does not hold: a list of points for each try
Avoided = list[list[list[float]]]


@dataclass(frozen=True)
class Made:
    """A mesh whose patches are the faces of the domain, in their order, before it is cut open along
    sheets; expected: what the proof may hold it against; sheets: its polygons on two-sided faces,
    with their patch; layer (c,) of each cell, 0 where it is in none, None where no layers were
    asked for; sizes: those that its cells follow, if any; findings of making it; splits and
    swaps that recovering a given surface took; again: another try may leave out what does not
    hold."""

    mesh: Mesh
    expected: Expected
    sheets: Polygons | None = None
    layer: NDArray[np.int32] | None = None
    sizes: SizeField | None = None
    findings: list[Finding] = field(default_factory=list)
    splits: int = 0
    swaps: int = 0
    again: bool = False


@dataclass(frozen=True)
class Way:
    """A way of making the mesh.

    key: its word in recipes; title: what it fills with, as the brief says it. needs: the stages
    whose products it uses, which, and what they need, are those that the study goes through. make:
    the mesh, given what a step is given and places to be avoided. cost: what that takes.
    sentences: those of the brief that are its own. version: raise it when its result changes.
    """

    key: str
    title: str
    needs: tuple[str, ...]
    make: Callable[[Run, Avoided], Made]
    cost: Callable[[Mapping[str, Mapping[str, Any]]], Cost]
    sentences: tuple[Sentence, ...] = ()
    version: int = 1
