"""The fluid of facets."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from intaglio.cad.measures import bounds
from intaglio.cad.part import Part
from intaglio.cad.tessellation import tessellate
from intaglio.errors import SettingRejected, StepFailed
from intaglio.facets.booleans import combined
from intaglio.facets.domain import compact, fluid_as_is, fluid_inside, openings
from intaglio.facets.embedding import embedded
from intaglio.facets.part import FacetPart, joined, kept
from intaglio.facets.pieces import find_pieces
from intaglio.facets.section import facet_section
from intaglio.numeric.winding import winding_numbers
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
from intaglio.triangles.edges import edge_table


def inside(settings: Domain, part: FacetPart) -> Fluid:
    """The fluid in the spaces that the pins lie in."""
    known = openings(part)
    check_closed(settings.closed, [o.name for o in known])
    if settings.solids:
        raise SettingRejected(
            "domain.solids", "Bodies of facets cannot be kept as solid zones yet; use CAD."
        )
    first_pin(settings)
    bodies: list[FacetPart] = []
    for pin in fluid_pins(settings):
        own = fluid_inside(part, known, settings.closed, pin["at"], pin["name"])
        for other in bodies:
            if abs(winding_numbers(other.points, other.triangles, np.array([pin["at"]]))[0]) > 0.5:
                raise StepFailed(
                    "same-space",
                    f"The pin of {pin['name']} lies in the space of {other.body_names[0]}.",
                    [list(pin["at"])],
                )
        bodies.append(own)
    caps = {o.name for o in known}
    if len(bodies) == 1:
        names = bodies[0].region_names
        roles = ["opening" if n in caps else "" for n in names]
        return single_zone(bodies[0], names, roles, bodies[0].body_names[0])
    whole = joined(bodies)
    zone_of = [np.unique(whole.body[whole.region == k])[0] for k in range(len(whole.region_names))]
    return Fluid(
        whole,
        whole.region_names,
        tuple("opening" if n in caps else "" for n in whole.region_names),
        tuple((n, "fluid") for n in whole.body_names),
        tuple((int(z),) for z in zone_of),
    )


def as_is(settings: Domain, model: FacetPart, zone: str) -> Fluid:
    """The inside of the facets as the fluid."""
    part = fluid_as_is(model, zone)
    return single_zone(part, part.region_names, [""] * len(part.region_names), zone)


def around(model: FacetPart | None, outside: Part, zone: str) -> Fluid:
    """What an enclosure holds besides the inside of the facets, if there are any."""
    scale = float(np.linalg.norm(np.subtract(*bounds(outside.shape))))
    shell, _ = tessellate(outside, 2e-4 * scale, 0.1)
    n = len(outside.faces)
    if model is None:
        names = tuple(outside.face_name(k) for k in range(n))
        body = np.zeros(len(shell.triangles), np.int32)
        part = FacetPart(
            shell.points, shell.triangles, shell.region, body, names, (zone,), outside.unit
        )
        return single_zone(part, names, [role_of(k) for k in names], zone)
    points, triangles, tag = combined(
        (shell.points, shell.triangles, shell.region),
        (model.points, model.triangles, model.region + n),
        "difference",
    )
    names = unique_names([*(outside.face_name(k) for k in range(n)), *model.region_names])
    # regions of the model have no role, whatever they are called
    role = dict.fromkeys(names, "") | {k: role_of(k) for k in names[:n]}
    part = _main_piece(
        FacetPart(
            points,
            triangles,
            tag.astype(np.int32),
            np.zeros(len(triangles), np.int32),
            names,
            (zone,),
            model.unit,
        )
    )
    roles = [role[k] for k in part.region_names]
    return single_zone(part, part.region_names, roles, zone)


def _main_piece(part: FacetPart) -> FacetPart:
    """The outer surface of the largest volume, and what stands in it."""
    groups = find_pieces(part, edge_table(part.triangles))
    outer = int(np.argmax(groups.volume))
    # what lies inside a body is not reached: its pieces are outward again
    keep = (np.arange(len(groups.volume)) == outer) | (groups.volume < 0)
    keep &= groups.depth <= 1
    return compact(kept(part, keep[groups.piece]))


def sector(fluid: Fluid, wedge: Part) -> Fluid:
    """The part of a fluid of one zone that lies in a wedge."""
    own = fluid.model
    assert isinstance(own, FacetPart)
    zone = fluid.zones[0][0]
    scale = float(np.linalg.norm(np.subtract(*bounds(wedge.shape))))
    knife, _ = tessellate(wedge, 1e-4 * scale, 0.05)
    n = len(own.region_names)
    points, triangles, tag = combined(
        (own.points, own.triangles, own.region),
        (knife.points, knife.triangles, knife.region + n),
        "intersection",
    )
    sides = [wedge.face_name(k) or "cut" for k in range(5)]
    names = unique_names([*own.region_names, *sides])
    model = compact(
        FacetPart(
            points,
            triangles,
            tag.astype(np.int32),
            np.zeros(len(triangles), np.int32),
            names,
            (zone,),
            own.unit,
        )
    )
    ids = model.region_names
    role = dict(zip(names, [*fluid.roles, *(role_of(k) for k in sides)], strict=True))
    return single_zone(model, ids, [role[k] for k in ids], zone)


def section(
    model: FacetPart, axis: int, at: float, thickness: float
) -> tuple[Model, list[str | int]]:
    """A slab cut out square to an axis, and what each of its faces comes from."""
    return facet_section(model, axis, at, thickness)


def embed(fluid: Fluid, model: FacetPart, names: list[str]) -> Fluid:
    """The fluid with bodies of a model, by name, standing in it as sheets."""
    own = fluid.model
    assert isinstance(own, FacetPart)
    chosen = [k for k, name in enumerate(model.body_names) if name in names]
    sheets = compact(kept(model, np.isin(model.body, chosen)))
    # meanwhile under names that no zone has
    called = {f"sheet {k}": name for k, name in enumerate(sheets.body_names)}
    part = embedded(own, replace(sheets, body_names=tuple(called)))
    count, zones = len(own.region_names), len(own.body_names)
    roles, sides, sheet = list(fluid.roles), list(fluid.sides), {}
    for region in range(count, len(part.region_names)):
        rows = np.flatnonzero(part.region == region)
        spot = part.points[part.triangles[rows[0]]].mean(axis=0)
        zone = _zone_at(own, spot) if zones > 1 else 0
        roles.append("sheet")
        sides.append((zone, zone))
        sheet[region] = called[part.body_names[part.body[rows[0]]]]
    ids = unique_names([*fluid.ids, *(plain_name(sheet[k], "sheet") for k in sheet)])
    bodies = (called.get(name, name) for name in part.body_names)
    named = replace(part, region_names=ids, body_names=tuple(bodies))
    return Fluid(named, ids, tuple(roles), fluid.zones, tuple(sides), sheet)


def _zone_at(part: FacetPart, spot: NDArray[np.float64]) -> int:
    turns = [
        winding_numbers(part.points, part.triangles[part.body == z], spot[None])[0]
        for z in range(len(part.body_names))
    ]
    return int(np.argmax(turns))


EXTRACTION = Extraction(inside, as_is, around, sector, section, embed)
