"""Sizes of patches, edges and regions: how they are written, checked, and found in the model."""

from collections.abc import Mapping
from fnmatch import fnmatchcase
from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.errors import SettingRejected
from intaglio.facets.facets import Curves, Facets
from intaglio.findings import Finding
from intaglio.recipe.blanks import NAME, Blank, check_value
from intaglio.sizing.octree import SizeField, sizes
from intaglio.sizing.regions import SHAPES, Region, bounds
from intaglio.sizing.sources import LocalSizes, on_curve
from intaglio.sizing.spacing import CLUSTERS, positions

_LENGTH = Blank("length", "edge length", "", above=0.0)
_REACH = Blank("length", "easing", "", least=0.0)
_RADIUS = Blank("length", "radius", "", above=0.0)
_POINT = Blank("point", "point", "")
_COUNT = Blank("integer", "count", "", least=1, most=2000)
_RATIO = Blank("number", "longest over shortest", "", least=1.0, most=100.0)

# what each shape is described by
FIELDS = {
    "box": ("low", "high"),
    "cylinder": ("start", "end", "radius"),
    "sphere": ("start", "radius"),
    "frustum": ("start", "end", "radius", "end_radius"),
    "shell": ("patches", "thickness"),
}


def check_sizes(where: str, value: Any, numbers: Mapping[str, float]) -> list[dict[str, Any]]:
    """Rows of {patches, size} or {between, size | count, cluster, ratio}."""
    if not isinstance(value, (list, tuple)):
        raise SettingRejected(where, "Sizes of patches and edges need a list.")
    out = []
    for row in value:
        if not isinstance(row, Mapping) or not ("patches" in row) ^ ("between" in row):
            raise SettingRejected(where, "Each size needs either patches, or two names in between.")
        unknown = set(row) - {"patches", "between", "size", "count", "cluster", "ratio"}
        if unknown:
            raise SettingRejected(where, f"A size has no “{sorted(unknown)[0]}”.")
        made: dict[str, Any] = {}
        if "patches" in row:
            made["patches"] = _names(where, row["patches"])
        else:
            made["between"] = _names(where, row["between"])
            if len(made["between"]) != 2:
                raise SettingRejected(where, "An edge lies between two patches or faces.")
        if "count" in row:
            if "patches" in row:
                raise SettingRejected(where, "Only edges can be counted; give patches a size.")
            made["count"] = check_value(where, _COUNT, row["count"], numbers)
            made["cluster"] = row.get("cluster", "uniform")
            if made["cluster"] not in CLUSTERS:
                raise SettingRejected(where, f"The clustering is one of {', '.join(CLUSTERS)}.")
            made["ratio"] = check_value(where, _RATIO, row.get("ratio", 1.0), numbers)
        else:
            made["size"] = check_value(where, _LENGTH, row.get("size"), numbers)
        out.append(made)
    return out


def _names(where: str, value: Any) -> list[str]:
    if isinstance(value, str):
        value = [value]
    if (
        not isinstance(value, (list, tuple))
        or not value
        or not all(isinstance(v, str) for v in value)
    ):
        raise SettingRejected(where, "Name patches or faces here; * stands for any letters.")
    return list(value)


def check_regions(where: str, value: Any, numbers: Mapping[str, float]) -> list[dict[str, Any]]:
    """Rows of {name, shape, size, easing} and what FIELDS says of the shape."""
    if not isinstance(value, (list, tuple)):
        raise SettingRejected(where, "Refinement regions need a list.")
    out: list[dict[str, Any]] = []
    for k, row in enumerate(value):
        if not isinstance(row, Mapping) or row.get("shape") not in SHAPES:
            raise SettingRejected(where, f"A region's shape is one of {', '.join(SHAPES)}.")
        shape, name = str(row["shape"]), row.get("name", f"region_{k + 1}")
        unknown = set(row) - {"name", "shape", "size", "easing", *FIELDS[shape]}
        if unknown:
            raise SettingRejected(where, f"A {shape} has no “{sorted(unknown)[0]}”.")
        if not isinstance(name, str) or not NAME.match(name):
            raise SettingRejected(where, f"“{name}” cannot name a region.")
        if any(name == r["name"] for r in out):
            raise SettingRejected(where, f"Two regions are called “{name}”.")
        made: dict[str, Any] = {"name": name, "shape": shape}
        made["size"] = check_value(where, _LENGTH, row.get("size"), numbers)
        made["easing"] = check_value(where, _REACH, row.get("easing", 0.0), numbers)
        for key in FIELDS[shape]:
            if key == "patches":
                made[key] = _names(where, row.get(key))
                continue
            kind = _POINT if key in ("low", "high", "start", "end") else _RADIUS
            made[key] = check_value(where, kind, row.get(key), numbers)
        if shape == "box" and not all(
            a < b for a, b in zip(made["low"], made["high"], strict=True)
        ):
            raise SettingRejected(where, f"The low corner of {name} must lie below its high one.")
        if "end" in made and made["start"] == made["end"]:
            raise SettingRejected(where, f"The axis of {name} has no length.")
        out.append(made)
    return out


