"""The standard's words and numbers, and its nodes in HDF5.

The layout of nodes in HDF5 follows the standard's "SIDS File Mapping Manual" (HDF5 chapter): every
node is a group with attributes name, label, type and flags; its data is a dataset called ` data`
with dimensions in Fortran order.
"""

from collections.abc import Iterator
from typing import Any

import h5py
import numpy as np
from numpy.typing import NDArray

from intaglio.mesh.cells import HEXAHEDRON, PRISM, PYRAMID, TETRAHEDRON

VERSION = 3.4
TRI_3, QUAD_4, MIXED, NGON, NFACE = 5, 7, 20, 22, 23
TYPE_OF_SHAPE = {TETRAHEDRON: 10, PYRAMID: 12, PRISM: 14, HEXAHEDRON: 17}
SHAPE_OF_TYPE = {v: k for k, v in TYPE_OF_SHAPE.items()}
# nodes of the types that are read; types with nodes on edges are not
NODES_OF_TYPE = {TRI_3: 3, QUAD_4: 4, 10: 4, 12: 5, 14: 6, 17: 8}
KIND_TO_TYPE = {
    "wall": "BCWall",
    "inlet": "BCInflow",
    "outlet": "BCOutflow",
    "symmetry": "BCSymmetryPlane",
    "far_field": "BCFarfield",
    "opening": "BCGeneral",
    "periodic": "UserDefined",
    "interface": "UserDefined",
    "flat": "UserDefined",
    "wedge": "BCAxisymmetricWedge",
}
TYPE_TO_KIND = {v: k for k, v in KIND_TO_TYPE.items()} | {
    "BCWallInviscid": "wall",
    "BCWallViscous": "wall",
    "BCWallViscousHeatFlux": "wall",
    "BCWallViscousIsothermal": "wall",
    "BCInflowSubsonic": "inlet",
    "BCInflowSupersonic": "inlet",
    "BCOutflowSubsonic": "outlet",
    "BCOutflowSupersonic": "outlet",
    "BCTunnelInflow": "inlet",
    "BCTunnelOutflow": "outlet",
    "UserDefined": "wall",
}
# the standard's length units; others are scaled to metres
UNITS = {
    "m": "Meter",
    "cm": "Centimeter",
    "mm": "Millimeter",
    "in": "Inch",
    "ft": "Foot",
}
_DATA = {"i4": "I4", "i8": "I8", "f8": "R8", "f4": "R4"}


def _text_attribute(group: h5py.Group, name: str, value: str, length: int) -> None:
    kind = h5py.h5t.C_S1.copy()
    kind.set_size(length)
    kind.set_strpad(h5py.h5t.STR_NULLTERM)
    space = h5py.h5s.create(h5py.h5s.SCALAR)
    attribute = h5py.h5a.create(group.id, name.encode(), kind, space)
    attribute.write(np.array(value.encode()[: length - 1], dtype=f"S{length}"))


def node(
    parent: h5py.Group, name: str, label: str, data: NDArray[Any] | str | None = None
) -> h5py.Group:
    """A node of the file under its parent."""
    group = parent.create_group(name, track_order=True)
    kind = "MT"
    if isinstance(data, str):
        data = np.frombuffer(data.encode(), np.int8)
        kind = "C1"
    if data is not None:
        if kind == "MT":
            kind = _DATA[data.dtype.str[1:]]
        group.create_dataset(" data", data=data)
    _text_attribute(group, "name", name, 33)
    _text_attribute(group, "label", label, 33)
    _text_attribute(group, "type", kind, 3)
    group.attrs.create("flags", np.array([1], np.int32))
    return group


def root(file: h5py.File) -> None:
    """What the file's root says of itself."""
    _text_attribute(file["/"], "name", "HDF5 MotherNode", 33)
    _text_attribute(file["/"], "label", "Root Node of HDF5 File", 33)
    _text_attribute(file["/"], "type", "MT", 3)
    file["/"].create_dataset(" format", data=np.frombuffer(b"IEEE_LITTLE_32\0", np.int8))
    version = np.zeros(33, np.int8)
    text = f"HDF5 Version {h5py.version.hdf5_version}".encode()
    version[: len(text)] = np.frombuffer(text, np.int8)
    file["/"].create_dataset(" hdf5version", data=version)
    node(file["/"], "CGNSLibraryVersion", "CGNSLibraryVersion_t", np.array([VERSION], "<f4"))


def units(parent: h5py.Group, unit: str) -> None:
    """The units that hold below a node."""
    words = "".join(u.ljust(32) for u in ("Kilogram", unit, "Second", "Kelvin", "Degree"))
    node(parent, "DataClass", "DataClass_t", "Dimensional")
    held = node(parent, "DimensionalUnits", "DimensionalUnits_t")
    held.create_dataset(" data", data=np.frombuffer(words.encode(), np.int8).reshape(5, 32))
    held.attrs.modify("type", np.array(b"C1", dtype="S3"))


def _label(group: h5py.Group) -> str:
    value = group.attrs.get("label", b"")
    return value.decode() if isinstance(value, bytes) else str(value)


def children(group: h5py.Group, label: str) -> Iterator[h5py.Group]:
    """Nodes under a node that have a label."""
    for child in group.values():
        if isinstance(child, h5py.Group) and _label(child) == label:
            yield child


def text(group: h5py.Group) -> str:
    """A node's data as text."""
    return (
        bytes(group[" data"][()].astype(np.int8).tobytes()).decode("utf-8", "replace").strip("\0 ")
    )


def name_of(group: h5py.Group) -> str:
    return str(group.name).rsplit("/", 1)[-1]


# a family with this descriptor has faces that lie on each other
SIDES = "Sides"
