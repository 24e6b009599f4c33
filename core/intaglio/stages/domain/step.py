"""The domain step: the fluid inside, around or as the part; a section or sector of it; zones."""

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.cad import domain as cad_domain
from intaglio.cad.enclosure import AXES, Enclosure, enclosing, enclosure_part, wedge_part
from intaglio.cad.history import combined as cad_combined
from intaglio.cad.part import Part, bounds, volume
from intaglio.cad.repair import united
from intaglio.cad.section import cad_section
from intaglio.cad.tessellation import tessellate
from intaglio.cad.zones import zoned_fluid
from intaglio.errors import SettingRejected, StepFailed
from intaglio.facets import domain as facet_domain
from intaglio.facets.booleans import combined as facet_combined
from intaglio.facets.facets import enclosed_volume
from intaglio.facets.part import FacetPart, free_name
from intaglio.facets.section import facet_section
from intaglio.findings import Finding
from intaglio.numeric.winding import winding_numbers
from intaglio.parts.model import (
    Drawn,
    Model,
    Product,
    Progress,
    display,
    drawn,
    face_links,
    face_rows,
    limits,
    model_area,
    model_of,
    model_volume,
    rounded,
    stored,
)
from intaglio.stages.domain.settings import Domain

# advice on distances, in body lengths, and on the share of the section that the body blocks
_LEAST = {"ahead": 3.0, "behind": 6.0, "aside": 3.0}
_BLOCKED = 0.03


@dataclass(frozen=True)
class Fluid:
    """model; ids of its faces; roles: opening, far, symmetry, periodic, flat, interface or an empty
    text; zones: name and kind; sides: zones of each face."""

    model: Model
    ids: tuple[str, ...]
    roles: tuple[str, ...]
    zones: tuple[tuple[str, str], ...]
    sides: tuple[tuple[int, ...], ...]


_FAR = ("ahead", "behind", "left", "right", "above", "below", "around")


def _role(name: str) -> str:
    if name in _FAR:
        return "far"
    if name.startswith("periodic"):
        return "periodic"
    if name in ("front", "back"):
        return "flat"
    return "symmetry" if name == "symmetry" else ""


def domain_step(settings: Domain, geometry: Product, progress: Progress) -> Product:
    """Extract the fluid and describe its faces and zones."""
    model = model_of(geometry)
    found: list[Finding] = []
    progress(0.1, "getting the fluid")
    if settings.where == "around":
        fluid, found = _around(settings, model)
    elif settings.where == "as-is":
        fluid = _as_is(settings, model)
    else:
        fluid = _inside(settings, model)
    if settings.cut == "section":
        progress(0.5, "taking the section")
        fluid = _section(settings, fluid)
    elif settings.cut == "sector":
        progress(0.5, "cutting the sector")
        fluid, more = _sector(settings, fluid)
        found += more
    _keep_dry(settings, fluid)
    progress(0.6, "describing the fluid")
    low, high = limits(fluid.model)
    inside = settings.where == "inside" and settings.cut == "all"
    middle = _one_pin(settings)["at"] if inside else (0.5 * (low + high)).tolist()
    return _described(fluid, found, middle)


def _pins(settings: Domain) -> list[dict[str, Any]]:
    return [p for p in settings.pin if p["kind"] == "fluid"]


def _one_pin(settings: Domain) -> dict[str, Any]:
    pins = _pins(settings)
    if not pins:
        raise SettingRejected("domain.pin", "At least one pin must say where fluid is.")
    return pins[0]


def passages_part(part: Part) -> Part:
    """The part in which openings are looked for: all solids as one, so that a space between
    several of them is bounded by one surface."""
    if len(part.solids) < 2:
        return part
    try:
        return united(part)[0]
    except StepFailed:
        return part


