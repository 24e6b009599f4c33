"""Settings derived from the model, each with the reason that the brief shows."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from intaglio.facets.part import free_name
from intaglio.recipe.places import reference
from intaglio.recipe.taking import plain_name

Report = Mapping[str, Any]
_SPACE_SHARE = 0.05
_CELLS = 250_000
_THIN_CELLS = 1_500_000


def _digits(value: float, digits: int = 2) -> float:
    return float(f"{value:.{digits}g}")


def geometry_defaults() -> tuple[dict[str, Any], dict[str, str]]:
    return (
        {"unit": "file", "angle": 40.0, "repairs": []},
        {
            "unit": "As written in the file; where it says nothing, mm.",
            "angle": "Keeps round surfaces whole and parts them at their edges.",
            "repairs": "Nothing is changed until you ask for it.",
        },
    )


def domain_defaults(geometry: Report) -> tuple[dict[str, Any], dict[str, str]]:
    """Fluid inside the part if its largest closed space is more than a twentieth of the solid;
    else the part itself if it has two flat ends or is CAD; else around it."""
    spaces = geometry["spaces"]
    middle = [0.5 * (a + b) for a, b in zip(geometry["low"], geometry["high"], strict=True)]
    size = float(max(geometry["size"]))
    rest = {
        "solids": [],
        "shape": "box",
        "along": "+" + "xyz"[int(np.argmax(geometry["size"]))],
        "ahead": 5.0,
        "behind": 10.0,
        "aside": 5.0,
        "above": 5.0,
        "below": 5.0,
        "widening": 1.5,
        "symmetry": "none",
        "symmetry_at": _digits(middle[1], 6),
        "cut": "all",
        "axis": "z",
        "section_at": _digits(middle[2], 6),
        "thickness": _digits(0.02 * size),
        "sectors": 6,
        "start": 0.0,
        "through": [0.0, 0.0, 0.0],
    }
    reasons = {
        "along": "Along the longest side of the part.",
        "symmetry_at": "The middle of the part across y.",
        "section_at": "The middle of the part across z.",
        "thickness": "A fiftieth of the longest side.",
        **dict.fromkeys(("ahead", "aside", "above", "below"), "Five lengths of the body."),
        "behind": "Ten lengths of the body, for its wake.",
    }
    if spaces and spaces[0]["volume"] > _SPACE_SHARE * abs(geometry["volume"]):
        space = spaces[0]
        unit = geometry["unit"]
        pin = {"name": "fluid", "at": list(space["pin"]), "kind": "fluid"}
        return (
            {"where": "inside", "closed": list(space["openings"]), "pin": [pin], **rest},
            {
                "where": f"The part encloses a space of {space['volume']:,.4g} {unit}³.",
                "closed": f"These {len(space['openings'])} lead from that space to the outside.",
                "pin": f"Behind the middle of {space['openings'][0]}."
                if space["openings"]
                else "Inside the closed space.",
                **reasons,
            },
        )
    pin = {"name": "fluid", "at": list(geometry["inside"]), "kind": "fluid"}
    ends = _flat_ends(geometry["faces"])
    around = geometry["model"]["kind"] == "facets" and not ends
    why = "The part encloses no space of its own, so it is taken as the fluid."
    if around:
        why = "The part encloses no space and has no flat ends, so it stands in its fluid."
    return (
        {"where": "around" if around else "as-is", "closed": [], "pin": [pin], **rest},
        {"where": why, "closed": "Nothing to close.", "pin": "A point inside the part.", **reasons},
    )


_WORDS = (
    ("inlet", ("inlet", "inflow", "_in", "supply", "intake")),
    ("outlet", ("outlet", "outflow", "_out", "exhaust")),
    ("symmetry", ("sym",)),
    ("far_field", ("far",)),
    ("periodic", ("period", "cyclic")),
)


def kind_by_name(name: str) -> str:
    """The kind that a patch's name suggests; wall if it suggests none."""
    low = name.lower()
    for kind, words in _WORDS:
        if any(w in low if not w.startswith("_") else low.endswith(w) for w in words):
            return kind
    return "wall"


def _ref(face: Mapping[str, Any]) -> str:
    return reference(face["id"], face["at"])