def named_faces(
    names: list[str], faces: list[Mapping[str, Any]], patches: Mapping[str, Any] | None
) -> NDArray[np.int64]:
    """Numbers of the faces that patterns of patch names or face names mean."""
    found: set[int] = set()
    rows = patches["patches"] if patches else []
    for name in names:
        for row in rows:
            if fnmatchcase(row["name"].lower(), name.lower()):
                own = set(row["faces"])
                found |= {k for k, f in enumerate(faces) if f["id"] in own}
        found |= {k for k, f in enumerate(faces) if fnmatchcase(f["id"].lower(), name.lower())}
    return np.array(sorted(found), np.int64)


def sides_of(domain: Mapping[str, Any]) -> NDArray[np.int32]:
    """Zones (faces, 2) behind and before each face of a domain's report, -1 for none."""
    out = np.full((len(domain["faces"]), 2), -1, np.int32)
    for k, row in enumerate(domain["faces"]):
        own = row["zones"][:2]
        out[k, : len(own)] = own
    return out


def resolved(
    settings: Any,
    domain: Mapping[str, Any],
    patches: Mapping[str, Any] | None,
    facets: Facets,
    curves: Curves,
) -> tuple[LocalSizes, list[Finding]]:
    """Local sizes of a Sizing's settings, and findings about those that meet nothing."""
    faces = domain["faces"]
    limit = np.full(len(faces), np.inf)
    curve_limit = np.full(len(curves.ends), np.inf)
    counted: dict[int, NDArray[np.float64]] = {}
    found: list[Finding] = []
    beside = _faces_beside(facets, curves)
    for row in settings.sizes:
        if "patches" in row:
            own = named_faces(row["patches"], faces, patches)
            limit[own] = np.minimum(limit[own], row["size"])
            if not len(own):
                found.append(_nothing(", ".join(row["patches"])))
            continue
        one, other = (set(named_faces([n], faces, patches).tolist()) for n in row["between"])
        between = [c for c, at in enumerate(beside) if at & one and at & other and len(at) > 1]
        if not between:
            found.append(_nothing(" and ".join(row["between"])))
        for c in between:
            if "size" in row:
                curve_limit[c] = min(curve_limit[c], row["size"])
                continue
            length = float(curves.arc[curves.start[c + 1] - 1])
            counted[c] = positions(length, row["count"], row["cluster"], row["ratio"])
            if curves.ends[c, 0] == curves.ends[c, 1] and row["count"] < 3:
                raise SettingRejected("sizing.sizes", "A closed edge needs at least three edges.")
    low, high = np.array(domain["low"]), np.array(domain["high"])
    regions = []
    for row in settings.regions:
        region = _region(row, faces, patches, facets)
        if region is None:
            found.append(_nothing(", ".join(row["patches"])))
            continue
        first, last = bounds(region)
        if (first > high).any() or (last < low).any():
            found.append(
                Finding(
                    "region-outside",
                    "caution",
                    f"Region {region.name} lies outside the fluid and refines nothing.",
                    1,
                    [((first + last) / 2).tolist()],
                    "Move it into the fluid, or drop it.",
                )
            )
        regions.append(region)
    return LocalSizes(tuple(regions), limit, curve_limit, counted, sides_of(domain)), found


