"""The domain step: the fluid inside, around or as the part; a section or sector of it; zones."""

import numpy as np
from numpy.typing import NDArray

from intaglio.cad.enclosing import AXES
from intaglio.cad.enclosure import enclosure_part, wedge_part
from intaglio.errors import StepFailed
from intaglio.facets.part import free_name
from intaglio.findings import Finding
from intaglio.numeric.rounding import rounded
from intaglio.parts.kind import Model, Progress
from intaglio.parts.kinds import kind_of
from intaglio.parts.model import Product, display, face_links, face_rows, model_of
from intaglio.parts.rows import FaceRow
from intaglio.stages.domain.advice import too_close, unmatched_sides
from intaglio.stages.domain.aim import aim
from intaglio.stages.domain.enclosed import enclosure_of
from intaglio.stages.domain.faces import back_faces, both_sides
from intaglio.stages.domain.fluid import (
    Extraction,
    Fluid,
    first_pin,
    one_zone_only,
    role_of,
    single_zone,
    unique_names,
)
from intaglio.stages.domain.of_cad import EXTRACTION as OF_CAD
from intaglio.stages.domain.of_facets import EXTRACTION as OF_FACETS
from intaglio.stages.domain.report import DomainReport
from intaglio.stages.domain.settings import Domain
from intaglio.stages.domain.sheets import chosen_sheets, with_sheets

# one for each kind of model
_EXTRACTIONS: dict[str, Extraction] = {"cad": OF_CAD, "facets": OF_FACETS}


def _extraction(model: Model) -> Extraction:
    return _EXTRACTIONS[kind_of(model).key]


def domain_step(settings: Domain, geometry: Product, progress: Progress) -> Product:
    """Extract the fluid and describe its faces and zones."""
    model = model_of(geometry)
    found: list[Finding] = []
    progress(0.1, "getting the fluid")
    sheets = chosen_sheets(settings.sheets, model) if settings.sheets else []
    bodies = kind_of(model).without(model, sheets) if sheets else model
    if settings.where == "around":
        fluid, found = _around(settings, model, bodies)
    elif bodies is None:
        raise StepFailed(
            "no-solid", "There are sheets alone, which hold no fluid. Take the fluid around them."
        )
    elif settings.where == "as-is":
        zone = settings.pin[0]["name"] if settings.pin else "fluid"
        fluid = _extraction(model).as_is(settings, bodies, zone)
    else:
        fluid = _extraction(model).inside(settings, bodies)
    if settings.cut == "section":
        progress(0.5, "taking the section")
        fluid = _section(settings, fluid)
    elif settings.cut == "sector":
        progress(0.5, "cutting the sector")
        fluid, more = _sector(settings, fluid)
        found += more
    _keep_dry(settings, fluid)
    if sheets:
        progress(0.55, "placing the sheets")
        fluid, more = with_sheets(_extraction(model), fluid, model, sheets)
        found += more
    progress(0.6, "describing the fluid")
    low, high = kind_of(fluid.model).limits(fluid.model)
    inside = settings.where == "inside" and settings.cut == "all"
    middle = first_pin(settings)["at"] if inside else (0.5 * (low + high)).tolist()
    made = _described(fluid, found, middle)
    if settings.where == "around":
        return Product(made.arrays, {**made.report, "stream": _way(settings.along)})
    return made


def _way(along: str) -> list[float]:
    """Unit vector of a direction such as -y."""
    way = [0.0, 0.0, 0.0]
    way[AXES[along[1]]] = 1.0 if along[0] == "+" else -1.0
    return way


def _around(settings: Domain, model: Model, bodies: Model | None) -> tuple[Fluid, list[Finding]]:
    """bodies: those of the model that take up room; None if there are but sheets."""
    low, high = kind_of(model).limits(model)
    shape = enclosure_of(settings, low, high)
    outside = enclosure_part(shape, model.unit)
    fluid = _extraction(model).around(bodies, outside, first_pin(settings)["name"])
    return fluid, too_close(settings, shape, low, high)


def _sector(settings: Domain, fluid: Fluid) -> tuple[Fluid, list[Finding]]:
    one_zone_only(fluid)
    low, high = kind_of(fluid.model).limits(fluid.model)
    wedge = wedge_part(
        low,
        high,
        settings.axis,
        np.array(settings.through, float),
        settings.start,
        settings.sectors,
        fluid.model.unit,
    )
    out = _extraction(fluid.model).sector(fluid, wedge)
    return out, unmatched_sides(settings, out)


