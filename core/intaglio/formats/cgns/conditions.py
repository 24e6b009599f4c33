"""The case in CGNS: equations and materials by zone, conditions with their data by patch.

The names are the standard's (Standard Interface Data Structures, annex A); quantities that it has
no name for, such as a heat transfer coefficient, have names of our own, which it allows. All values
are in SI units, which stand beside them, temperatures in kelvin; the mesh keeps its length unit.
"""

from collections.abc import Mapping
from typing import Any

import h5py
import numpy as np
from numpy.typing import NDArray

from intaglio.case.inflow import face_velocities
from intaglio.case.kinds import ENTERS
from intaglio.case.materials import ZERO
from intaglio.case.setup import CaseSetup, PatchSetup, Turning, ZoneSetup
from intaglio.formats.cgns.spellings import KIND_TO_TYPE, node, units
from intaglio.mesh.mesh import Mesh

# exponents of mass, length, time, temperature, angle
_NONE = (0, 0, 0, 0, 0)
_SPEED = (0, 1, -1, 0, 0)
_PRESSURE = (1, -1, -2, 0, 0)
_KELVIN = (0, 0, 0, 1, 0)
_DENSITY = (1, -3, 0, 0, 0)
_VISCOSITY = (1, -1, -1, 0, 0)
_KINEMATIC = (0, 2, -1, 0, 0)
_HEAT = (0, 2, -2, -1, 0)
_CONDUCTIVITY = (1, 1, -3, -1, 0)

Exponents = tuple[int, int, int, int, int]
# numbers by their standard names, with their dimensions
Values = dict[str, tuple[Any, Exponents]]


def _array(parent: h5py.Group, name: str, values: Any, exponents: Exponents) -> None:
    data = np.atleast_1d(np.asarray(values, "<f8"))
    held = node(parent, name, "DataArray_t", data)
    if exponents == _NONE:
        node(held, "DataClass", "DataClass_t", "NondimensionalParameter")
        return
    node(held, "DimensionalExponents", "DimensionalExponents_t", np.array(exponents, "<f8"))


def write_case(top: h5py.Group, case: CaseSetup) -> None:
    """What holds for the whole: whether time counts, and gravity."""
    kind = "NonTimeAccurate" if case.steady else "TimeAccurate"
    node(top, "SimulationType", "SimulationType_t", kind)
    if any(case.gravity):
        gravity = node(top, "Gravity", "Gravity_t")
        vector = node(gravity, "GravityVector", "DataArray_t", np.array(case.gravity, "<f4"))
        node(vector, "DimensionalExponents", "DimensionalExponents_t",
             np.array((0, 1, -2, 0, 0), "<f8"))  # fmt: skip
        units(gravity, "Meter")


def write_zone_case(group: h5py.Group, zone: ZoneSetup, case: CaseSetup) -> None:
    """A zone's material, equations and turning frame."""
    state = node(group, "ReferenceState", "ReferenceState_t")
    units(state, "Meter")
    node(state, "Material", "Descriptor_t", zone.material)
    for name, (value, exponents) in state_of(zone).items():
        _array(state, name, value, exponents)
    if zone.kind == "fluid":
        _equations(group, zone, case)
    if zone.frame is not None:
        _rotating(group, zone.frame)


def state_of(zone: ZoneSetup) -> Values:
    """A material's properties and the temperature that they are taken at."""
    own = zone.properties
    out: Values = {
        "Density": (own.density, _DENSITY),
        "Temperature": (zone.temperature + ZERO, _KELVIN),
    }
    if own.heat_capacity > 0:
        out["SpecificHeatPressure"] = (own.heat_capacity, _HEAT)
    if own.conductivity > 0:
        out["ThermalConductivity"] = (own.conductivity, _CONDUCTIVITY)
    if zone.kind == "fluid":
        out["ViscosityMolecular"] = (own.viscosity, _VISCOSITY)
    return out


def equations_of(zone: ZoneSetup, case: CaseSetup) -> dict[str, tuple[str, Values]]:
    """Of a fluid by the kind of node: the standard's word, and constants."""
    own = zone.properties
    turbulent = bool(case.closure.standard)
    out: dict[str, tuple[str, Values]] = {
        "GoverningEquations": ("NSTurbulent" if turbulent else "NSLaminar", {}),
        "ViscosityModel": ("Constant", {"ViscosityMolecular": (own.viscosity, _VISCOSITY)}),
    }
    if case.heat and own.conductivity > 0:
        out["ThermalConductivityModel"] = ("ConstantPrandtl", {"Prandtl": (own.prandtl, _NONE)})
    if turbulent:
        out["TurbulenceClosure"] = ("EddyViscosity", {})
        out["TurbulenceModel"] = (case.closure.standard, {})
    return out


def _equations(group: h5py.Group, zone: ZoneSetup, case: CaseSetup) -> None:
    held = node(group, "FlowEquationSet", "FlowEquationSet_t")
    units(held, "Meter")
    node(held, "EquationDimension", '"int"', np.array([3], "<i4"))
    for kind, (word, constants) in equations_of(zone, case).items():
        model = node(held, kind, f"{kind}_t", word)
        for name, (value, exponents) in constants.items():
            _array(model, name, value, exponents)


