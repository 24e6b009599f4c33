"""The domain that a part suggests."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from intaglio.settings.blanks import significant

Report = Mapping[str, Any]

_SPACE_SHARE = 0.05


def domain_defaults(geometry: Report) -> tuple[dict[str, Any], dict[str, str]]:
    """Fluid inside the part if its largest closed space is more than a twentieth of the solid;
    else the part itself if it has two flat ends or is CAD; else around it."""
    spaces = geometry["spaces"]
    middle = [0.5 * (a + b) for a, b in zip(geometry["low"], geometry["high"], strict=True)]
    size = float(max(geometry["size"]))
    sheets = [b["name"] for b in geometry["bodies"] if b.get("sheet")]
    rest = {
        "solids": [],
        "sheets": sheets,
        "shape": "box",
        "along": "+" + "xyz"[int(np.argmax(geometry["size"]))],
        "ahead": 5.0,
        "behind": 10.0,
        "aside": 5.0,
        "above": 5.0,
        "below": 5.0,
        "widening": 1.5,
        "symmetry": "none",
        "symmetry_at": significant(middle[1], 6),
        "cut": "all",
        "axis": "z",
        "section_at": significant(middle[2], 6),
        "thickness": significant(0.02 * size),
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
        "sheets": "They bound no volume, beside bodies that do."
        if sheets
        else "No body is drawn without a thickness.",
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
    ends = flat_ends(geometry["faces"])
    around = geometry["model"]["kind"] == "facets" and not ends
    why = "The part encloses no space of its own, so it is taken as the fluid."
    if around:
        why = "The part encloses no space and has no flat ends, so it stands in its fluid."
    return (
        {"where": "around" if around else "as-is", "closed": [], "pin": [pin], **rest},
        {"where": why, "closed": "Nothing to close.", "pin": "A point inside the part.", **reasons},
    )


def flat_ends(faces: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """The two opposite flat faces, the whole model on one side of each, farthest apart."""
    if not faces:
        return []
    centres = np.array([f["centre"] for f in faces])
    scale = float(np.linalg.norm(np.ptp(centres, axis=0)))
    flat = [f for f in faces if f["surface"] == "plane" and f["at_end"]]
    best: tuple[float, list[dict[str, Any]]] = (0.0, [])
    for a in flat:
        for b in flat:
            if np.dot(a["normal"], b["normal"]) > -0.999:
                continue
            apart = float(np.dot(np.subtract(b["centre"], a["centre"]), b["normal"]))
            if apart > best[0] + 1e-9 * scale:
                best = apart, [a, b]
    # the lower end first, so that the proposal does not depend on numbering
    return sorted(best[1], key=lambda f: [round(x, 9) for x in f["centre"]])
