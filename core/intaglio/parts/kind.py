"""What the rest may ask of a model without knowing whether it is CAD or facets.

`cad_kind` and `facet_kind` answer; `kinds.kind_of` finds the one that a model belongs to.
"""

from abc import ABC, abstractmethod
from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Generic, Literal, TypeAlias, TypeVar, Union

import numpy as np
from numpy.typing import NDArray

from intaglio.facets.part import FacetPart
from intaglio.findings import Finding
from intaglio.parts.rows import (
    BodyRow,
    FaceShape,
    FeatureRow,
    ModelNames,
    OpeningRow,
    SpaceRow,
)
from intaglio.remeshing.remesh import RemeshedSurface
from intaglio.triangles.facets import Curves, Facets

if TYPE_CHECKING:
    # the kernel is loaded by whom a model of CAD comes to
    from intaglio.cad.part import Part

Progress = Callable[[float, str], None]
# told the findings there are so far
SoFar = Callable[[list[Finding]], None]
Arrays = dict[str, NDArray[Any]]
# asked for at run time too, so not by a bar between a text and a type
Model: TypeAlias = Union["Part", FacetPart]
Floats = NDArray[np.float64]
M = TypeVar("M", "Part", FacetPart)


@dataclass(frozen=True)
class Drawn:
    """Triangles (m, 3) of points (n, 3) with the number of their face, and feature lines."""

    points: Floats
    triangles: NDArray[np.int32]
    region: NDArray[np.int32]
    lines: Floats


@dataclass(frozen=True)
class Diagnosed:
    """Findings, and the free edges and those with too many faces as segments (k, 2, 3)."""

    findings: tuple[Finding, ...]
    free_lines: NDArray[np.float32]
    branch_lines: NDArray[np.float32]


@dataclass(frozen=True)
class Passages:
    """Openings, the closed spaces behind them, features that could go, all as plain data, and
    findings where these could not be told."""

    openings: list[OpeningRow]
    spaces: list[SpaceRow]
    features: list[FeatureRow]
    findings: list[Finding]


