"""The fluid of a domain: its model, and what each of its faces and zones is."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from intaglio.cad.part import Part
from intaglio.errors import SettingRejected, StepFailed
from intaglio.facets.part import free_name
from intaglio.parts.kind import Model
from intaglio.stages.domain.settings import Domain


@dataclass(frozen=True)
class Fluid:
    """model; ids of its faces; roles: opening, far, symmetry, periodic, flat, interface, sheet or
    none; zones: name and kind; sides: zones of each face, twice the same for a sheet; sheet:
    body that a face of a sheet belongs to, by face; pieces: zone of each closed body of the model
    where they are not one each."""

    model: Model
    ids: tuple[str, ...]
    roles: tuple[str, ...]
    zones: tuple[tuple[str, str], ...]
    sides: tuple[tuple[int, ...], ...]
    sheet: Mapping[int, str] = field(default_factory=dict)
    pieces: tuple[int, ...] = ()


@dataclass(frozen=True)
class Extraction:
    """How one kind of model gives its fluid; `of_cad` and `of_facets` are the two. embed: sheets
    of a model, by name, placed in a fluid."""

    inside: Callable[[Domain, Any], Fluid]
    as_is: Callable[[Domain, Any, str], Fluid]
    around: Callable[[Any, Part, str], Fluid]
    sector: Callable[[Fluid, Part], Fluid]
    section: Callable[[Any, int, float, float], tuple[Model, list[str | int]]]
    embed: Callable[[Fluid, Any, list[str]], Fluid]


_FAR = ("ahead", "behind", "left", "right", "above", "below", "around")


def role_of(name: str) -> str:
    """What a face of an enclosure, a wedge or a section is, by its name."""
    if name in _FAR:
        return "far"
    if name.startswith("periodic"):
        return "periodic"
    if name in ("front", "back"):
        return "flat"
    return "symmetry" if name == "symmetry" else ""


def fluid_pins(settings: Domain) -> list[dict[str, Any]]:
    """Pins that say where fluid is."""
    return [p for p in settings.pin if p["kind"] == "fluid"]


def first_pin(settings: Domain) -> dict[str, Any]:
    """The first of them. Raises SettingRejected if there is none."""
    pins = fluid_pins(settings)
    if not pins:
        raise SettingRejected("domain.pin", "At least one pin must say where fluid is.")
    return pins[0]


def check_closed(closed: list[str], known: list[str]) -> None:
    """Raise SettingRejected for the name of an opening that the part has not."""
    unknown = [name for name in closed if name not in known]
    if unknown:
        raise SettingRejected(
            "domain.closed", f"The part has no opening called {', '.join(unknown)}."
        )


def unique_names(names: list[str]) -> tuple[str, ...]:
    """The names, with _2, _3 … where one is taken."""
    out: list[str] = []
    for name in names:
        out.append(free_name(name, out))
    return tuple(out)


def single_zone(model: Model, ids: tuple[str, ...], roles: list[str], zone: str) -> Fluid:
    """A fluid of one zone."""
    return Fluid(model, ids, tuple(roles), ((zone, "fluid"),), ((0,),) * len(ids))


def one_zone_only(fluid: Fluid) -> None:
    """Raise StepFailed if there are several zones."""
    if len(fluid.zones) > 1:
        raise StepFailed(
            "zones", "A section or sector is taken of one zone at a time. Keep one pin."
        )