def _inside(settings: Domain, model: Model) -> Fluid:
    if isinstance(model, FacetPart):
        return _inside_facets(settings, model)
    pins = _pins(settings)
    one = _one_pin(settings)
    if not model.solids:
        raise StepFailed(
            "no-solid",
            "The geometry has no solid, so it has no inside. Sew its faces in Geometry first.",
        )
    host = passages_part(model)
    openings = cad_domain.openings(host)
    _check_closed(settings.closed, [o.name for o in openings])
    unknown = [n for n in settings.solids if n != "*" and n not in _body_names(model)]
    if unknown:
        raise SettingRejected("domain.solids", f"There is no body called {', '.join(unknown)}.")
    if len(pins) == 1 and not settings.solids:
        at = tuple(float(v) for v in one["at"])
        fluid = cad_domain.fluid_inside(host, openings, settings.closed, at)  # type: ignore[arg-type]
        ids = _unique([n if kind == "opening" else f"face_{n}" for kind, n in fluid.source])
        roles = ["opening" if kind == "opening" else "" for kind, _ in fluid.source]
        part = replace(
            fluid.part,
            body_names=(one["name"],),
            face_names=tuple(
                host.face_name(int(n) - 1) if kind == "face" else "" for kind, n in fluid.source
            ),
        )
        return _single(part, ids, roles, one["name"])
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
        _unique(raw),
        tuple(roles),
        tuple(zip(zone_names, zoned.kinds, strict=True)),
        zoned.sides,
    )


def _body_names(part: Part) -> list[str]:
    return [part.body_name(k) for k in range(len(part.bodies))]


def _check_closed(closed: list[str], known: list[str]) -> None:
    unknown = [name for name in closed if name not in known]
    if unknown:
        raise SettingRejected(
            "domain.closed", f"The part has no opening called {', '.join(unknown)}."
        )


def _unique(names: list[str]) -> tuple[str, ...]:
    out: list[str] = []
    for name in names:
        out.append(free_name(name, out))
    return tuple(out)


def _single(model: Model, ids: tuple[str, ...], roles: list[str], zone: str) -> Fluid:
    return Fluid(model, ids, tuple(roles), ((zone, "fluid"),), ((0,),) * len(ids))


def _inside_facets(settings: Domain, part: FacetPart) -> Fluid:
    openings = facet_domain.openings(part)
    _check_closed(settings.closed, [o.name for o in openings])
    if settings.solids:
        raise SettingRejected(
            "domain.solids", "Bodies of facets cannot be kept as solid zones yet; use CAD."
        )
    _one_pin(settings)
    bodies: list[FacetPart] = []
    for pin in _pins(settings):
        own = facet_domain.fluid_inside(part, openings, settings.closed, pin["at"], pin["name"])
        for other in bodies:
            if abs(winding_numbers(other.points, other.triangles, np.array([pin["at"]]))[0]) > 0.5:
                raise StepFailed(
                    "same-space",
                    f"The pin of {pin['name']} lies in the space of {other.body_names[0]}.",
                    [list(pin["at"])],
                )
        bodies.append(own)
    caps = {o.name for o in openings}
    if len(bodies) == 1:
        names = bodies[0].region_names
        roles = ["opening" if n in caps else "" for n in names]
        return _single(bodies[0], names, roles, bodies[0].body_names[0])
    from intaglio.facets.part import joined

    whole = joined(bodies)
    zone_of = [np.unique(whole.body[whole.region == k])[0] for k in range(len(whole.region_names))]
    return Fluid(
        whole,
        whole.region_names,
        tuple("opening" if n in caps else "" for n in whole.region_names),
        tuple((n, "fluid") for n in whole.body_names),
        tuple((int(z),) for z in zone_of),
    )


def _as_is(settings: Domain, model: Model) -> Fluid:
    zone = settings.pin[0]["name"] if settings.pin else "fluid"
    if isinstance(model, FacetPart):
        part = facet_domain.fluid_as_is(model, zone)
        return _single(part, part.region_names, [""] * len(part.region_names), zone)
    if not model.solids:
        raise StepFailed("no-solid", "The geometry has no solid. Sew its faces in Geometry first.")
    fluid = cad_domain.fluid_as_is(model)
    ids = tuple(f"face_{n}" for _, n in fluid.source)
    numbers = [int(n) - 1 for _, n in fluid.source]
    part_ = replace(
        fluid.part,
        body_names=(zone,),
        face_names=tuple(model.face_name(n) for n in numbers),
        face_colours=tuple(model.face_colour(n) for n in numbers),
    )
    return _single(part_, ids, [""] * len(ids), zone)