def frame_of(frame: Turning) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Centre (m) and rate (°/s) of a turning frame, as the standard keeps them."""
    rate = np.array(frame.axis) * np.degrees(frame.radians)
    return np.array(frame.point, "<f4"), rate.astype("<f4")


def _rotating(group: h5py.Group, frame: Turning) -> None:
    held = node(group, "RotatingCoordinates", "RotatingCoordinates_t")
    units(held, "Meter")
    centre, rate = frame_of(frame)
    for name, values, exponents in (
        ("RotationCenter", centre, (0, 1, 0, 0, 0)),
        ("RotationRateVector", rate, (0, 0, -1, 0, 1)),
    ):
        data = node(held, name, "DataArray_t", values)
        node(data, "DimensionalExponents", "DimensionalExponents_t", np.array(exponents, "<f8"))


def condition_type(patch: PatchSetup, heat: bool) -> str:
    """The standard's word for what holds on a patch."""
    if patch.kind != "wall":
        if patch.kind == "opening" and patch.condition in ENTERS:
            return "BCInflow"
        return (
            "BCOutflow" if patch.kind == "opening" and patch.condition else KIND_TO_TYPE[patch.kind]
        )
    if not patch.wetted:
        return KIND_TO_TYPE["wall"]
    if patch.condition == "slip":
        return "BCWallInviscid"
    if heat and patch.heat == "temperature":
        return "BCWallViscousIsothermal"
    if heat and patch.heat == "flux":
        return "BCWallViscousHeatFlux"
    return "BCWallViscous" if patch.condition else KIND_TO_TYPE["wall"]


def write_condition(
    condition: h5py.Group,
    mesh: Mesh,
    number: int,
    patch: PatchSetup,
    case: CaseSetup,
    order: NDArray[np.int64],
) -> None:
    """The data of a patch's condition at a zone; order: its faces there, as numbers among the
    patch's faces in the mesh, in the order of the elements."""
    node(condition, "Condition", "Descriptor_t", patch.condition or "none")
    fixed, passing = condition_data(mesh, number, patch, case, order)
    if not fixed and not passing:
        return
    held = node(condition, "Data", "BCDataSet_t", condition_type(patch, case.heat))
    units(held, "Meter")
    for name, values in (("DirichletData", fixed), ("NeumannData", passing)):
        if values:
            data = node(held, name, "BCData_t")
            for key, (value, exponents) in values.items():
                _array(data, key, value, exponents)


def condition_data(
    mesh: Mesh, number: int, patch: PatchSetup, case: CaseSetup, order: Any
) -> tuple[Values, Values]:
    """Values that are held at the patch, and those that pass through it."""
    fixed: Values = {}
    n = patch.numbers
    velocity = face_velocities(mesh, number, patch, case)
    if velocity is not None:
        own = velocity[order]
        same = np.ptp(own, axis=0).max(initial=0.0) <= 1e-12 * max(
            abs(own).max(initial=0.0), 1e-300
        )
        for i, axis in enumerate("XYZ"):
            fixed[f"Velocity{axis}"] = (own[0, i] if same else own[:, i], _SPEED)
    elif patch.condition in ("no_slip", "moving"):
        still = n.get("velocity", (0.0, 0.0, 0.0))
        fixed |= {f"Velocity{a}": (still[i], _SPEED) for i, a in enumerate("XYZ")}
    elif patch.condition == "turning":
        fixed |= _turning(n)
    if patch.condition in ("pressure", "stream"):
        fixed["Pressure"] = (n["pressure"], _PRESSURE)
    if patch.condition == "total_pressure":
        fixed["PressureStagnation"] = (n["pressure"], _PRESSURE)
    if patch.condition in ("mass_flow", "mass_out"):
        # the standard's is that through a unit of area
        fixed["MassFlow"] = (n["rate"] / patch.area, (1, -2, -1, 0, 0))
        fixed["MassFlowTotal"] = (n["rate"], (1, 0, -1, 0, 0))
    if patch.condition == "flow_rate":
        fixed["VolumeFlow"] = (n["rate"], (0, 3, -1, 0, 0))
    if case.heat and "temperature" in n:
        fixed["Temperature"] = (n["temperature"] + ZERO, _KELVIN)
    if patch.inflow is not None and patch.inflow.turbulence.rate > 0 and case.closure.standard:
        t = patch.inflow.turbulence
        fixed["TurbulentEnergyKinetic"] = (t.energy, (0, 2, -2, 0, 0))
        fixed["TurbulentDissipation"] = (t.dissipation, (0, 2, -3, 0, 0))
        fixed["TurbulentDissipationRate"] = (t.rate, (0, 0, -1, 0, 0))
        fixed["ViscosityEddyKinematic"] = (t.eddy_viscosity, _KINEMATIC)
    return _with_heat(patch, case, fixed)


def _turning(n: Mapping[str, Any]) -> Values:
    rate = np.array(n["axis"]) * np.degrees(n["rpm"] * np.pi / 30.0)
    out: Values = {}
    for i, axis in enumerate("XYZ"):
        out[f"RotationCenter{axis}"] = (n["point"][i], (0, 1, 0, 0, 0))
        out[f"RotationRate{axis}"] = (rate[i], (0, 0, -1, 0, 1))
    return out


def _with_heat(patch: PatchSetup, case: CaseSetup, fixed: Values) -> tuple[Values, Values]:
    passing: Values = {}
    own = patch.heat_numbers
    if case.heat and patch.kind == "wall":
        if patch.heat == "temperature":
            fixed["Temperature"] = (own["temperature"] + ZERO, _KELVIN)
        elif patch.heat == "flux":
            passing["HeatFlux"] = (own["flux"], (1, 0, -3, 0, 0))
        elif patch.heat == "transfer":
            passing["HeatTransferCoefficient"] = (own["coefficient"], (1, 0, -3, -1, 0))
            passing["TemperatureAround"] = (own["temperature"] + ZERO, _KELVIN)
        else:
            passing["HeatFlux"] = (0.0, (1, 0, -3, 0, 0))
    return fixed, passing