def patches_defaults(domain: Report) -> tuple[dict[str, Any], dict[str, str]]:
    """Patches by what the faces are for, then by their names and colours in CAD, then by shape.
    All else is wall."""
    faces = domain["faces"]
    patches: list[dict[str, Any]] = []
    reasons: list[str] = []
    taken: set[str] = set()

    def add(name: str, kind: str, own: list[Mapping[str, Any]]) -> None:
        free = free_name(plain_name(name, "patch"), [p["name"] for p in patches])
        patches.append({"name": free, "kind": kind, "faces": [_ref(f) for f in own]})
        taken.update(f["id"] for f in own)

    for row in _by_role(faces, domain["zones"]):
        add(*row)
    if patches:
        reasons.append("Closings, far field, symmetry, periodic and flat sides are patches.")
    named: dict[str, list[Mapping[str, Any]]] = {}
    for f in faces:
        if f["name"] and f["id"] not in taken:
            named.setdefault(f["name"], []).append(f)
    for name, own in named.items():
        add(name, kind_by_name(name), own)
    if named:
        reasons.append("Names come from the CAD file.")
    colours: dict[str, list[Mapping[str, Any]]] = {}
    for f in faces:
        if f["colour"] and f["id"] not in taken:
            colours.setdefault(f["colour"], []).append(f)
    if len(colours) > 1 or (colours and any(not f["colour"] for f in faces)):
        most = max(colours, key=lambda c: sum(f["area"] for f in colours[c]))
        for k, (colour, own) in enumerate(sorted(colours.items())):
            if colour != most or any(not f["colour"] for f in faces):
                add(f"colour_{k + 1}", "wall", own)
        reasons.append("Faces of one colour are one patch.")
    kinds = [p["kind"] for p in patches]
    if not {"inlet", "outlet", "far_field", "flat"} & set(kinds):
        ends = [f for f in _flat_ends(faces) if f["id"] not in taken]
        for k, (f, kind) in enumerate(zip(ends, ("inlet", "outlet"), strict=False)):
            add(f"end_{k + 1}", kind, [f])
        if ends:
            reasons.append("The two flat ends farthest apart are taken as inlet and outlet.")
        elif not patches:
            reasons.append("No flat ends were found, so everything is wall.")
    patches.append({"name": "wall", "kind": "wall", "faces": "rest"})
    reasons.append("All else is wall.")
    return {"patches": patches}, {"patches": " ".join(reasons)}


def _by_role(
    faces: list[dict], zones: list[dict]
) -> list[tuple[str, str, list[Mapping[str, Any]]]]:
    """Patches that follow from how the domain was made: name, kind, faces."""
    out: list[tuple[str, str, list[Mapping[str, Any]]]] = []
    openings = sorted((f for f in faces if f["role"] == "opening"), key=lambda f: -f["area"])
    for zone in sorted({f["zones"][0] for f in openings}):
        # the largest of a zone lets the fluid out
        own: list[Mapping[str, Any]] = [f for f in openings if f["zones"][0] == zone]
        for k, f in enumerate(own):
            out.append((f["id"], "inlet" if k or len(own) == 1 else "outlet", [f]))
    far: list[Mapping[str, Any]] = [f for f in faces if f["role"] == "far"]
    for end, kind in (("ahead", "inlet"), ("behind", "outlet")):
        own = [f for f in far if f["id"].startswith(end)]
        if own:
            out.append((end, kind, own))
            far = [f for f in far if f not in own]
    if far:
        out.append(("far_field", "far_field", far))
    for name, kind in (
        ("symmetry", "symmetry"),
        ("front", "flat"),
        ("back", "flat"),
        ("periodic_1", "periodic"),
        ("periodic_2", "periodic"),
    ):
        own = [f for f in faces if f["role"] and f["id"].startswith(name)]
        if own:
            out.append((name, kind, own))
    between: dict[str, list[Mapping[str, Any]]] = {}
    for f in faces:
        if f["role"] == "interface":
            one, other = (zones[z]["name"] for z in f["zones"][:2])
            between.setdefault(f"{one}_to_{other}", []).append(f)
    out += [(name, "interface", own) for name, own in between.items()]
    if len(zones) > 1:
        for z, zone in enumerate(zones):
            own = [f for f in faces if not f["role"] and f["zones"] == [z]]
            if own:
                out.append((f"{zone['name']}_wall", "wall", own))
    return out


