"""Findings about layers that are missing, end early or are thinner than asked for."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.findings import PLACES, Finding, offer, two_digits
from intaglio.layers.directions import LEAST_SEEN
from intaglio.layers.grow import Grown
from intaglio.layers.shell import Shell
from intaglio.layers.sides import constraints
from intaglio.stages.layers.report import LayerPatchRow
from intaglio.stages.layers.rows import HEIGHTS
from intaglio.stages.layers.scopes import CORE_HEIGHT
from intaglio.triangles.measures import triangle_areas

Bools = NDArray[np.bool_]

Ints = NDArray[np.int32]

# findings that less height would mend, and the share of places, in %, at which what is offered is
# more than fits
_ROOM = ("layers-short", "layers-thin")
_MOST_PLACES = 10
# a core cell more than so many times as high as the last layer is a step; steps on less than this
# share of the walls are not told
_STEP, _FEW = 2.0, 0.05
# a first layer thinner than this share of what is asked for is told
_THIN = 0.95


def nowhere_findings(told: list[LayerPatchRow], meant: bool | np.bool_) -> list[Finding]:
    """Where no layer stands on a patch that layers are asked for on: NOWHERE if none stands at all.
    meant: whether any face is to grow layers."""
    bare = [row["name"] for row in told if row["none"] >= 1.0]
    on = f"on {', '.join(bare)}" if bare else "anywhere"
    some = len(bare) < len(told)
    if some and not bare:
        return []
    return [
        Finding(
            "layers-bare" if some else NOWHERE,
            "caution",
            f"No layer stands {on}, though layers are asked for there.",
            max(1, len(bare)),
            advice=_LOWER_THEM if meant else _ON_SOLIDS,
        )
    ]


# layers are asked for, and not one stands: a command that was to make them did not do so
NOWHERE = "layers-nowhere"
_ON_SOLIDS = "Name walls of fluids, or let layers grow in solids too."
_LOWER_THEM = (
    "Ask for lower layers, by a first height or a height of all that the room beside the wall has; "
    "or drop the row."
)


def short_findings(
    shells: list[Shell],
    grown: list[Grown],
    rows: list[Ints],
    asked: list[dict[str, Any]],
    unit: str,
) -> list[Finding]:
    """Where layers are missing, end early or have a thinner first one, by cause; rows: by shell the
    row of layers asked for on each triangle (m,), -1 for none."""
    found: dict[str, list[NDArray[np.float64]]] = {}
    fits: dict[str, dict[int, list[NDArray[np.float64]]]] = {}
    left = share = np.inf
    for shell, have, row in zip(shells, grown, rows, strict=True):
        row_of = np.full(len(shell.points), -1)
        row_of[shell.triangles[row >= 0]] = row[row >= 0][:, None]
        for code, which in _causes(shell, have).items():
            nodes = np.flatnonzero(which)
            if not len(nodes):
                continue
            found.setdefault(code, []).append(shell.points[nodes])
            for k in np.unique(row_of[nodes]).tolist():
                of_row = fits.setdefault(code, {}).setdefault(k, [])
                of_row.append(have.height[nodes[row_of[nodes] == k]])
            if code == "layers-short":
                left = min(left, float(have.height[nodes].min()))
            if code == "layers-thin":
                share = min(share, float(have.thinned[nodes].min()))
    out = []
    for code, words, advice in _WORDS:
        if code not in found:
            continue
        places = np.concatenate(found[code])
        size, measure = 0.0, ""
        if code == "layers-short" and 0 < left < np.inf:
            size, measure = two_digits(left), f"{unit} is left of their height at the least"
        if code == "layers-thin":
            size, measure = two_digits(share), "of what was asked for at the least"
        out.append(
            Finding(
                code,
                "note" if code in ("layers-short", "layers-thin") else "caution",
                words,
                len(places),
                places[:: max(1, len(places) // PLACES)][:PLACES].tolist(),
                advice,
                size,
                measure,
                repairs=_lower(fits[code], asked, unit) if code in _ROOM else [],
            )
        )
    return out


def _lower(
    fits: dict[int, list[NDArray[np.float64]]], asked: list[dict[str, Any]], unit: str
) -> list[dict[str, Any]]:
    """Offers to ask for no more height, by row, than there is room for at most of its places."""
    out = []
    for k, heights in sorted(fits.items()):
        fit = two_digits(float(np.percentile(np.concatenate(heights), _MOST_PLACES)))
        if k < 0 or fit <= 0:
            continue
        row = {key: v for key, v in asked[k].items() if key not in HEIGHTS}
        now = [*asked[:k], row | {"total": fit}, *asked[k + 1 :]]
        label = f"Make them {fit:g} {unit} in all on {', '.join(row['patches'])}"
        out.append(offer(label, "set", stage="layers", settings={"layers": now}))
    return out


def step_findings(shells: list[Shell], grown: list[Grown], unit: str) -> list[Finding]:
    """Where the core's first cells are much higher than the last layer, with edges that would
    remove it."""
    areas, ratios, lasts, places = [], [], [], []
    for shell, have in zip(shells, grown, strict=True):
        number = have.columns.count
        tri = np.flatnonzero(shell.grown & (number[shell.triangles] > 0).all(axis=1))
        if not len(tri):
            continue
        rows = np.arange(len(number))
        under = have.ends[rows, np.maximum(number - 1, 0)]
        last = (have.ends[:, -1] - under)[shell.triangles[tri]].mean(axis=1)
        cap = have.core.points[have.columns.top[shell.triangles[tri]]]
        edge = np.linalg.norm(cap - np.roll(cap, 1, axis=1), axis=2).mean(axis=1)
        areas.append(triangle_areas(shell.points, shell.triangles[tri]))
        ratios.append(CORE_HEIGHT * edge / last)
        lasts.append(last)
        places.append(cap.mean(axis=1))
    if not areas:
        return []
    area, ratio = np.concatenate(areas), np.concatenate(ratios)
    high = ratio > _STEP
    share = float(area[high].sum() / area.sum())
    if share < _FEW:
        return []
    worst = np.flatnonzero(high)[np.argsort(ratio[high])[::-1]]
    spots = np.concatenate(places)[worst[:: max(1, len(worst) // PLACES)][:PLACES]]
    last = float(np.median(np.concatenate(lasts)[high]))
    edge = two_digits(_STEP * last / CORE_HEIGHT)
    return [
        Finding(
            "layers-step",
            "note",
            f"On {100 * share:.0f} % of the walls with layers the core begins with cells more than "
            "twice as high as the last layer.",
            int(high.sum()),
            spots.tolist(),
            f"Let layers grow on until they meet the core, or ask for edges of about {edge:g} "
            f"{unit} on these walls.",
            two_digits(float(np.median(ratio[high]))),
            "times as high, in the middle of these places",
            repairs=[
                offer(
                    "Let layers grow on until they meet the core",
                    "set",
                    stage="layers",
                    settings={"onward": "meet"},
                )
            ],
        )
    ]


def _causes(shell: Shell, have: Grown) -> dict[str, Bools]:
    """Nodes (n,) of a shell at which layers fall short, by the code of their finding."""
    number, asked = have.columns.count, have.wanted
    missing = (number < asked) & shell.walls
    thin = ~missing & shell.walls & (have.thinned < _THIN)
    if not missing.any():
        return {"layers-thin": thin}
    held = constraints(shell).blocked & missing
    sharp = missing & ~held & (have.found.seen < LEAST_SEEN)
    from_held = _near(shell, held | sharp, missing)
    return {
        "layers-blocked": held,
        "layers-sharp": sharp,
        "layers-short": missing & ~held & ~sharp & ~from_held,
        "layers-thin": thin,
    }


_WORDS = (
    (
        "layers-blocked",
        "Layers end before faces that are not plane, or before corners of several faces.",
        "Give the face beside it layers too, or make it plane in Geometry.",
    ),
    (
        "layers-sharp",
        "No direction sees all faces of an edge well enough for layers to grow from it.",
        "Round the edge in Geometry, or leave its patch without layers.",
    ),
    (
        "layers-short",
        "Layers end early where there is no room for all of them.",
        "Lower their height there, or use shorter edges, by a row of its own for the patch.",
    ),
    (
        "layers-thin",
        "The first layer is thinner than asked for where there is no room for all layers.",
        "Ask for fewer or lower layers there, by a row of its own for the patch.",
    ),
)


def _near(shell: Shell, seeds: NDArray[np.bool_], among: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Nodes among some that hang together with seeds through edges between them."""
    edges = shell.wall_edges
    edges = edges[among[edges].all(axis=1)]
    out = seeds.copy()
    while True:
        before = out.sum()
        out[edges[out[edges[:, 0]], 1]] = True
        out[edges[out[edges[:, 1]], 0]] = True
        if out.sum() == before:
            return out