def _nothing(what: str) -> Finding:
    return Finding(
        "size-of-nothing",
        "caution",
        f"A size is asked for at {what}, and nothing there is called so.",
        advice="Correct the names, or drop the size.",
    )


def _faces_beside(facets: Facets, curves: Curves) -> list[set[int]]:
    """The faces that meet in each curve."""
    at: dict[tuple[int, int], set[int]] = {}
    for t, region in zip(facets.triangles.tolist(), facets.region.tolist(), strict=True):
        for i in range(3):
            a, b = t[i], t[(i + 1) % 3]
            at.setdefault((min(a, b), max(a, b)), set()).add(region)
    out: list[set[int]] = [set() for _ in range(len(curves.ends))]
    for (a, b), c in zip(curves.edge_nodes.tolist(), curves.edge_curve.tolist(), strict=True):
        out[c] |= at.get((min(a, b), max(a, b)), set())
    return out


def _region(
    row: Mapping[str, Any],
    faces: list[Mapping[str, Any]],
    patches: Mapping[str, Any] | None,
    facets: Facets,
) -> Region | None:
    given: dict[str, Any] = {k: row[k] for k in ("name", "shape", "size", "easing")}
    for key in FIELDS[row["shape"]]:
        if key == "patches":
            own = named_faces(row[key], faces, patches)
            triangles = facets.triangles[np.isin(facets.region, own)]
            if not len(triangles):
                return None
            given |= {"points": facets.points, "triangles": triangles}
        elif isinstance(row[key], (list, tuple)):
            given[key] = np.array(row[key], float)
        else:
            given[key] = row[key]
    return Region(**given)


def counted_points(curves: Curves, local: LocalSizes) -> NDArray[np.float64]:
    """Where the ends of counted edges will stand (n, 3), for drawing before the run."""
    spots = [on_curve(curves, c, at) for c, at in local.counted.items()]
    return np.concatenate(spots) if spots else np.zeros((0, 3))


def check_counts(curves: Curves, local: LocalSizes, field: SizeField) -> None:
    """Refuse counts whose edges would be far longer than the sizes beside them ask for: the
    surface there could only follow with flat triangles."""
    for c, at in local.counted.items():
        spacing = np.diff(at)
        beside = sizes(field, on_curve(curves, c, 0.5 * (at[1:] + at[:-1])))
        worst = int((spacing / beside).argmax())
        if spacing[worst] > 1.6 * beside[worst]:
            enough = int(np.ceil(len(spacing) * spacing[worst] / (1.5 * beside[worst])))
            raise SettingRejected(
                "sizing.sizes",
                f"{len(spacing)} edges along an edge of the model would be {spacing[worst]:.3g} "
                f"long where the sizes ask for {beside[worst]:.3g}. Ask for at least {enough}, or "
                "for larger sizes there.",
            )


def rows_schema(type_: str) -> dict[str, Any]:
    """JSON schema of a list of sizes or regions."""
    number: dict[str, Any] = {"type": ["number", "string"]}
    point = {"type": "array", "items": number, "minItems": 3, "maxItems": 3}
    names = {"type": "array", "items": {"type": "string"}, "minItems": 1}
    items: list[dict[str, Any]]
    if type_ == "sizes":
        two = names | {"minItems": 2, "maxItems": 2}
        counted = {"between": two, "count": number, "cluster": {"enum": list(CLUSTERS)}}
        items = [
            _row({"patches": names, "size": number}, ["patches", "size"]),
            _row({"between": two, "size": number}, ["between", "size"]),
            _row(counted | {"ratio": number}, ["between", "count"]),
        ]
    else:
        of = {"patches": names} | dict.fromkeys(("low", "high", "start", "end"), point)
        head = {"name": {"type": "string"}, "size": number, "easing": number}
        items = [
            _row(
                head | {"shape": {"const": shape}} | {key: of.get(key, number) for key in fields},
                ["shape", "size", *fields],
            )
            for shape, fields in FIELDS.items()
        ]
    return {"type": "array", "items": {"anyOf": items}}


def _row(properties: dict[str, Any], required: list[str]) -> dict[str, Any]:
    return {
        "type": "object",
        "required": required,
        "properties": properties,
        "additionalProperties": False,
    }