def _flat_ends(faces: list[dict]) -> list[dict]:
    """The two opposite flat faces, the whole model on one side of each, farthest apart."""
    if not faces:
        return []
    centres = np.array([f["centre"] for f in faces])
    scale = float(np.linalg.norm(np.ptp(centres, axis=0)))
    flat = [f for f in faces if f["surface"] == "plane" and f["at_end"]]
    best: tuple[float, list[dict]] = (0.0, [])
    for a in flat:
        for b in flat:
            if np.dot(a["normal"], b["normal"]) > -0.999:
                continue
            apart = float(np.dot(np.subtract(b["centre"], a["centre"]), b["normal"]))
            if apart > best[0] + 1e-9 * scale:
                best = apart, [a, b]
    # the lower end first, so that the proposal does not depend on numbering
    return sorted(best[1], key=lambda f: [round(x, 9) for x in f["centre"]])


def sizing_defaults(domain: Report) -> tuple[dict[str, Any], dict[str, str]]:
    """Largest edge a tenth of the passage width 4V/A; smallest by the tightest radius."""
    volume, area, unit = domain["volume"], domain["area"], domain["unit"]
    passage = 4.0 * volume / area
    largest = passage / 10.0
    why_largest = f"A tenth of the passage width 4V/A = {passage:.3g} {unit}."
    ceiling = (10.5 * volume / _CELLS) ** (1 / 3)
    if ceiling > largest:
        largest = ceiling
        why_largest = f"So large that the fluid takes about {_CELLS:,} cells."
    largest = _digits(largest)
    radius = domain["smallest_radius"]
    smallest = largest / 4
    why_smallest = f"A quarter of the largest edge; nothing curves more tightly than {largest:g}."
    if radius and radius < 4 * largest:
        wanted = 2 * radius * float(np.sin(np.radians(9.0)))
        smallest = min(max(wanted, largest / 6), largest / 2)
        why_smallest = f"Follows the tightest radius, {radius:.3g} {unit}, within reason."
    else:
        why_smallest = "A quarter of the largest edge; no tight curves were found."
    gap_cells, why_gap = 2.0, "Keeps every narrow place at least two cells wide."
    across = 10.5 * volume / (volume / area) ** 3
    if across > _THIN_CELLS:
        gap_cells = 0.0
        why_gap = (
            f"The fluid is as thin as a sheet: two cells across it would take {across:.1g} cells."
        )
    return (
        {
            "smallest": _digits(smallest),
            "largest": largest,
            "angle": 18.0,
            "growth": 1.2,
            "gap_cells": gap_cells,
            "sizes": [],
            "regions": [],
        },
        {
            "smallest": why_smallest,
            "largest": why_largest,
            "angle": "Twenty edges around a full circle.",
            "growth": "The usual rate for internal flow.",
            "gap_cells": why_gap,
            "sizes": "None: curvature and gaps decide.",
            "regions": "None yet.",
        },
    )


def case_defaults(domain: Report) -> tuple[dict[str, Any], dict[str, str]]:
    return (
        {"density": 998.2, "viscosity": 1.002e-3, "velocity": 1.0, "pressure": 0.0},
        {
            "density": "Water at 20 °C.",
            "viscosity": "Water at 20 °C.",
            "velocity": "One metre per second, to be replaced by yours.",
            "pressure": "A free outlet.",
        },
    )


def defaults(
    stage: str, reports: Mapping[str, Report]
) -> tuple[dict[str, Any], dict[str, str]] | None:
    """(settings, reasons) of a stage from the reports of earlier ones; None if one is missing."""
    if stage == "geometry":
        return geometry_defaults()
    if stage == "surface":
        return {"passes": 9, "walk_over": 0.0}, {
            "passes": "Enough for nearly every surface.",
            "walk_over": "Every edge of the geometry is kept.",
        }
    if stage == "volume":
        return {"passes": 12, "target": 25.0}, {
            "passes": "Enough for ordinary parts.",
            "target": "Reached on ordinary parts; sharp corners may forbid it.",
        }
    if stage == "domain":
        return domain_defaults(reports["geometry"]) if "geometry" in reports else None
    if "domain" not in reports:
        return None
    derive = {"patches": patches_defaults, "sizing": sizing_defaults, "case": case_defaults}
    return derive[stage](reports["domain"])
