"""What rows of layers come to before they are grown: heights, and the flow that y+ goes by."""

import math
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np
from typing_extensions import TypedDict

from intaglio.case.friction import wall_flow
from intaglio.case.passing import Passing, passing
from intaglio.case.setup import CaseSetup, metres
from intaglio.layers.heights import MOST_GROWTH, Heights, growths, last, over_first, reached
from intaglio.settings.blanks import significant
from intaglio.settings.patterns import meaning
from intaglio.stages.layers.rows import MOST_LAYERS
from intaglio.stages.layers.scopes import CORE_HEIGHT, flow_of, heights_of

Report = Mapping[str, Any]
Row = Mapping[str, Any]

# a new row that divides has so many layers for each that there is, and at least for so many
_FINER, _FEWEST = 2, 4
# and begins with a layer so much lower than even ones
_LOWER = 1 / 3
# m/s of a flow whose case does not tell its speed
_SPEED = 1.0


class FlowTold(TypedDict):
    """The flow past the walls: speed (m/s), length (model's unit) of a plate or diameter of a pipe,
    kinematic viscosity (m²/s), along: plate or pipe; yplus: in the middle of a first layer one unit
    high; told: whether the case tells the speed, which is 1 m/s otherwise."""

    speed: float
    length: float
    viscosity: float
    along: str
    yplus: float
    told: bool


class ShearTold(TypedDict):
    """A flow at a wall: along plate or pipe, Reynolds number, coefficient of friction, thickness
    (model's unit) of the boundary layer, within: layers that end inside it, null where heights are
    not known."""

    along: str
    reynolds: float
    friction: float
    thickness: float
    within: int | None


class RowTold(TypedDict):
    """A row of layers: heights first, last and total, in lengths of the wall's edge where of_edge,
    else in the model's unit; ends (count + 1): where each layer ends as shares of all, 0 first;
    core: height of the first core cell over that of the last layer, null where the wall's edge is
    not known; flow: that which y+ goes by, or the usual one."""

    first: float
    last: float
    total: float
    of_edge: bool
    ends: list[float]
    core: float | None
    flow: ShearTold | None


class DivisionTold(TypedDict):
    """A row that divides layers: total: height (model's unit) there is, growth that comes of it,
    fits: `well`, `flat` (so many do not fit that begin so high) or `steep` (no growth allowed leads
    from so low a first one to the top); ends (count + 1) as in RowTold; start: a first height to
    begin with."""

    total: float
    growth: float
    fits: str
    first: float
    last: float
    ends: list[float]
    start: float


class LayersTold(TypedDict):
    """What rows come to. flow: by the case, null while there is no domain; asked: that of the first
    row that goes by y+, else flow; layers: by row; divisions: by row,
    null for those that no grown layers fit; count: layers that a new division begins with."""

    flow: FlowTold | None
    asked: FlowTold | None
    layers: list[RowTold]
    divisions: list[DivisionTold | None]
    count: int


def foretold(
    rows: list[dict[str, Any]],
    divisions: list[dict[str, Any]],
    unit: str,
    case: CaseSetup | None,
    reports: Mapping[str, Report],
) -> LayersTold:
    """Told from the rows of Layers and of Volume, the model's unit, the case as it stands (None
    while there is none) and the reports that there are of the stages."""
    grown = reports.get("layers", {}).get("patches", [])
    past = usual_flow(case, reports)
    asked = next((_asked(row, unit) for row in rows if "yplus" in row), past)
    return {
        "flow": None if past is None else _flow(past, unit),
        "asked": None if asked is None else _flow(asked, unit),
        "layers": [_row(row, unit, _edge(row, grown, reports), past) for row in rows],
        "divisions": [_division(row, grown) for row in divisions],
        "count": _FINER * max([_FEWEST, *(patch["count"] for patch in grown)]),
    }