def _section(settings: Domain, fluid: Fluid) -> Fluid:
    one_zone_only(fluid)
    zone = fluid.zones[0][0]
    k = AXES[settings.axis]
    model, sources = _extraction(fluid.model).section(
        fluid.model, k, settings.section_at, settings.thickness
    )
    raw, roles = [], []
    for source in sources:
        if isinstance(source, str):
            raw.append(source)
            roles.append(role_of(source))
        else:
            raw.append(fluid.ids[source])
            roles.append(fluid.roles[source])
    ids = unique_names(raw)
    model = kind_of(model).named(model, ids, (zone,))
    return single_zone(model, ids, roles, zone)


def _keep_dry(settings: Domain, fluid: Fluid) -> None:
    """Raise StepFailed if the fluid reaches a dry pin."""
    for pin in settings.pin:
        if pin["kind"] != "dry":
            continue
        at = np.array(pin["at"], float)
        wet = kind_of(fluid.model).holds(fluid.model, at)
        if wet:
            raise StepFailed(
                "leak",
                f"The fluid reaches the dry pin {pin['name']}: there is a leak between them.",
                [at.tolist()],
            )


def _described(fluid: Fluid, found: list[Finding], pin: list[float]) -> Product:
    model = fluid.model
    kind = kind_of(model)
    low, high = kind.limits(model)
    scale = float(np.linalg.norm(high - low))
    view = kind.drawn(model)
    rows = face_rows(model, view, scale)
    for row, fid, role, sides in zip(rows, fluid.ids, fluid.roles, fluid.sides, strict=True):
        row["id"] = fid
        row["role"] = role
        row["opening"] = role == "opening"
        row["zones"] = list(sides)
    for k, title in fluid.sheet.items():
        rows[k]["name"] = title
    rows += _back_rows(rows, list(fluid.sheet))
    arrays = kind.stored(model)
    amounts = _zone_volumes(fluid)
    total = float(sum(amounts))
    radius = _smallest_radius(kind.curvature(model, view), scale)
    data: DomainReport = {
        "unit": model.unit,
        "model": kind.names(model),
        "low": rounded(low, scale),
        "high": rounded(high, scale),
        "size": rounded(high - low, scale * 1e3),
        "volume": total,
        "area": _wetted(rows) if fluid.sheet else kind.area(model),
        "pin": [float(v) for v in pin],
        "zones": [
            {"name": name, "kind": of, "volume": amount}
            for (name, of), amount in zip(fluid.zones, amounts, strict=True)
        ],
        "faces": rows,
        "links": face_links(model),
        "smallest_radius": radius,
        "aim": aim(fluid, total, radius),
        "findings": [f.as_dict() for f in found],
    }
    shown = display(view)
    shown["display_triangles"], shown["display_region"], _ = both_sides(
        view.triangles, view.region, back_faces(data)
    )
    return Product(arrays | shown, data)


def _zone_volumes(fluid: Fluid) -> list[float]:
    """Volume of each zone, in unit³."""
    kind = kind_of(fluid.model)
    if not fluid.pieces and not fluid.sheet and len(fluid.zones) == 1:
        # it may hold several solids: a section can fall into pieces
        return [kind.volume(fluid.model)]
    own = kind.zone_volumes(fluid.model)
    if fluid.pieces:
        # a sheet can part a zone
        return np.bincount(list(fluid.pieces), own, len(fluid.zones)).tolist()
    # the bodies of sheets stand behind those of the zones
    return own[: len(fluid.zones)]


def _back_rows(rows: list[FaceRow], sheets: list[int]) -> list[FaceRow]:
    """Rows for the other sides of sheets: faces that are there twice, as boundary."""
    taken = [row["id"] for row in rows]
    out: list[FaceRow] = []
    for k in sheets:
        row = rows[k].copy()
        row["id"] = free_name(f"{row['id']}_back", taken)
        row["name"] = f"{row['name']}_back"
        row["normal"] = [-x for x in row["normal"]]
        row["back_of"] = k
        taken.append(row["id"])
        out.append(row)
    return out


def _wetted(rows: list[FaceRow]) -> float:
    """Area that zones border on; faces between two of them, like sheets, count for each side."""
    return float(sum(row["area"] * (2 if row["role"] == "interface" else 1) for row in rows))


def _smallest_radius(curvature: NDArray[np.float64], scale: float) -> float | None:
    """Of all but the two hundredths that curve most; None where all is flat."""
    curved = curvature[curvature > 1e-2 / scale]
    return float(1 / np.percentile(curved, 98)) if len(curved) else None
