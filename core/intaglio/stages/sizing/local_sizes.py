"""Sizes of patches, edges and regions, found in the model."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.errors import SettingRejected
from intaglio.findings import Finding
from intaglio.settings.patterns import meaning
from intaglio.sizing.octree import SizeField, sizes
from intaglio.sizing.regions import Region, bounds
from intaglio.sizing.sources import LocalSizes, on_curve
from intaglio.sizing.spacing import positions
from intaglio.stages.sizing.rows import FIELDS
from intaglio.triangles.closure import triangles_on
from intaglio.triangles.facets import Curves, Facets


def named_faces(
    names: list[str], faces: list[Mapping[str, Any]], patches: Mapping[str, Any] | None
) -> NDArray[np.int64]:
    """Numbers of the model's faces that patterns of patch names or face names mean; a sheet's two
    sides are one face."""
    found: set[int] = set()
    rows = patches["patches"] if patches else []
    means = meaning(names)
    for row in rows:
        if means(row["name"]):
            own = set(row["faces"])
            found |= {k for k, f in enumerate(faces) if f["id"] in own}
    found |= {k for k, f in enumerate(faces) if means(f["id"])}
    return np.array(sorted({faces[k].get("back_of", k) for k in found}), np.int64)


def body_faces(domain: Mapping[str, Any]) -> NDArray[np.bool_]:
    """Which faces (n,) are those of a body in a stream; none where nothing is far off."""
    roles = [row["role"] for row in domain["faces"]]
    return np.array([role in ("", "sheet") and "far" in roles for role in roles], bool)


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
    """Local sizes of a Sizing's settings, and findings about regions outside the fluid. Raises
    SettingRejected for those that are meant for nothing."""
    faces = domain["faces"]
    limit = np.full(len(faces), np.inf)
    if settings.wall > 0:
        limit[body_faces(domain)] = settings.wall
    curve_limit = np.full(len(curves.ends), np.inf)
    counted: dict[int, NDArray[np.float64]] = {}
    kept: set[int] = set()
    dropped: set[int] = set()
    found: list[Finding] = []
    beside = _faces_beside(facets, curves)
    for row in settings.sizes:
        if "patches" in row:
            own = named_faces(row["patches"], faces, patches)
            limit[own] = np.minimum(limit[own], row["size"])
            if not len(own):
                raise _nothing("sizes", ", ".join(row["patches"]))
            continue
        one, other = (set(named_faces([n], faces, patches).tolist()) for n in row["between"])
        between = [c for c, at in enumerate(beside) if at & one and at & other and len(at) > 1]
        if not between:
            if one and other:
                raise SettingRejected(
                    "sizing.sizes",
                    f"{' and '.join(row['between'])} share no edge. Name two that meet, or drop "
                    "the size.",
                )
            raise _nothing("sizes", " and ".join(row["between"]))
        for c in between:
            if "seam" in row:
                (dropped if row["seam"] else kept).add(c)
                continue
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
            raise _nothing("regions", ", ".join(row["patches"]))
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
    return LocalSizes(
        tuple(regions),
        limit,
        curve_limit,
        counted,
        sides_of(domain),
        frozenset(kept | counted.keys() | set(np.flatnonzero(np.isfinite(curve_limit)).tolist())),
        frozenset(dropped),
    ), found


def _nothing(setting: str, what: str) -> SettingRejected:
    return SettingRejected(
        f"sizing.{setting}",
        f"A size is asked for at {what}, and nothing there is called so. Correct the names, or "
        "drop the size.",
    )


def _faces_beside(facets: Facets, curves: Curves) -> list[set[int]]:
    """The faces that meet in each curve."""
    own, first, count = triangles_on(facets.triangles, curves.edge_nodes)
    at = np.repeat(first - np.cumsum(count) + count, count) + np.arange(count.sum())
    pairs = np.column_stack([np.repeat(curves.edge_curve, count), facets.region[own[at]]])
    out: list[set[int]] = [set() for _ in range(len(curves.ends))]
    for curve, face in np.unique(pairs, axis=0).tolist():
        out[curve].add(face)
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
