"""Advice on a domain: enclosures that are too close, sectors that do not repeat themselves."""

import numpy as np
from numpy.typing import NDArray

from intaglio.cad.enclosing import AXES, Enclosure
from intaglio.findings import Finding
from intaglio.parts.kinds import kind_of
from intaglio.parts.model import face_rows
from intaglio.stages.domain.fluid import Fluid
from intaglio.stages.domain.settings import Domain

# advice on distances, in body lengths, and on the share of the section that the body blocks
_LEAST = {"ahead": 3.0, "behind": 6.0, "aside": 3.0}
_BLOCKED = 0.03


def too_close(
    settings: Domain,
    shape: Enclosure,
    low: NDArray[np.float64],
    high: NDArray[np.float64],
) -> list[Finding]:
    """Advice where the enclosure is too close, or the body blocks too much of it."""
    found = []
    names = ("ahead", "behind", "aside") if settings.shape != "sphere" else ("aside",)
    for name in names:
        have = getattr(settings, name)
        if have < _LEAST[name]:
            found.append(
                Finding(
                    "enclosure-short",
                    "caution",
                    f"The enclosure reaches only {have:g} body lengths {name}.",
                    advice=f"Make it {_LEAST[name]:g} at least, or the flow feels the boundary.",
                    cause="Too close a boundary is a frequent cause of wrong forces.",
                )
            )
    axis = AXES[settings.along[1]]
    other = [k for k in range(3) if k != axis]
    body = float(np.prod((high - low)[other]))
    whole = float(np.prod((shape.high - shape.low)[other]))
    if settings.shape != "box":
        whole *= np.pi / 4
    if body / whole > _BLOCKED:
        found.append(
            Finding(
                "blocked",
                "caution",
                f"The body's box blocks {100 * body / whole:.2g} % of the section.",
                advice=f"Go farther aside, so that it is under {100 * _BLOCKED:g} %.",
                cause="The fluid is squeezed past the body.",
            )
        )
    return found


def unmatched_sides(settings: Domain, fluid: Fluid) -> list[Finding]:
    """A finding if the periodic pair does not match when turned onto each other."""
    view = kind_of(fluid.model).drawn(fluid.model)
    scale = float(np.linalg.norm(np.ptp(view.points, axis=0)))
    rows = face_rows(fluid.model, view, scale)
    sides: dict[str, list[np.ndarray]] = {"periodic_1": [], "periodic_2": []}
    for fid, row in zip(fluid.ids, rows, strict=True):
        for name, own in sides.items():
            if fid.startswith(name):
                own.append(np.append(np.array(row["centre"]) - settings.through, row["area"]))
    one, two = (np.array(v).reshape(-1, 4) for v in sides.values())
    axis = np.zeros(3)
    axis[AXES[settings.axis]] = 1.0
    t = 2 * np.pi / settings.sectors
    turned = one.copy()
    p = one[:, :3]
    turned[:, :3] = (
        p * np.cos(t) + np.cross(axis, p) * np.sin(t) + np.outer(p @ axis, axis) * (1 - np.cos(t))
    )
    weight = np.array([1.0, 1.0, 1.0, 1 / max(scale, 1e-300)])
    same = len(one) == len(two) and len(one) > 0
    for side in turned if same else []:
        same = same and bool(np.abs((two - side) * weight).max(axis=1).min() < 1e-4 * scale)
    if same:
        return []
    return [
        Finding(
            "periodic-mismatch",
            "error",
            "The two flat sides of the sector do not match when turned onto each other.",
            places=[r["at"] for i, r in zip(fluid.ids, rows, strict=True) if i[:8] == "periodic"],
            advice="Choose the number of times that the machine repeats itself, and its axis.",
            cause="The geometry does not repeat itself so many times about this axis.",
        )
    ]