def enclosure_of(
    settings: Domain, low: NDArray[np.float64], high: NDArray[np.float64]
) -> Enclosure:
    """The enclosure that the settings ask for around a body's box."""
    symmetry = None
    if settings.symmetry != "none":
        symmetry = (settings.symmetry, settings.symmetry_at)
    distances = {k: getattr(settings, k) for k in ("ahead", "behind", "aside", "above", "below")}
    return enclosing(
        settings.shape, low, high, settings.along, distances, symmetry, settings.widening
    )


def _around(settings: Domain, model: Model) -> tuple[Fluid, list[Finding]]:
    low, high = limits(model)
    shape = enclosure_of(settings, low, high)
    outside = enclosure_part(shape, model.unit)
    zone = _one_pin(settings)["name"]
    if isinstance(model, Part):
        if not model.solids:
            raise StepFailed(
                "no-solid", "The geometry has no solid. Sew its faces in Geometry first."
            )
        part, origin = cad_combined("difference", outside, list(model.solids))
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
        fluid = _single(part, _unique(raw), [_role(n) for n in raw], zone)
    else:
        fluid = _around_facets(model, outside, zone)
    return fluid, _short(settings, shape, low, high, model.unit)


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


def _around_facets(model: FacetPart, outside: Part, zone: str) -> Fluid:
    scale = float(np.linalg.norm(np.subtract(*bounds(outside.shape))))
    shell, _ = tessellate(outside, 2e-4 * scale, 0.1)
    n = len(outside.faces)
    points, triangles, tag = facet_combined(
        (shell.points, shell.triangles, shell.region),
        (model.points, model.triangles, model.region + n),
        "difference",
    )
    names = (*(outside.face_name(k) for k in range(n)), *model.region_names)
    part = _main_piece(
        FacetPart(
            points,
            triangles,
            tag.astype(np.int32),
            np.zeros(len(triangles), np.int32),
            _unique(list(names)),
            (zone,),
            model.unit,
        )
    )
    roles = [_role(k) for k in part.region_names]
    return _single(part, part.region_names, roles, zone)


def _main_piece(part: FacetPart) -> FacetPart:
    """The outer surface of the largest volume, and what stands in it."""
    from intaglio.facets.edges import edge_table
    from intaglio.facets.part import kept
    from intaglio.facets.pieces import find_pieces

    groups = find_pieces(part, edge_table(part.triangles))
    outer = int(np.argmax(groups.volume))
    # what lies inside a body is not reached: its pieces are outward again
    keep = (np.arange(len(groups.volume)) == outer) | (groups.volume < 0)
    keep &= groups.depth <= 1
    return facet_domain.compact(kept(part, keep[groups.piece]))


def _short(
    settings: Domain,
    shape: Enclosure,
    low: NDArray[np.float64],
    high: NDArray[np.float64],
    unit: str,
) -> list[Finding]:
    """Advice where the enclosure is too close, or the body blocks too much of it."""
    found = []
    names = ("ahead", "behind", "aside") if settings.shape != "sphere" else ("aside",)
    for name in names:
        have = getattr(settings, name)
        if have < _LEAST[name]:
            found.append(
                Finding(
                    "enclosure-short",
                    "caution",
                    f"The enclosure reaches only {have:g} body lengths {name}.",
                    advice=f"Make it {_LEAST[name]:g} at least, or the flow feels the boundary.",
                    cause="Too close a boundary is a frequent cause of wrong forces.",
                )
            )
    axis = AXES[settings.along[1]]
    other = [k for k in range(3) if k != axis]
    body = float(np.prod((high - low)[other]))
    whole = float(np.prod((shape.high - shape.low)[other]))
    if settings.shape != "box":
        whole *= np.pi / 4
    if body / whole > _BLOCKED:
        found.append(
            Finding(
                "blocked",
                "caution",
                f"The body's box blocks {100 * body / whole:.2g} % of the section.",
                advice=f"Go farther aside, so that it is under {100 * _BLOCKED:g} %.",
                cause="The fluid is squeezed past the body.",
            )
        )
    return found


