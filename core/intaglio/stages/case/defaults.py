"""What a case is taken to be until somebody says otherwise: from names, kinds and sizes."""

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from intaglio.case.checks import PROPOSED
from intaglio.case.materials import properties
from intaglio.case.setup import metres
from intaglio.case.similarity import LAMINAR_PIPE, reynolds
from intaglio.handover.parts import CHOSEN
from intaglio.settings.blanks import significant
from intaglio.stages.case.foretold import facing_of

Report = Mapping[str, Any]

# words in the names of zones that tell what they hold, the more telling first
_FLUIDS = (
    ("sea", "sea_water"), ("glycol", "glycol_mixture"), ("coolant", "glycol_mixture"),
    ("water", "water"), ("air", "air"), ("gas", "air"),
)  # fmt: skip
_SOLIDS = (
    ("stainless", "stainless_steel"), ("alu", "aluminium"), ("copper", "copper"),
    ("brass", "brass"), ("titan", "titanium"), ("glass", "glass"), ("steel", "carbon_steel"),
)  # fmt: skip
_CELSIUS = 20.0


def _material(zone: Mapping[str, Any]) -> str:
    known, usual = (_FLUIDS, "water") if zone["kind"] == "fluid" else (_SOLIDS, "carbon_steel")
    name = zone["name"].lower()
    return next((key for word, key in known if word in name), usual)


def case_defaults(domain: Report, patches: Report) -> tuple[dict[str, Any], dict[str, str]]:
    """The settings of Case and the reason for each."""
    zones = domain["zones"]
    kinds = {zone["name"]: zone["kind"] for zone in zones}
    held: dict[str, list[str]] = {}
    for zone in zones:
        held.setdefault(_material(zone), []).append(zone["name"])
    solids = [key for key, names in held.items() if kinds[names[0]] == "solid"]
    materials: list[dict[str, Any]] = [
        # many solids are mostly of one material
        {"zones": ["*"] if solids == [key] and len(names) > 1 else names, "is": key}
        | ({"temperature": _CELSIUS} if kinds[names[0]] == "fluid" else {})
        for key, names in held.items()
    ]
    heat = "with" if any(zone["kind"] == "solid" for zone in zones) else "without"
    fluid = next((key for key, names in held.items() if kinds[names[0]] == "fluid"), "water")
    own = properties("case.materials", fluid, _CELSIUS)
    width = _width(domain)
    number = reynolds(own.density, 1.0, width, own.viscosity)
    turbulent = number > LAMINAR_PIPE
    conditions = _conditions(domain, patches["patches"], heat == "with")
    settings = {
        "materials": materials,
        "heat": heat,
        "closure": "shear_transport" if turbulent else "laminar",
        "conditions": conditions,
        "warmth": [],
        "time": "steady",
        "iterations": 1000,
        "step": significant(width / 50.0, 1),
        "end": significant(10.0 * width, 1),
        "gravity": [0.0, 0.0, 0.0],
        "frames": [],
        "expected": [],
        "length": "model",
        "files": [part.key for part in CHOSEN if part.usual],
        "numbering": "narrow",
    }
    reasons = {
        "materials": "By the names of the zones; where they say nothing, water and steel, 20 °C.",
        "heat": "Solids are meshed, so heat is to pass." if heat == "with" else
        "There are no solids that heat could pass through.",
        "closure": f"At 1 m/s the Reynolds number on the width of the passage is {number:,.0f}.",
        "conditions": "One stream of 1 m/s wherever it enters and leaves; the rest by its kind."
        if conditions and conditions[0]["is"] == "stream"
        else "By the kinds of the patches; one metre per second, to be replaced by yours.",
        "warmth": "Walls let no heat through.",
        "time": "Most flows in and around parts are looked at in the mean.",
        "iterations": "Enough for most steady flows.",
        "step": "A fiftieth of the time over one width of the passage at 1 m/s.",
        "end": "Ten widths of the passage at 1 m/s.",
        "gravity": "It matters only where density changes or a surface is free.",
        "frames": "Nothing turns unless you say so.",
        "expected": "No list was dropped in.",
        "length": "The numbers stay those of the geometry.",
        "files": "A solver reads one of the meshes; the patches show what is where.",
        "numbering": "It costs nothing and saves a solver time.",
    }  # fmt: skip
    return settings, reasons


def _conditions(domain: Report, patches: list[dict[str, Any]], heat: bool) -> list[dict[str, Any]]:
    """One row for the stream in which a body stands, and one for each kind of other patches that
    need one: inlets and outlets by name, others by *."""
    out: list[dict[str, Any]] = []
    stream = stream_row(domain, patches)
    if stream is not None:
        out.append(stream | ({"temperature": _CELSIUS} if heat else {}))
        patches = [p for p in patches if p["name"] not in stream["patches"]]
    for kind in ("inlet", "outlet", "opening", "wall"):
        names = [p["name"] for p in patches if p["kind"] == kind]
        if not names:
            continue
        row = {"patches": ["*"] if kind == "wall" else names, **PROPOSED[kind]}
        if heat and kind == "inlet":
            row["temperature"] = _CELSIUS
        out.append(row)
    return out


def stream_row(domain: Report, patches: Sequence[Mapping[str, Any]]) -> dict[str, Any] | None:
    """The condition of a stream of 1 m/s on all that it enters and leaves through, None where no
    patch is far away. It goes the way that the domain was made for, else in through the inlets."""
    far = [p for p in patches if p["kind"] == "far_field"]
    if not far:
        return None
    rows = {face["id"]: face for face in domain["faces"]}

    def zones_of(patch: Mapping[str, Any]) -> set[int]:
        own = [rows[face] for face in patch["faces"] if face in rows]
        # results of early versions tell no zones
        return {zone for row in own for zone in row.get("zones") or [0]}

    airy = {zone for p in far for zone in zones_of(p)}
    meant = [
        p
        for p in patches
        if p["kind"] in ("inlet", "outlet", "far_field")
        and all(rows.get(face, {}).get("role") != "opening" for face in p["faces"])
        and airy & zones_of(p)
    ]
    if not meant:
        return None
    way = domain.get("stream")
    if way is None:
        inward = [-np.array(facing_of(p, rows)) for p in meant if p["kind"] == "inlet"]
        total = sum(inward, np.zeros(3))
        length = float(np.linalg.norm(total))
        way = [significant(x, 6) + 0.0 for x in total / length] if length > 0 else [1.0, 0.0, 0.0]
    return {
        "patches": [p["name"] for p in meant],
        "is": "stream",
        "velocity": list(way),
        "pressure": 0.0,
    }


def _width(domain: Report) -> float:
    """4V/A of the fluid in m; of a body in a stream the domain's, which is all that is known."""
    area = sum(face["area"] for face in domain["faces"])
    return 4.0 * domain["volume"] / area * metres(domain["unit"]) if area > 0 else 1.0
