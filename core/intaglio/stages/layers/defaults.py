"""Layers proposed for the walls of fluids, where nobody has said anything about them."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from intaglio.layers.grow import LOWEST
from intaglio.stages.layers.scopes import LAYERED, row_of_faces
from intaglio.stages.sizing.local_sizes import sides_of
from intaglio.stages.stage import Derived

Report = Mapping[str, Any]

# enough to see where layers stand and to lead from the wall's friction to the core
_COUNT, _GROWTH, _LAST = 5, 1.2, 0.6


def layer_defaults(domain: Report, patches: Report) -> Derived:
    """Layers on every wall of a fluid, and where a fluid meets a solid; nothing where a fluid meets
    a fluid, as nothing need be there to hold it."""
    meant = walls(domain, patches)
    could = [p["name"] for p in patches["patches"] if p["kind"] in LAYERED]
    rows = []
    if meant:
        names = ["*"] if meant == could else meant
        rows = [{"patches": names, "count": _COUNT, "growth": _GROWTH, "last": _LAST}]
    why = "On the walls of fluids; the last layer leads over to the core. y+ may ask for more."
    return (
        {"layers": rows, "onward": "stop", "lowest": LOWEST},
        {
            "layers": why if rows else "None: no wall of a fluid is there to grow them from.",
            "onward": "The number asked for is the number made.",
            "lowest": "Layers that end are flat wedges; thin ones are not.",
        },
    )


def walls(domain: Report, patches: Report) -> list[str]:
    """Names of patches that a fluid rubs along."""
    sides = sides_of(domain)
    kinds = np.array([zone["kind"] for zone in domain["zones"]] + [""])
    fluids = (kinds[sides] == "fluid").sum(axis=1)
    number = {face["id"]: k for k, face in enumerate(domain["faces"])}
    out = []
    for patch in patches["patches"]:
        own = fluids[[number[face] for face in patch["faces"]]]
        rubbed = own > 0 if patch["kind"] == "wall" else own == 1
        if patch["kind"] in LAYERED and rubbed.any():
            out.append(patch["name"])
    return out


def scoped(rows: list[dict[str, Any]], domain: Report, patches: Report) -> Any:
    """What of the patches matters to layers: which faces each row is in force on, by patch; what
    they are called does not."""
    row_of = row_of_faces(rows, domain, patches)
    number = {face["id"]: k for k, face in enumerate(domain["faces"])}
    of_patch = [
        (int(row_of[number[patch["faces"][0]]]), sorted(patch["faces"]))
        for patch in patches["patches"]
        if patch["faces"]
    ]
    return sorted(own for own in of_patch if own[0] >= 0)