def _sector(settings: Domain, fluid: Fluid) -> tuple[Fluid, list[Finding]]:
    _no_zones(fluid)
    low, high = limits(fluid.model)
    wedge = wedge_part(
        low,
        high,
        settings.axis,
        np.array(settings.through, float),
        settings.start,
        settings.sectors,
        fluid.model.unit,
    )
    zone = fluid.zones[0][0]
    raw, roles = [], []
    if isinstance(fluid.model, Part):
        part, origin = cad_combined("intersection", fluid.model, [wedge.shape])
        part, origin = _largest(part, origin)
        names = []
        for k in range(len(part.faces)):
            group, number = origin.get(k, (0, 0))
            raw.append(fluid.ids[number] if group == 0 else wedge.face_name(number) or "cut")
            roles.append(fluid.roles[number] if group == 0 else _role(raw[-1]))
            names.append(fluid.model.face_name(number) if group == 0 else "")
        model: Model = replace(part, body_names=(zone,), face_names=tuple(names))
        ids = _unique(raw)
    else:
        scale = float(np.linalg.norm(np.subtract(*bounds(wedge.shape))))
        knife, _ = tessellate(wedge, 1e-4 * scale, 0.05)
        own = fluid.model
        n = len(own.region_names)
        points, triangles, tag = facet_combined(
            (own.points, own.triangles, own.region),
            (knife.points, knife.triangles, knife.region + n),
            "intersection",
        )
        names_ = _unique([*own.region_names, *(wedge.face_name(k) or "cut" for k in range(5))])
        model = facet_domain.compact(
            FacetPart(
                points,
                triangles,
                tag.astype(np.int32),
                np.zeros(len(triangles), np.int32),
                names_,
                (zone,),
                own.unit,
            )
        )
        ids = model.region_names
        known = dict(zip(fluid.ids, fluid.roles, strict=True))
        roles = [known.get(k, _role(k)) for k in ids]
    out = _single(model, ids, roles, zone)
    return out, _unmatched(settings, out)


def _unmatched(settings: Domain, fluid: Fluid) -> list[Finding]:
    """A finding if the periodic pair does not match when turned onto each other."""
    view = drawn(fluid.model)
    scale = float(np.linalg.norm(np.ptp(view.points, axis=0)))
    rows = face_rows(fluid.model, view, scale)
    sides: dict[str, list[np.ndarray]] = {"periodic_1": [], "periodic_2": []}
    for fid, row in zip(fluid.ids, rows, strict=True):
        for name, own in sides.items():
            if fid.startswith(name):
                own.append(np.append(np.array(row["centre"]) - settings.through, row["area"]))
    one, two = (np.array(v).reshape(-1, 4) for v in sides.values())
    axis = np.zeros(3)
    axis[AXES[settings.axis]] = 1.0
    t = 2 * np.pi / settings.sectors
    turned = one.copy()
    p = one[:, :3]
    turned[:, :3] = (
        p * np.cos(t) + np.cross(axis, p) * np.sin(t) + np.outer(p @ axis, axis) * (1 - np.cos(t))
    )
    weight = np.array([1.0, 1.0, 1.0, 1 / max(scale, 1e-300)])
    same = len(one) == len(two) and len(one) > 0
    for side in turned if same else []:
        same = same and bool(np.abs((two - side) * weight).max(axis=1).min() < 1e-4 * scale)
    if same:
        return []
    return [
        Finding(
            "periodic-mismatch",
            "error",
            "The two flat sides of the sector do not match when turned onto each other.",
            places=[r["at"] for i, r in zip(fluid.ids, rows, strict=True) if i[:8] == "periodic"],
            advice="Choose the number of times that the machine repeats itself, and its axis.",
            cause="The geometry does not repeat itself so many times about this axis.",
        )
    ]


