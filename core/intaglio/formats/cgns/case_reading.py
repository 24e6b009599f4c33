"""The case as a CGNS file tells it: what holds in each zone and on each patch, in SI units."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import h5py
import numpy as np
from numpy.typing import NDArray

from intaglio.errors import FileRejected
from intaglio.formats.cgns.spellings import children, name_of, text

Values = Mapping[str, NDArray[np.float64]]


@dataclass(frozen=True)
class ZoneTold:
    """A zone: the material's name, its state and the constants of its models by their standard
    names, the equations' words by the kind of node, and the frame's centre (m) and rate (°/s),
    which the standard keeps in single precision."""

    material: str
    state: Values
    words: Mapping[str, str]
    constants: Values
    centre: NDArray[np.float32] | None = None
    rate: NDArray[np.float32] | None = None


@dataclass(frozen=True)
class PatchTold:
    """What holds on the faces of a patch at a zone: the standard's type, our word for the
    condition, the values that are held and those that pass through, each of one number or of one
    for every face in the order of the elements."""

    type: str
    condition: str
    fixed: Values = field(default_factory=dict)
    passing: Values = field(default_factory=dict)


@dataclass(frozen=True)
class CaseTold:
    """A file's case: whether it is steady, gravity (m/s², single precision), zones by name, patches
    by zone and name."""

    steady: bool
    gravity: NDArray[np.float32]
    zones: Mapping[str, ZoneTold]
    patches: Mapping[tuple[str, str], PatchTold]


def read_case(path: Path) -> CaseTold:
    """The case of a file that was written here. Raises FileRejected."""
    try:
        with h5py.File(path, "r") as file:
            return case_told(next(children(file["/"], "CGNSBase_t")))
    except (OSError, KeyError, ValueError, TypeError, StopIteration) as error:
        raise FileRejected("no-case", f"{path.name} holds no case that can be read.") from error


def case_told(base: h5py.Group) -> CaseTold:
    """The case of a base."""
    kind = next((text(c) for c in children(base, "SimulationType_t")), "")
    if not kind:
        raise ValueError("it does not say whether time counts")
    gravity = np.zeros(3, np.float32)
    for held in children(base, "Gravity_t"):
        gravity = _plain(held["GravityVector"])
    zones, patches = {}, {}
    for group in children(base, "Zone_t"):
        zone = name_of(group)
        zones[zone] = _zone(group)
        for conditions in children(group, "ZoneBC_t"):
            for condition in children(conditions, "BC_t"):
                patches[zone, name_of(condition)] = _patch(condition)
    return CaseTold(kind == "NonTimeAccurate", gravity, zones, patches)


def _plain(group: h5py.Group) -> NDArray[Any]:
    return np.asarray(group[" data"][()]).ravel()


def _arrays(parent: h5py.Group) -> dict[str, NDArray[Any]]:
    return {name_of(a): _plain(a) for a in children(parent, "DataArray_t")}


def _descriptor(parent: h5py.Group, name: str) -> str:
    return next((text(d) for d in children(parent, "Descriptor_t") if name_of(d) == name), "")


def _zone(group: h5py.Group) -> ZoneTold:
    material, state = "", {}
    for held in children(group, "ReferenceState_t"):
        material, state = _descriptor(held, "Material"), _arrays(held)
    words: dict[str, str] = {}
    constants: dict[str, NDArray[Any]] = {}
    for held in children(group, "FlowEquationSet_t"):
        for label in ("GoverningEquations_t", "ViscosityModel_t", "ThermalConductivityModel_t",
                      "TurbulenceClosure_t", "TurbulenceModel_t"):  # fmt: skip
            for model in children(held, label):
                words[label.removesuffix("_t")] = text(model)
                constants |= _arrays(model)
    frame = next(children(group, "RotatingCoordinates_t"), None)
    if frame is None:
        return ZoneTold(material, state, words, constants)
    turning = _plain(frame["RotationCenter"]), _plain(frame["RotationRateVector"])
    return ZoneTold(material, state, words, constants, *turning)


def _patch(condition: h5py.Group) -> PatchTold:
    fixed: dict[str, NDArray[Any]] = {}
    passing: dict[str, NDArray[Any]] = {}
    for data in children(condition, "BCDataSet_t"):
        for held in children(data, "BCData_t"):
            into = fixed if name_of(held) == "DirichletData" else passing
            into |= _arrays(held)
    return PatchTold(text(condition), _descriptor(condition, "Condition"), fixed, passing)