def usual_flow(case: CaseSetup | None, reports: Mapping[str, Report]) -> Passing | None:
    """The fastest flow past walls: in a passage by its hydraulic diameter, around a body by the
    body's length. Its zone is "" where the case tells no speed, which is 1 m/s then. None while
    there is no case or no domain."""
    domain = reports.get("domain")
    if case is None or domain is None:
        return None
    scale = metres(case.unit)
    width = 4.0 * domain["volume"] / domain["area"] if domain["area"] > 0 else 0.0
    around = any(face["role"] == "far" for face in domain["faces"])
    body = max(reports.get("geometry", {}).get("size", [0.0])) if around else 0.0
    length = scale * (body or width)
    fluids = [zone for zone in case.zones if zone.kind == "fluid"]
    if length <= 0 or not fluids:
        return None
    along = "plate" if around else "pipe"
    known = passing(case, {zone.name: length for zone in fluids})
    if known:
        return replace(max(known, key=lambda past: past.speed), along=along)
    own = fluids[0].properties
    return Passing("", _SPEED, length, own.viscosity / own.density, along)


def _asked(row: Row, unit: str) -> Passing:
    length = row["length"] * metres(unit)
    return Passing("asked", row["speed"], length, row["viscosity"], row["along"])


def _flow(past: Passing, unit: str) -> FlowTold:
    one = wall_flow(1.0, past.speed, past.length, past.viscosity, past.along)
    return {
        "speed": significant(past.speed, 3),
        "length": significant(past.length / metres(unit), 3),
        "viscosity": significant(past.viscosity, 3),
        "along": past.along,
        "yplus": metres(unit) / one.height,
        "told": past.zone != "",
    }


def _edge(row: Row, grown: list[Report], reports: Mapping[str, Report]) -> float | None:
    """Edge of the wall: where layers were grown by the row's names, else the mean of the surface's
    triangles, were they all alike and equilateral."""
    means = meaning(row["patches"])
    own = next((patch["edge"] for patch in grown if means(patch["name"])), None)
    surface, domain = reports.get("surface"), reports.get("domain")
    if own is not None or surface is None or domain is None or not surface["triangles"]:
        return own
    return math.sqrt(4.0 * domain["area"] / (math.sqrt(3.0) * surface["triangles"]))


def _row(row: Row, unit: str, edge: float | None, usual: Passing | None) -> RowTold:
    of_edge = "last" in row
    own = heights_of(row, 1.0, unit)
    ends = reached(own)
    over = 1.0 if of_edge else edge
    # heights in the model's unit, where they are known
    scale = edge if of_edge else 1.0
    return {
        "first": own.first,
        "last": last(own),
        "total": float(ends[-1]),
        "of_edge": of_edge,
        "ends": _shares(own),
        "core": None if over is None else CORE_HEIGHT * over / last(own),
        "flow": _shear(row, unit, None if scale is None else [scale * e for e in ends[1:]], usual),
    }


def _shear(
    row: Row, unit: str, ends: list[float] | None, usual: Passing | None
) -> ShearTold | None:
    flow, along = flow_of(row, unit), row.get("along", "")
    if flow is None:
        if usual is None:
            return None
        flow = wall_flow(1.0, usual.speed, usual.length, usual.viscosity, usual.along)
        along = usual.along
    thickness = flow.thickness / metres(unit)
    return {
        "along": along,
        "reynolds": flow.reynolds,
        "friction": flow.friction,
        "thickness": thickness,
        "within": None if ends is None else sum(end <= thickness for end in ends),
    }


def _growth(first: float, total: float, count: int) -> tuple[float, str]:
    """The growth from a first height to the top, and how that fits."""
    number = np.array([count], np.int32)
    found, flat = growths(first, np.array([total]), number)
    steepest = first * over_first(np.array([MOST_GROWTH]), number)[0]
    return float(found[0]), "flat" if flat[0] else "steep" if steepest < total else "well"


def _shares(heights: Heights) -> list[float]:
    ends = reached(heights)
    return [float(end / ends[-1]) for end in ends]


def _division(row: Row, grown: list[Report]) -> DivisionTold | None:
    means = meaning(row["patches"])
    own = next((patch for patch in grown if means(patch["name"])), None)
    if own is None:
        return None
    total, count = own["total"], min(row["count"], MOST_LAYERS)
    fit = "well"
    growth = row.get("growth")
    if growth is None:
        growth, fit = _growth(row["first"], total, count)
    ends = reached(Heights(1.0, growth, count))
    made = Heights(total / float(ends[-1]), growth, count)
    return {
        "total": total,
        "growth": growth,
        "fits": fit,
        "first": made.first,
        "last": last(made),
        "ends": _shares(made),
        "start": significant(_LOWER * total / count, 2),
    }
