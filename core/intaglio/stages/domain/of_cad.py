"""The fluid of CAD."""

from dataclasses import replace

from intaglio.cad import domain as cad_domain
from intaglio.cad.embedding import embedded
from intaglio.cad.history import combined
from intaglio.cad.measures import volume
from intaglio.cad.part import Part
from intaglio.cad.passages import passages_part
from intaglio.cad.section import cad_section
from intaglio.cad.zones import zoned_fluid
from intaglio.errors import SettingRejected, StepFailed
from intaglio.parts.kind import Model
from intaglio.parts.source import plain_name
from intaglio.stages.domain.fluid import (
    Extraction,
    Fluid,
    check_closed,
    first_pin,
    fluid_pins,
    role_of,
    single_zone,
    unique_names,
)
from intaglio.stages.domain.settings import Domain


def _solids(model: Part, so: str = "") -> None:
    if not model.solids:
        raise StepFailed(
            "no-solid", f"The geometry has no solid{so}. Sew its faces in Geometry first."
        )


def inside(settings: Domain, model: Part) -> Fluid:
    """The fluid in the spaces that the pins lie in."""
    pins = fluid_pins(settings)
    one = first_pin(settings)
    _solids(model, ", so it has no inside")
    host = passages_part(model)
    openings = cad_domain.openings(host)
    check_closed(settings.closed, [o.name for o in openings])
    unknown = [n for n in settings.solids if n != "*" and n not in _body_names(model)]
    if unknown:
        raise SettingRejected("domain.solids", f"There is no body called {', '.join(unknown)}.")
    if len(pins) == 1 and not settings.solids:
        at = tuple(float(v) for v in one["at"])
        fluid = cad_domain.fluid_inside(host, openings, settings.closed, at)  # type: ignore[arg-type]
        ids = unique_names([n if kind == "opening" else f"face_{n}" for kind, n in fluid.source])
        roles = ["opening" if kind == "opening" else "" for kind, _ in fluid.source]
        part = replace(
            fluid.part,
            body_names=(one["name"],),
            face_names=tuple(
                host.face_name(int(n) - 1) if kind == "face" else "" for kind, n in fluid.source
            ),
        )
        return single_zone(part, ids, roles, one["name"])
    caps = [cad_domain.cap_of(host, o) for o in openings if o.name in settings.closed]
    names = [o.name for o in openings if o.name in settings.closed]
    zoned = zoned_fluid(model, caps, [(p["name"], p["at"]) for p in pins], settings.solids)
    raw, roles = [], []
    zone_names = zoned.part.body_names
    for k, sides in enumerate(zoned.sides):
        if k in zoned.caps and len(sides) == 1:
            raw.append(names[zoned.caps[k]])
            roles.append("opening")
        elif len(sides) > 1:
            raw.append(f"{zone_names[sides[0]]}_to_{zone_names[sides[1]]}")
            roles.append("interface")
        else:
            raw.append(f"{zone_names[sides[0]]}_wall")
            roles.append("")
    return Fluid(
        zoned.part,
        unique_names(raw),
        tuple(roles),
        tuple(zip(zone_names, zoned.kinds, strict=True)),
        zoned.sides,
    )


def _body_names(part: Part) -> list[str]:
    return [part.body_name(k) for k in range(len(part.bodies))]


def as_is(settings: Domain, model: Part, zone: str) -> Fluid:
    """The solids themselves as the fluid."""
    _solids(model)
    fluid = cad_domain.fluid_as_is(model)
    ids = tuple(f"face_{n}" for _, n in fluid.source)
    numbers = [int(n) - 1 for _, n in fluid.source]
    part = replace(
        fluid.part,
        body_names=(zone,),
        face_names=tuple(model.face_name(n) for n in numbers),
        face_colours=tuple(model.face_colour(n) for n in numbers),
    )
    return single_zone(part, ids, [""] * len(ids), zone)


