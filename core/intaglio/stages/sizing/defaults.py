"""Sizes derived from what the flow meets and from the number of cells that is aimed at."""

import math
from collections.abc import Mapping
from typing import Any

import numpy as np

from intaglio.settings.blanks import significant
from intaglio.sizing.aiming import (
    ALONG_BODY,
    USUAL_CELLS,
    USUAL_SEAM,
    Lengths,
    Limits,
    fewest_cells,
    gap_cells_for,
    limits_at,
    scale_for,
)
from intaglio.stages.sizing.settings import FINEST_SHARE

Report = Mapping[str, Any]

# more cells than asked for by this factor are told
MUCH_MORE = 1.25


def sizing_defaults(
    domain: Report, given: Mapping[str, Any]
) -> tuple[dict[str, Any], dict[str, str]]:
    """Limits at which the fluid takes the number of cells asked for, with their reasons.

    given: the settings of Sizing that are given by hand.
    """
    cells = float(given.get("cells", USUAL_CELLS))
    limits, why = _aimed(domain["aim"], cells, domain["unit"])
    least = 1.01 * FINEST_SHARE * float(np.linalg.norm(domain["size"]))
    if limits.smallest < least:
        limits = Limits(least, max(limits.largest, least), limits.wall)
        why["smallest"] = "As small as is of use in a model of this size."
    if limits.wall and ("largest" in given or "smallest" in given):
        # whoever gives the limits by hand means them for the walls too
        limits = Limits(limits.smallest, limits.largest, 0.0)
        why["wall"] = "No limit of its own: the limits are given by hand."
    why_cells = "Enough to see whether a set-up works; the limits follow from it."
    if "largest" in given and "smallest" in given:
        why_cells = "The limits are given by hand, so that the number has no say."
    gap_cells = gap_cells_for(domain["volume"], domain["area"])
    why_gap = "Keeps every narrow place at least two cells wide."
    if not gap_cells:
        why_gap = "The fluid is as thin as a sheet: two cells across it would take too many cells."
    return (
        {
            "cells": USUAL_CELLS,
            "smallest": significant(limits.smallest, 3),
            "largest": significant(limits.largest, 3),
            "wall": significant(limits.wall, 3),
            "angle": 18.0,
            "growth": 1.2,
            "gap_cells": gap_cells,
            "walk_over": math.degrees(USUAL_SEAM),
            "sizes": [],
            "regions": [],
        },
        {
            "cells": why_cells,
            **why,
            "angle": "Twenty edges around a full circle.",
            "growth": "The usual rate for internal flow.",
            "gap_cells": why_gap,
            "walk_over": "Such edges say how the CAD was made, and nothing of its shape.",
            "sizes": "None: curvature and gaps decide.",
            "regions": "None yet.",
        },
    )


def _aimed(aim: Report, cells: float, unit: str) -> tuple[Limits, dict[str, str]]:
    fine = aim["fine"] or float("inf")
    lengths = Lengths(aim["largest"], aim["wall"], fine, aim["feature"], aim["why"])
    rows = [(scale, count) for scale, count in aim["scales"]]
    scale = scale_for(rows, cells)
    limits = limits_at(lengths, scale)
    usual = limits.wall or limits.largest
    named = {"radius": "tightest radius", "passage": "narrowest passage"}.get(aim["why"], "")
    share = round(usual / limits.smallest)
    told = "the edges on walls" if limits.wall else "the largest edge"
    if not named:
        smallest = f"One {_ORDINAL[share]} of {told}; no tight curves were found."
    elif abs(limits.smallest / fine - 1) < 1e-6:
        smallest = f"Follows the {named}, {aim['feature']:.3g} {unit}."
    else:
        smallest = (
            f"One {_ORDINAL[share]} of {told}; the {named}, {aim['feature']:.3g} {unit}, would "
            f"ask for {fine:.2g}."
        )
    least = fewest_cells(rows)
    why = {
        "largest": f"So that the fluid takes about {cells:,.0f} cells.",
        "smallest": smallest,
        "wall": "The fluid lies within walls: the largest edge holds for them.",
    }
    if limits.wall:
        why["largest"] = f"Far from the body; so that all takes about {cells:,.0f} cells."
        along = ALONG_BODY / scale
        why["wall"] = (
            f"{along:.0f} edges along the body; so that all takes about {cells:,.0f} cells."
        )
    if cells < least / MUCH_MORE:
        why["largest"] = f"Curves and narrow places alone ask for about {least:,.0f} cells."
    return limits, why


_ORDINAL = {
    2: "half", 3: "third", 4: "quarter", 5: "fifth", 6: "sixth", 7: "seventh",
    8: "eighth",
}  # fmt: skip