def _no_zones(fluid: Fluid) -> None:
    if len(fluid.zones) > 1:
        raise StepFailed(
            "zones", "A section or sector is taken of one zone at a time. Keep one pin."
        )


def _section(settings: Domain, fluid: Fluid) -> Fluid:
    _no_zones(fluid)
    zone = fluid.zones[0][0]
    k = AXES[settings.axis]
    model: Model
    if isinstance(fluid.model, Part):
        model, sources = cad_section(fluid.model, k, settings.section_at, settings.thickness)
    else:
        model, sources = facet_section(fluid.model, k, settings.section_at, settings.thickness)
    raw, roles = [], []
    for source in sources:
        if isinstance(source, str):
            raw.append(source)
            roles.append(_role(source))
        else:
            raw.append(fluid.ids[source])
            roles.append(fluid.roles[source])
    ids = _unique(raw)
    if isinstance(model, FacetPart):
        return _single(replace(model, region_names=ids, body_names=(zone,)), ids, roles, zone)
    return _single(replace(model, body_names=(zone,)), ids, roles, zone)


def _keep_dry(settings: Domain, fluid: Fluid) -> None:
    """Raise StepFailed if the fluid reaches a dry pin."""
    for pin in settings.pin:
        if pin["kind"] != "dry":
            continue
        at = np.array(pin["at"], float)
        if isinstance(fluid.model, Part):
            scale = float(np.linalg.norm(np.subtract(*bounds(fluid.model.shape))))
            wet = any(cad_domain.contains(s, at, 1e-7 * scale) for s in fluid.model.solids)
        else:
            wet = bool(
                winding_numbers(fluid.model.points, fluid.model.triangles, at[None])[0] > 0.5
            )
        if wet:
            raise StepFailed(
                "leak",
                f"The fluid reaches the dry pin {pin['name']}: there is a leak between them.",
                [at.tolist()],
            )


def _described(fluid: Fluid, found: list[Finding], pin: list[float]) -> Product:
    model = fluid.model
    low, high = limits(model)
    scale = float(np.linalg.norm(high - low))
    view = drawn(model)
    rows = face_rows(model, view, scale)
    for row, fid, role, sides in zip(rows, fluid.ids, fluid.roles, fluid.sides, strict=True):
        row["id"] = fid
        row["role"] = role
        row["opening"] = role == "opening"
        row["zones"] = list(sides)
    total, area = model_volume(model), model_area(model)
    arrays, names = stored(model)
    data = {
        "unit": model.unit,
        "model": names,
        "low": rounded(low, scale),
        "high": rounded(high, scale),
        "size": rounded(high - low, scale * 1e3),
        "volume": total,
        "area": area,
        "pin": [float(v) for v in pin],
        "zones": _zones(fluid),
        "faces": rows,
        "links": face_links(model),
        "smallest_radius": _smallest_radius(model, view, scale),
        "findings": [f.as_dict() for f in found],
    }
    return Product(arrays | display(view), data)


def _zones(fluid: Fluid) -> list[dict[str, Any]]:
    out = []
    for z, (name, kind) in enumerate(fluid.zones):
        if isinstance(fluid.model, Part):
            amount = volume(fluid.model.solids[z])
        else:
            own = fluid.model.body == z
            amount = enclosed_volume(fluid.model.points, fluid.model.triangles[own])
        out.append({"name": name, "kind": kind, "volume": amount})
    return out


def _smallest_radius(model: Model, view: Drawn, scale: float) -> float | None:
    from intaglio.facets.features import node_curvature

    if isinstance(model, Part):
        facets, _ = tessellate(model, 1e-3 * scale, 0.3)
        curvature = facets.curvature
    else:
        curvature = node_curvature(view.points, view.triangles, view.region)
    curved = curvature[curvature > 1e-2 / scale]
    return float(1 / np.percentile(curved, 98)) if len(curved) else None