def around(model: Part | None, outside: Part, zone: str) -> Fluid:
    """What an enclosure holds besides the solids of a model, if there is one."""
    if model is None:
        names = [outside.face_name(k) for k in range(len(outside.faces))]
        part = replace(outside, body_names=(zone,), face_names=())
        return single_zone(part, unique_names(names), [role_of(n) for n in names], zone)
    _solids(model)
    part, origin = combined("difference", outside, list(model.solids))
    part, origin = _largest(part, origin)
    numbers = [
        model.face_map.FindIndex(f) - 1 for s in model.solids for f in Part(s, model.unit).faces
    ]
    raw, names = [], []
    for k in range(len(part.faces)):
        group, number = origin.get(k, (1, -1))
        if group == 0:
            raw.append(outside.face_name(number))
            names.append("")
        else:
            raw.append(f"face_{numbers[number] + 1}" if number >= 0 else "wall")
            names.append(model.face_name(numbers[number]) if number >= 0 else "")
    part = replace(part, body_names=(zone,), face_names=tuple(names))
    return single_zone(part, unique_names(raw), [role_of(n) for n in raw], zone)


def _largest(
    part: Part, origin: dict[int, tuple[int, int]]
) -> tuple[Part, dict[int, tuple[int, int]]]:
    """The largest solid of a result alone: closed cavities of the body are not the fluid."""
    if len(part.solids) == 1:
        single = Part(part.solids[0], part.unit, part.body_names)
    else:
        single = Part(max(part.solids, key=volume), part.unit, part.body_names)
    return single, {
        k: origin[part.face_map.FindIndex(f) - 1]
        for k, f in enumerate(single.faces)
        if part.face_map.FindIndex(f) - 1 in origin
    }


def sector(fluid: Fluid, wedge: Part) -> Fluid:
    """The part of a fluid of one zone that lies in a wedge."""
    own = fluid.model
    assert isinstance(own, Part)
    zone = fluid.zones[0][0]
    raw, roles = [], []
    part, origin = combined("intersection", own, [wedge.shape])
    part, origin = _largest(part, origin)
    names = []
    for k in range(len(part.faces)):
        group, number = origin.get(k, (0, 0))
        raw.append(fluid.ids[number] if group == 0 else wedge.face_name(number) or "cut")
        roles.append(fluid.roles[number] if group == 0 else role_of(raw[-1]))
        names.append(own.face_name(number) if group == 0 else "")
    model = replace(part, body_names=(zone,), face_names=tuple(names))
    return single_zone(model, unique_names(raw), roles, zone)


def section(model: Part, axis: int, at: float, thickness: float) -> tuple[Model, list[str | int]]:
    """A slab cut out square to an axis, and what each of its faces comes from."""
    return cad_section(model, axis, at, thickness)


def embed(fluid: Fluid, model: Part, names: list[str]) -> Fluid:
    """The fluid with bodies of a model, by name, standing in it as sheets."""
    own = fluid.model
    assert isinstance(own, Part)
    numbers = {model.body_name(k): k for k in range(len(model.bodies))}
    faces = [Part(model.bodies[numbers[n]], model.unit).faces for n in names]
    made = embedded(own, faces)
    part = made.part
    zone_of = fluid.pieces or tuple(range(len(own.solids)))
    if len(fluid.zones) == 1:
        zone_of = (0,) * len(own.solids)
    ids, roles, sides, titles, sheet = [], [], [], [], {}
    for k in range(len(part.faces)):
        group, number = made.origins[k]
        if group == 0:
            ids.append(fluid.ids[number])
            roles.append(fluid.roles[number])
            sides.append(fluid.sides[number])
            titles.append(own.face_name(number))
            continue
        ids.append(plain_name(names[number], "sheet"))
        roles.append("sheet")
        # a sheet that parts its zone in two has a piece of it on either side
        zone = zone_of[made.around[k]]
        sides.append((zone, zone))
        titles.append(names[number])
        sheet[k] = names[number]
    bodies = (*(name for name, _ in fluid.zones), *names)
    return Fluid(
        replace(part, body_names=bodies, face_names=tuple(titles)),
        unique_names(ids),
        tuple(roles),
        fluid.zones,
        tuple(sides),
        sheet,
        tuple(zone_of[k] for k in made.pieces),
    )


EXTRACTION = Extraction(inside, as_is, around, sector, section, embed)
