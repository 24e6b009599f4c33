"""Findings about layers that are missing, end early or are thinner than asked for."""

import numpy as np
from numpy.typing import NDArray

from intaglio.findings import PLACES, Finding, two_digits
from intaglio.layers.directions import LEAST_SEEN
from intaglio.layers.grow import Grown
from intaglio.layers.shell import Shell
from intaglio.layers.sides import constraints

Bools = NDArray[np.bool_]

# a first layer thinner than this share of what is asked for is told
_THIN = 0.95


def short_findings(shells: list[Shell], grown: list[Grown], unit: str) -> list[Finding]:
    """Where layers are missing, end early or have a thinner first one, by cause."""
    found: dict[str, list[NDArray[np.float64]]] = {}
    left = share = np.inf
    for shell, have in zip(shells, grown, strict=True):
        for code, which in _causes(shell, have).items():
            nodes = np.flatnonzero(which)
            if not len(nodes):
                continue
            found.setdefault(code, []).append(shell.points[nodes])
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
            )
        )
    return out


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
