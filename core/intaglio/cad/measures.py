"""Measures of shapes, each taken once: area, centre, volume, tight box, length.

The kernel integrates a face of splines for a tenth of a second, and findings, features, passages
and reports all ask for the same faces. What was measured is kept by the shape itself, for as many
shapes as `_ROOM`.
"""

from collections import OrderedDict
from collections.abc import Callable
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray
from OCP.Bnd import Bnd_Box
from OCP.BRepBndLib import BRepBndLib
from OCP.BRepGProp import BRepGProp
from OCP.GProp import GProp_GProps
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS_Shape

from intaglio.errors import StepFailed

Floats = NDArray[np.float64]
T = TypeVar("T")

# shapes whose measures are kept: the faces, edges and bodies of a large assembly
_ROOM = 60_000
# relative error of volumes, which are compared with those of meshes, and of areas of single faces
_VOLUME_ERROR = 1e-9
_AREA_ERROR = 1e-6


class _Key:
    """A shape in its place, by identity; its orientation counts where `turned`."""

    __slots__ = ("shape", "turned", "what")

    def __init__(self, what: str, shape: TopoDS_Shape, turned: bool) -> None:
        self.what, self.shape, self.turned = what, shape, turned

    def __hash__(self) -> int:
        return hash((self.what, hash(self.shape)))

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, _Key) or self.what != other.what:
            return False
        if self.turned:
            return bool(self.shape.IsEqual(other.shape))
        return bool(self.shape.IsSame(other.shape))


_kept: OrderedDict[_Key, object] = OrderedDict()


def once(what: str, shape: TopoDS_Shape, measure: Callable[[], T], turned: bool = False) -> T:
    """What `measure` gives for a shape, measured when first asked for."""
    key = _Key(what, shape, turned)
    if key in _kept:
        _kept.move_to_end(key)
        return _kept[key]  # type: ignore[return-value]
    value = measure()
    # a copy of the handle: whoever asked may turn his own around afterwards
    key.shape = shape.Oriented(shape.Orientation())
    _kept[key] = value
    if len(_kept) > _ROOM:
        _kept.popitem(last=False)
    return value


def volume(shape: TopoDS_Shape) -> float:
    """Volume in unit³ by the kernel's Gauss integration, to 1e-9."""

    def measured() -> float:
        props = GProp_GProps()
        BRepGProp.VolumeProperties_s(shape, props, _VOLUME_ERROR)
        return float(props.Mass())

    return once("volume", shape, measured, turned=True)


def _surface(shape: TopoDS_Shape) -> tuple[float, Floats]:
    """Area and centre of area of a shape: those of its faces, each by Gauss integration to 1e-6."""
    if shape.ShapeType() == TopAbs_ShapeEnum.TopAbs_FACE:

        def measured() -> tuple[float, Floats]:
            props = GProp_GProps()
            BRepGProp.SurfaceProperties_s(shape, props, _AREA_ERROR)
            c = props.CentreOfMass()
            return float(props.Mass()), np.array([c.X(), c.Y(), c.Z()])

        return once("surface", shape, measured)
    total, moment = 0.0, np.zeros(3)
    walk = TopExp_Explorer(shape, TopAbs_ShapeEnum.TopAbs_FACE)
    while walk.More():
        own, centre = _surface(walk.Current())
        total += own
        moment += own * centre
        walk.Next()
    return total, moment / total if total else moment


def area(shape: TopoDS_Shape) -> float:
    """Area in unit²."""
    return _surface(shape)[0]


def centroid(shape: TopoDS_Shape) -> Floats:
    """Centre of area (3,)."""
    return _surface(shape)[1].copy()


def bounds(shape: TopoDS_Shape) -> tuple[Floats, Floats]:
    """Low and high corner of the tight box around a shape. Raises StepFailed if it has none."""

    def measured() -> tuple[Floats, Floats] | None:
        box = Bnd_Box()
        BRepBndLib.AddOptimal_s(shape, box, False, False)
        if box.IsVoid():
            return None
        x0, y0, z0, x1, y1, z1 = box.Get()
        return np.array([x0, y0, z0]), np.array([x1, y1, z1])

    found = once("box", shape, measured)
    if found is None:
        raise StepFailed("no-extent", "A body holds nothing that takes up space.")
    return found[0].copy(), found[1].copy()


def has_extent(shape: TopoDS_Shape) -> bool:
    """Whether a shape takes up any space at all."""
    box = Bnd_Box()
    BRepBndLib.Add_s(shape, box, False)
    return not box.IsVoid()
