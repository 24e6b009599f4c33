"""What is told of a model as plain data: rows of the reports of Geometry and Domain.

Lengths are in the model's unit; numbers of faces start at 0.
"""

from typing import Literal, NotRequired

from typing_extensions import TypedDict

Place = list[float]


class ModelNames(TypedDict):
    """Kind of a model (cad or facets), its unit and its bodies; face_names and face_colours by face
    of CAD, regions of facets."""

    kind: Literal["cad", "facets"]
    unit: str
    bodies: list[str]
    face_names: NotRequired[list[str]]
    face_colours: NotRequired[list[str]]
    regions: NotRequired[list[str]]


class FaceShape(TypedDict):
    """What a model tells of one of its faces: id, name and colour of the file, surface in a word,
    area, centre, normal where it is flat, radius where it is round."""

    id: str
    name: str
    colour: str
    surface: str
    area: float
    centre: Place
    normal: Place
    radius: float


class FaceRow(FaceShape):
    """A face of a report. at: a point surely on it; at_end: whether it is a flat end of the model;
    role, opening and zones: of the fluid's faces only; back_of: number of the face whose other side
    this is, of a sheet that stands in a zone; kind: of a patch of a mesh that was read."""

    at: Place
    at_end: bool
    role: NotRequired[str]
    opening: NotRequired[bool]
    zones: NotRequired[list[int]]
    back_of: NotRequired[int]
    kind: NotRequired[str]


class BodyRow(TypedDict):
    """A body: volume, area, numbers of its faces, whether it bounds a volume, and whether it is a
    wall without a thickness beside bodies that do."""

    name: str
    volume: float
    area: float
    faces: list[int]
    solid: bool
    sheet: bool


class OpeningRow(TypedDict):
    """An opening: the face it lies in, the edges of its rim (of CAD), centre, normal, size."""

    name: str
    face: int
    edges: list[int]
    centre: Place
    normal: Place
    area: float
    diameter: float


class SpaceRow(TypedDict):
    """A space behind openings, and a point in it."""

    openings: list[str]
    volume: float
    pin: Place


class FeatureRow(TypedDict):
    """A fillet, hole or other detail that could go."""

    kind: str
    faces: list[str]
    size: float
    centre: Place


class ActionRow(TypedDict):
    """One of the things that an operation did, or decided not to."""

    do: str
    title: str
    done: str
    volume_change: float


class RepairRow(TypedDict):
    """What a repair did, or why it did nothing."""

    do: str
    on: bool
    done: str
    count: int
    volume_change: float
    area_change: float
    actions: list[ActionRow]
    problem: str | None
    places: list[Place]
