"""What a file format is: one module of this package each, which exposes FORMAT."""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from intaglio.case.setup import CaseSetup
from intaglio.formats.triangles import TriangleFile
from intaglio.mesh.mesh import Mesh


@dataclass(frozen=True)
class Surface:
    """What a facet format writes: points (n, 3), triangles (m, 3), group (m,) and the names of the
    groups, and a line of words for the head."""

    points: NDArray[np.float64]
    triangles: NDArray[np.int32]
    group: NDArray[np.int32]
    names: tuple[str, ...]
    title: str


@dataclass(frozen=True)
class FacetFormat:
    """A format of triangulated surfaces: its name, its suffixes, how it is read and written."""

    title: str
    suffixes: tuple[str, ...]
    read: Callable[[bytes, str], TriangleFile]
    write: Callable[[Surface], bytes]


class WriteMesh(Protocol):
    """Writes a mesh to a file, metrics (c,) by name where the format has room for them, and the
    case."""

    def __call__(
        self,
        mesh: Mesh,
        path: Path,
        metrics: Mapping[str, NDArray[Any]],
        case: CaseSetup | None = None,
    ) -> None: ...


class MeshDiffers(Protocol):
    """What a file that was written says else than was meant, in words: nothing if it is right."""

    def __call__(
        self,
        mesh: Mesh,
        path: Path,
        metrics: Mapping[str, NDArray[Any]],
        case: CaseSetup | None = None,
    ) -> Iterator[str]: ...


@dataclass(frozen=True)
class MeshFormat:
    """A format of finished meshes."""

    title: str
    suffixes: tuple[str, ...]
    read: Callable[[Path], Mesh]
    write: WriteMesh
    differences: MeshDiffers
