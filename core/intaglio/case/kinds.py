"""What a case is said in: materials, conditions on patches, heat at walls, turning frames.

The words are those of textbooks: J. H. Ferziger, M. Perić, Computational Methods for Fluid
Dynamics, 8.10; H. K. Versteeg, W. Malalasekera, An Introduction to Computational Fluid Dynamics, 9.
"""

from dataclasses import dataclass

from intaglio.case.materials import MATERIALS, Material
from intaglio.settings.blanks import Blank
from intaglio.settings.kinded import Kinded, RowKind

_CELSIUS = Blank("number", "temperature", "", unit="°C", above=-273.15, start=20.0)
_SPEED = Blank("velocity", "speed", "", unit="m/s")
_MEAN = Blank("velocity", "mean speed", "", unit="m/s")
_PRESSURE = Blank("pressure", "pressure", "", unit="Pa")
_VECTOR = Blank("point", "velocity", "", unit="m/s")
_POINT = Blank("point", "point of the axis", "", unit="{unit}")
_AXIS = Blank("point", "direction of the axis", "", start=[0.0, 0.0, 1.0])
_TURNS = Blank("number", "turns per minute", "", unit="1/min")
_DENSITY = Blank("density", "density", "", unit="kg/m³", above=0.0)
_VISCOSITY = Blank("viscosity", "dynamic viscosity", "", unit="Pa·s", above=0.0)
_HEAT = Blank("number", "heat capacity", "", unit="J/(kg K)", above=0.0)
_CONDUCTIVITY = Blank("number", "conductivity", "", unit="W/(m K)", above=0.0)
_COEFFICIENT = Blank("number", "heat transfer coefficient", "", unit="W/(m² K)", above=0.0)
# what an entering fluid may bring with it
_BROUGHT = {
    "temperature": _CELSIUS,
    "intensity": Blank("number", "turbulence intensity", "", unit="%", least=0.0, most=100.0),
    "eddies": Blank("length", "length of its eddies", "", unit="{unit}", above=0.0),
}


def _known(material: Material) -> Blank:
    """The temperature of a material, within those that the library knows it at."""
    label = f"temperature of {material.label}"
    return Blank(
        "number", label, "", unit="°C", least=material.least, most=material.most, start=20.0
    )


MATERIAL_ROWS = Kinded("zones", (
    *(
        RowKind(m.key, m.label, {"temperature": _known(m)} if m.kind == "fluid" else {},
                fits=(m.kind,))
        for m in MATERIALS
    ),
    RowKind("own_fluid", "a fluid of one's own",
            {"density": _DENSITY, "viscosity": _VISCOSITY},
            {"heat_capacity": _HEAT, "conductivity": _CONDUCTIVITY, "temperature": _CELSIUS},
            ("fluid",)),
    RowKind("own_solid", "a solid of one's own",
            {"density": _DENSITY, "heat_capacity": _HEAT, "conductivity": _CONDUCTIVITY},
            fits=("solid",)),
))  # fmt: skip

_IN, _OUT, _WALL = ("inlet", "opening"), ("outlet", "opening"), ("wall",)
CONDITION_ROWS = Kinded("patches", (
    RowKind("speed", "let it in at a speed normal to them", {"speed": _SPEED}, _BROUGHT, _IN),
    RowKind("velocity", "let it in with a velocity", {"velocity": _VECTOR}, _BROUGHT, _IN),
    RowKind("developed", "let it in with a developed profile", {"speed": _MEAN}, _BROUGHT, _IN),
    RowKind("flow_rate", "let a volume in",
            {"rate": Blank("number", "volume flow", "", unit="m³/s", above=0.0)}, _BROUGHT, _IN),
    RowKind("mass_flow", "let a mass in",
            {"rate": Blank("number", "mass flow", "", unit="kg/s", above=0.0)}, _BROUGHT, _IN),
    RowKind("total_pressure", "let it in from rest at a total pressure", {"pressure": _PRESSURE},
            _BROUGHT, _IN),
    RowKind("pressure", "let it out at a static pressure", {"pressure": _PRESSURE},
            {"temperature": _CELSIUS}, _OUT),
    RowKind("mass_out", "let a mass out",
            {"rate": Blank("number", "mass flow", "", unit="kg/s", above=0.0)}, {}, _OUT),
    RowKind("no_slip", "hold the fluid", fits=_WALL),
    RowKind("slip", "let the fluid slip", fits=_WALL),
    RowKind("moving", "move", {"velocity": _VECTOR}, fits=_WALL),
    RowKind("turning", "turn", {"point": _POINT, "axis": _AXIS, "rpm": _TURNS}, fits=_WALL),
    # one statement for all that a stream enters and leaves through
    RowKind("stream", "stand in a stream", {"velocity": _VECTOR, "pressure": _PRESSURE},
            _BROUGHT, ("far_field", "inlet", "outlet")),
))  # fmt: skip
# kinds of patches that say all by themselves
SETTLED = ("symmetry", "periodic", "interface", "flat", "wedge")
# through which fluid enters and leaves, and which fix the pressure
ENTERS = ("speed", "velocity", "developed", "flow_rate", "mass_flow", "total_pressure", "stream")
LEAVES = ("pressure", "mass_out", "stream")
LEVELS = ("total_pressure", "pressure", "stream")

HEAT_ROWS = Kinded("patches", (
    RowKind("temperature", "are held at", {"temperature": _CELSIUS}, fits=_WALL),
    RowKind("flux", "take up", {"flux": Blank("number", "heat flux", "", unit="W/m²")}, fits=_WALL),
    RowKind("transfer", "pass heat to surroundings",
            {"coefficient": _COEFFICIENT, "temperature": _CELSIUS}, fits=_WALL),
))  # fmt: skip
FRAME_ROWS = Kinded("zones", (
    RowKind("turning", "turn", {"point": _POINT, "axis": _AXIS, "rpm": _TURNS}, fits=("fluid",)),
))  # fmt: skip


@dataclass(frozen=True)
class Closure:
    """How turbulence is modelled: key, words, the standard's name of the model, whether walls are
    resolved (y+ about 1) or bridged by the law of the wall (30 to 300) by it, in the usual form."""

    key: str
    label: str
    standard: str
    resolves: bool = False
    bridges: bool = False


CLOSURES = (
    Closure("laminar", "laminar", ""),
    Closure("one_equation", "turbulent, one equation for the eddy viscosity",
            "OneEquation_SpalartAllmaras", resolves=True),
    Closure("k_epsilon", "turbulent, k and ε", "TwoEquation_JonesLaunder", bridges=True),
    Closure("k_omega", "turbulent, k and ω", "TwoEquation_Wilcox", True, True),
    Closure("shear_transport", "turbulent, k and ω with limited shear stress",
            "TwoEquation_MenterSST", True, True),
)  # fmt: skip
CLOSURE = {closure.key: closure for closure in CLOSURES}
