"""The flow past the walls of a case, and where the first cells lie in it."""

from collections.abc import Mapping
from dataclasses import dataclass

from intaglio.case.friction import wall_flow
from intaglio.case.setup import CaseSetup


@dataclass(frozen=True)
class Passing:
    """The flow past the walls of a zone: speed (m/s) of the fastest that enters it in the mean,
    length (m) of the plate or diameter of the pipe that walls are likened to (along), kinematic
    viscosity (m²/s)."""

    zone: str
    speed: float
    length: float
    viscosity: float
    along: str


def passing(case: CaseSetup, widths: Mapping[str, float]) -> list[Passing]:
    """The flow past the walls of every zone that something enters; widths (m) of zones by name."""
    out = []
    for zone in case.zones:
        if zone.kind != "fluid":
            continue
        flows = [p for p in case.patches if zone.name in p.zones and p.inflow is not None]
        speed = max((abs(p.inflow.speed) for p in flows if p.inflow), default=0.0)
        width = widths.get(zone.name, 0.0)
        if speed <= 0 or width <= 0:
            continue
        along = "plate" if any(p.airy for p in flows) else "pipe"
        kinematic = zone.properties.viscosity / zone.properties.density
        out.append(Passing(zone.name, speed, width, kinematic, along))
    return out


def yplus(
    case: CaseSetup, near: Mapping[str, float], widths: Mapping[str, float]
) -> dict[str, float]:
    """Estimated y+ of the first cells' centroids at each wall that holds a driven fluid, by the
    friction of a smooth pipe as wide as its zone at the fastest mean speed that enters there; in a
    stream by that of a plate as long as the zone is wide."""
    out = {}
    for past in passing(case, widths):
        height = wall_flow(1.0, past.speed, past.length, past.viscosity, past.along).height
        for p in case.patches:
            still = p.condition in ("no_slip", "moving", "turning") and past.zone in p.zones
            if still and near.get(p.name, 0.0) > 0:
                out[p.name] = 2.0 * near[p.name] / height
    return out