class Kind(ABC, Generic[M]):
    """One kind of model. Numbers of faces start at 0; a face of facets is a region."""

    key: Literal["cad", "facets"]
    title: str

    # storage ----------------------------------------------------------------------------------
    @abstractmethod
    def names(self, model: M) -> ModelNames:
        """What `restored` needs besides arrays: kind, unit and names."""

    @abstractmethod
    def stored(self, model: M) -> Arrays:
        """Arrays from which, and the names, `restored` makes the model again."""

    @abstractmethod
    def restored(self, arrays: Arrays, names: ModelNames) -> M:
        """Inverse of `stored` and `names`."""

    # measures ---------------------------------------------------------------------------------
    @abstractmethod
    def limits(self, model: M) -> tuple[Floats, Floats]:
        """Low and high corner of the box around a model."""

    @abstractmethod
    def volume(self, model: M) -> float:
        """Volume of the solids, or inside the facets, in unit³."""

    @abstractmethod
    def area(self, model: M) -> float:
        """Area of all faces, in unit²."""

    @abstractmethod
    def triangles(self, model: M) -> int | None:
        """How many triangles a model was given by; None for exact surfaces."""

    def scale(self, model: M) -> float:
        """Diagonal of the box around a model."""
        low, high = self.limits(model)
        return float(np.linalg.norm(high - low))

    # faces and bodies ---------------------------------------------------------------------------
    @abstractmethod
    def face_names(self, model: M) -> list[str]:
        """Names by which faces are referred to."""

    @abstractmethod
    def face_row(
        self,
        model: M,
        face: int,
        view: Drawn,
        own: NDArray[np.int64],
        areas: Floats,
        scale: float,
        rough: bool = False,
    ) -> FaceShape:
        """A face in words and numbers; own (k,): its triangles in the view, of areas (m,). rough:
        measured by these triangles, whatever the face is."""

    @abstractmethod
    def links(self, model: M) -> dict[tuple[int, int], float]:
        """Turn in degrees between neighbouring faces (a, b), a < b."""

    @abstractmethod
    def bodies(self, model: M) -> list[BodyRow]:
        """name, volume, area, faces and solid of each body."""

    @abstractmethod
    def without(self, model: M, names: list[str]) -> M | None:
        """The model without some of its bodies, None if nothing is left."""

    @abstractmethod
    def wholes(self, facets: FacetPart) -> NDArray[np.int64]:
        """What of a model's facets is kept or dropped as a whole, a number for each (m,): of CAD a
        body, of facets a piece."""

    @abstractmethod
    def without_facets(self, model: M, facets: FacetPart, gone: NDArray[np.bool_]) -> M | None:
        """The model without wholes that some of its facets (m,) are; None if nothing is left."""

    @abstractmethod
    def zone_volumes(self, model: M) -> list[float]:
        """Volume of each closed body of a fluid, in unit³: of CAD a solid, of facets a zone."""

    @abstractmethod
    def distances(self, model: M, spot: Floats) -> Floats:
        """Distance of a point (3,) from every face."""

    @abstractmethod
    def inner_point(self, model: M) -> Floats | None:
        """A point (3,) in the material, or None if there is none."""

    @abstractmethod
    def holds(self, model: M, spot: Floats) -> bool:
        """Whether a point (3,) lies in the material."""

    @abstractmethod
    def curvature(self, model: M, view: Drawn) -> Floats:
        """Largest curvature at points spread over the surface, in 1/unit."""

    # what is wrong, and what could be taken -----------------------------------------------------
    @abstractmethod
    def diagnosed(
        self,
        model: M,
        progress: Progress = lambda share, doing: None,
        so_far: SoFar = lambda found: None,
    ) -> Diagnosed:
        """The model's faults."""

    @abstractmethod
    def passages(self, model: M, closed: bool) -> Passages:
        """Openings and the spaces behind them; closed: whether no fault was found."""

    @abstractmethod
    def prepared(self, model: M, angle: float) -> M:
        """A model as it was read, made ready for repairs; angle: where facets part into faces."""

    @abstractmethod
    def tidied(self, model: M) -> M:
        """A model after its repairs, without what they left over."""

    # the ruler ----------------------------------------------------------------------------------
    @abstractmethod
    def snapped(self, model: M, face: int, at: Floats) -> Floats:
        """The touched place on the surface, or a vertex of its face where one is near."""

    @abstractmethod
    def normal(self, model: M, face: int, at: Floats) -> Floats:
        """Outward unit normal (3,) of a face near a place."""

    @abstractmethod
    def radius(self, model: M, face: int) -> float:
        """Radius of a round face, 0 for others."""

    @abstractmethod
    def gap(self, model: M, one: int, other: int) -> float | None:
        """Least distance between two faces, where it can be told exactly."""

    @abstractmethod
    def ahead(self, model: M, start: Floats, direction: Floats, scale: float) -> float | None:
        """Distance from a place on the surface along a unit direction to the next surface."""

    # meshing, writing ---------------------------------------------------------------------------
    @abstractmethod
    def drawn(self, model: M) -> Drawn:
        """What the screen shows, fine enough to look round."""

    @abstractmethod
    def facets(self, model: M, share: float) -> FacetPart:
        """The model as facets, within a share of its diagonal."""

    @abstractmethod
    def meshing_input(self, model: M, smallest: float, angle: float) -> tuple[Facets, Curves]:
        """Facets and feature curves fine enough for a smallest edge and an angle (rad) per edge."""

    @abstractmethod
    def turns(self, model: M, facets: Facets, curves: Curves) -> Floats:
        """Largest angle (curves,) in rad between the two faces along each curve of
        `meshing_input`; π where not exactly two meet."""

    @abstractmethod
    def settled(
        self,
        model: M,
        curves: Curves,
        rough: RemeshedSurface,
        face: NDArray[np.int32],
    ) -> RemeshedSurface:
        """A surface mesh with its nodes set onto the exact geometry, as far as there is one.

        curves: those of `meshing_input`; face (n,): face of each node.
        """

    @abstractmethod
    def named(self, model: M, faces: tuple[str, ...], bodies: tuple[str, ...]) -> M:
        """The model with other names, where it holds names of its own."""

    @abstractmethod
    def scaled(self, model: M, factor: float) -> M:
        """The model in other numbers, all times a factor."""

    @abstractmethod
    def joined(self, models: list[M]) -> M:
        """Several models in one unit as one; bodies of one name get numbers."""

    @abstractmethod
    def per_body(self, model: M) -> dict[str, M]:
        """Each body for itself."""

    @abstractmethod
    def sheet(self, model: M, name: str, faces: list[int]) -> M:
        """Some faces alone, as a sheet of that name."""

    @abstractmethod
    def file(self, model: M, suffix: str) -> bytes | None:
        """The model as a file that keeps exact surfaces, or None if it has none."""

    def checked(self, model: M, done: str, mirrored: bool) -> M:
        """The model after an operation. Raises StepFailed if nothing is left of it."""
        return model
