"""The case worked out: a material for every zone, a condition for every patch, in SI units.

Lengths of the settings and of the mesh are in the model's unit; all here is in metres, °C excepted.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from intaglio.case.kinds import (
    CLOSURE,
    CONDITION_ROWS,
    ENTERS,
    FRAME_ROWS,
    HEAT_ROWS,
    MATERIAL_ROWS,
    SETTLED,
    Closure,
)
from intaglio.case.materials import Properties, properties
from intaglio.case.similarity import (
    C_MU,
    PIPE_EDDIES,
    Turbulence,
    pipe_intensity,
    reynolds,
    turbulence,
)
from intaglio.errors import SettingRejected
from intaglio.settings.kinded import Kinded
from intaglio.settings.patterns import meaning
from intaglio.units import MM_PER_UNIT

# °C of a fluid that says nothing else
_WARMTH = 20.0
# turbulence of a stream from far away: a share of its speed, eddy viscosity over viscosity
_CALM, _CALM_RATIO = 0.01, 10.0

Row = Mapping[str, Any]


def metres(unit: str) -> float:
    """Length of a unit in metres."""
    return MM_PER_UNIT[unit] * 1e-3


@dataclass(frozen=True)
class Turning:
    """An axis through a point (m), and turns per minute about it."""

    point: tuple[float, float, float]
    axis: tuple[float, float, float]
    rpm: float

    @property
    def radians(self) -> float:
        """Angular speed in rad/s."""
        return self.rpm * math.pi / 30.0


@dataclass(frozen=True)
class ZoneSetup:
    """A zone: material by key, temperature °C that its properties are taken at, turning frame."""

    name: str
    kind: str
    material: str
    temperature: float
    properties: Properties
    frame: Turning | None = None


@dataclass(frozen=True)
class Inflow:
    """What a fluid brings that enters at a known speed: mean speed m/s, volume flow m³/s, mass flow
    kg/s, Reynolds number on the hydraulic diameter m, Mach number (nan where the material tells no
    speed of sound), turbulence intensity as a share, length of its eddies m, and what follows."""

    speed: float
    volume: float
    mass: float
    diameter: float
    reynolds: float
    mach: float
    intensity: float
    eddies: float
    turbulence: Turbulence


@dataclass(frozen=True)
class PatchSetup:
    """A patch: its kind, the zones it bounds, area m² and rim m, the condition by key ("" if none
    holds), its numbers in SI units (temperature in °C), how heat passes, whether a fluid touches
    it: what only solids touch needs no condition. facing: its area as a vector m² out of the fluid,
    zero where it is not known; airy: whether it bounds a zone with open air around, so that what
    enters is no flow of a duct; stream: whether its condition is that of the stream there."""

    name: str
    kind: str
    zones: tuple[str, ...]
    area: float
    rim: float
    condition: str
    numbers: Mapping[str, Any] = field(default_factory=dict)
    heat: str = "adiabatic"
    heat_numbers: Mapping[str, float] = field(default_factory=dict)
    wetted: bool = True
    facing: tuple[float, float, float] = (0.0, 0.0, 0.0)
    airy: bool = False
    stream: bool = False
    inflow: Inflow | None = None

    @property
    def diameter(self) -> float:
        """Hydraulic diameter 4A/P in m; where the rim is not known that of a circle as large."""
        return 4.0 * self.area / self.rim if self.rim > 0 else 2.0 * math.sqrt(self.area / math.pi)


@dataclass(frozen=True)
class CaseSetup:
    """Everything that a solver is told besides the mesh. unmatched: (setting, row, names) of rows
    that no zone or patch is meant by; twice: (setting, name) of what two rows are meant for."""

    zones: tuple[ZoneSetup, ...]
    patches: tuple[PatchSetup, ...]
    closure: Closure
    heat: bool
    steady: bool
    iterations: int
    step: float
    end: float
    gravity: tuple[float, float, float]
    unit: str
    unmatched: tuple[tuple[str, int, str], ...]
    twice: tuple[tuple[str, str], ...]

    def zone(self, name: str) -> ZoneSetup:
        return next(zone for zone in self.zones if zone.name == name)


@dataclass
class _Matched:
    """Rows by the name they hold for, and what went wrong in finding them."""

    row: dict[str, Row]
    unmatched: list[tuple[str, int, str]]
    twice: list[tuple[str, str]]


def matched(
    setting: str, kinded: Kinded, rows: Sequence[Row], named: Mapping[str, str]
) -> _Matched:
    """The row that holds for each of `named` {name: kind}: the first that names it, or a pattern
    that it fits, of those that suit its kind."""
    out = _Matched({}, [], [])
    for n, row in enumerate(rows, 1):
        kind = kinded.kind(row["is"])
        means = meaning(row[kinded.scope])
        meant = [name for name, own in named.items() if kind.fit(own) and means(name)]
        said = {p.strip().lower() for p in row[kinded.scope]}
        # a row for all the rest may find none
        if not meant and any(p.strip() != "*" for p in row[kinded.scope]):
            out.unmatched.append((setting, n, ", ".join(row[kinded.scope])))
        for name in meant:
            if name in out.row:
                # a pattern is overruled by what came before it; a name said twice is a mistake
                if name.lower() in said:
                    out.twice.append((setting, name))
            else:
                out.row[name] = row
    return out


def set_up(
    settings: Mapping[str, Any],
    zones: Mapping[str, str],
    patches: Sequence[Mapping[str, Any]],
    unit: str,
) -> CaseSetup:
    """Work out a case. settings: those of Case; zones {name: kind}; patches: rows of name, kind,
    area (unit²), perimeter (unit), zones and, where it is known, facing (unit²). Raises
    SettingRejected where a material is not known at its temperature or an axis has no direction."""
    scale = metres(unit)
    kinds = {p["name"]: p["kind"] for p in patches}
    materials = matched("materials", MATERIAL_ROWS, settings["materials"], zones)
    frames = matched("frames", FRAME_ROWS, settings["frames"], zones)
    held = matched("conditions", CONDITION_ROWS, settings["conditions"], kinds)
    warm = matched(
        "warmth", HEAT_ROWS, settings["warmth"] if settings["heat"] == "with" else [], kinds
    )
    made = tuple(
        _zone(name, kind, materials.row.get(name), frames.row.get(name), scale)
        for name, kind in zones.items()
    )
    by_name = {zone.name: zone for zone in made}
    # zones with open air around
    airy = {z for p in patches if _streams(p, held.row.get(p["name"])) for z in p["zones"]}
    parts = [materials, frames, held, warm]
    return CaseSetup(
        made,
        tuple(
            _patch(p, held.row.get(p["name"]), warm.row.get(p["name"]), by_name, scale, airy)
            for p in patches
        ),
        CLOSURE[settings["closure"]],
        settings["heat"] == "with",
        settings["time"] == "steady",
        settings["iterations"],
        settings["step"],
        settings["end"],
        _triple(settings["gravity"]),
        unit,
        tuple(x for part in parts for x in part.unmatched),
        tuple(x for part in parts for x in part.twice),
    )


def _streams(patch: Mapping[str, Any], row: Row | None) -> bool:
    return patch["kind"] == "far_field" or (row is not None and row["is"] == "stream")


def _triple(values: Sequence[float], scale: float = 1.0) -> tuple[float, float, float]:
    x, y, z = (float(v) * scale for v in values)
    return x, y, z


def _zone(name: str, kind: str, row: Row | None, frame: Row | None, scale: float) -> ZoneSetup:
    if row is None:
        row = {"is": "water", "temperature": _WARMTH} if kind == "fluid" else {"is": "carbon_steel"}
    celsius = float(row.get("temperature", _WARMTH))
    if row["is"] in ("own_fluid", "own_solid"):
        own = Properties(
            row["density"],
            row.get("viscosity", 0.0),
            row.get("heat_capacity", 0.0),
            row.get("conductivity", 0.0),
        )
    else:
        own = properties("case.materials", row["is"], celsius)
    turning = None if frame is None else _turning("case.frames", frame, scale)
    return ZoneSetup(name, kind, row["is"], celsius, own, turning)


def _turning(where: str, row: Row, scale: float) -> Turning:
    length = math.hypot(*row["axis"])
    if length == 0:
        raise SettingRejected(where, "The axis has no direction; give one such as 0, 0, 1.")
    return Turning(
        _triple(row["point"], scale), _triple(row["axis"], 1.0 / length), float(row["rpm"])
    )


def _patch(
    patch: Mapping[str, Any],
    row: Row | None,
    warm: Row | None,
    zones: Mapping[str, ZoneSetup],
    scale: float,
    airy: set[str],
) -> PatchSetup:
    kind = patch["kind"]
    condition = row["is"] if row is not None else kind if kind in SETTLED else ""
    numbers = {k: v for k, v in (row or {}).items() if k not in ("patches", "is")}
    stream = condition == "stream"
    if stream and kind in _OF_STREAM:
        condition, known = _OF_STREAM[kind]
        numbers = {k: v for k, v in numbers.items() if k in known}
    if "eddies" in numbers:
        numbers["eddies"] *= scale
    if condition == "turning":
        turning = _turning("case.conditions", numbers, scale)
        numbers = {"point": turning.point, "axis": turning.axis, "rpm": turning.rpm}
    heat = {k: v for k, v in (warm or {}).items() if k not in ("patches", "is")}
    made = PatchSetup(
        patch["name"],
        kind,
        tuple(patch["zones"]),
        patch["area"] * scale**2,
        patch["perimeter"] * scale,
        condition,
        numbers,
        warm["is"] if warm is not None else "adiabatic",
        heat,
        facing=_triple(patch.get("facing", (0.0, 0.0, 0.0)), scale**2),
        airy=bool(airy & set(patch["zones"])),
        stream=stream,
    )
    fluid = next((zones[z] for z in made.zones if zones[z].kind == "fluid"), None)
    if fluid is None:
        return replace(made, condition="", numbers={}, wetted=False)
    if condition not in ENTERS or condition == "total_pressure" or made.area <= 0:
        return made
    return replace(made, inflow=_inflow(made, fluid))


# what a stream is at patches that it enters or leaves through, and what of its numbers holds there
_OF_STREAM = {
    "inlet": ("velocity", ("velocity", "temperature", "intensity", "eddies")),
    "outlet": ("pressure", ("pressure", "temperature")),
}


def _inflow(patch: PatchSetup, zone: ZoneSetup) -> Inflow:
    """What enters through a patch whose condition tells the speed."""
    p, n = zone.properties, patch.numbers
    speed = 0.0
    if patch.condition in ("speed", "developed"):
        speed = n["speed"]
    elif patch.condition in ("velocity", "stream"):
        speed = math.hypot(*n["velocity"])
    elif patch.condition == "flow_rate":
        speed = n["rate"] / patch.area
    elif patch.condition == "mass_flow":
        speed = n["rate"] / (p.density * patch.area)
    width = patch.diameter
    number = reynolds(p.density, speed, width, p.viscosity)
    usual = _CALM if patch.airy or number <= 0 else pipe_intensity(number)
    intensity = n["intensity"] / 100.0 if "intensity" in n else usual
    eddies = n.get("eddies", PIPE_EDDIES * width)
    if patch.airy and "eddies" not in n and intensity * speed > 0:
        # the length that gives a stream's eddy viscosity: ν_t = Cμ^(1/4) √k l
        root = math.sqrt(1.5) * intensity * speed
        eddies = _CALM_RATIO * p.viscosity / p.density / (C_MU**0.25 * root)
    return Inflow(
        speed,
        speed * patch.area,
        speed * patch.area * p.density,
        width,
        number,
        abs(speed) / p.sound if p.sound > 0 else math.nan,
        intensity,
        eddies,
        turbulence(speed, intensity, eddies),
    )
