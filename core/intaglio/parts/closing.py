"""What would close an open model, likeliest first, and closing it that way."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.errors import IntaglioError, StepFailed
from intaglio.facets.closing import rims_of
from intaglio.facets.faults import edge_lengths
from intaglio.facets.part import FacetPart, kept
from intaglio.facets.pieces import find_pieces
from intaglio.facets.plates import THICKNESS, is_plate
from intaglio.findings import Finding, offer, two_digits
from intaglio.parts.acting import apply
from intaglio.parts.kind import Model
from intaglio.parts.kinds import kind_of
from intaglio.parts.operations import BY_NAME
from intaglio.parts.rows import ActionRow
from intaglio.triangles.edges import edge_table, pairs_across
from intaglio.triangles.measures import inner_angles

Floats = NDArray[np.float64]

# as fine as facets need be to tell how a body is open
_SHARE = 0.005
# rims lie in one plane if no point is off it by more than this share of the model
_IN_PLANE = 1e-3
# ways that are taken after each other at most: gaps, then holes, then what is left
_STEPS = 4
# new faces that meet the skin at less than this (rad) along so much of what they close fold back
_FOLDED, _MOST_FOLDED = np.radians(3.0), 0.5


@dataclass(frozen=True)
class Way:
    """One way to close a model: words for the button, and the repair."""

    title: str
    operation: dict[str, Any]


def ways(model: Model, found: tuple[Finding, ...]) -> list[Way]:
    """What may close a model, likeliest first; none where it is closed.

    found: the model's findings. Gaps come first, since what they part is no rim. Then it depends on
    what the rims enclose: a plate is thickened, rims within each other in one plane are closed in
    that plane, others are capped one by one.
    """
    by_code = {f.code: f for f in found}
    unit = str(model.unit)
    out = []
    if "gaps" in by_code:
        tolerance = two_digits(1.3 * by_code["gaps"].size)
        out.append(Way(f"Sew within {tolerance:g} {unit}", {"do": "sew", "tolerance": tolerance}))
    if not by_code.keys() & {"gaps", "holes", "free-edges"}:
        return []
    kind = kind_of(model)
    scale = kind.scale(model)
    part = _open_pieces(kind.facets(model, _SHARE))
    rims = [part.points[loop] for loop in rims_of(part)] if part is not None else []
    if not rims or part is None:
        return out
    thickness = two_digits(THICKNESS * scale)
    cap = [
        Way("Cap the openings flat", {"do": "cap", "shape": "flat"}),
        Way("Cap the openings smoothly", {"do": "cap", "shape": "smooth"}),
    ]
    thicken = [Way(f"Thicken by {thickness:g} {unit}", {"do": "thicken", "thickness": thickness})]
    if is_plate(part, rims):
        return [*out, *thicken, *_against_plane(part, rims, scale)]
    within = _within_each_other(rims, scale)
    if within:
        return [*out, *within, *thicken]
    return [*out, *cap, *_against_plane(part, rims, scale), *thicken]


def _against_plane(part: FacetPart, rims: list[Floats], scale: float) -> list[Way]:
    """For one rim that lies in no plane, such as that of a terrain."""
    if len(rims) > 1 or _plane_through(rims[0])[2] <= _IN_PLANE * scale:
        return []
    at, normal = _lowest_plane(part, rims)
    row = {"do": "close_plane", "at": _plain(at, scale), "normal": normal.tolist()}
    return [Way("Close it against a plane", row)]


def _within_each_other(rims: list[Floats], scale: float) -> list[Way]:
    """A way for each plane in which rims lie within others, as at the end of a thick pipe."""
    planes = [_plane_through(rim) for rim in rims]
    out: list[Way] = []
    seen: set[int] = set()
    for at, normal, off in planes:
        own = [
            j
            for j, rim in enumerate(rims)
            if off <= _IN_PLANE * scale
            and np.abs((rim - at) @ normal).max() <= 2 * _IN_PLANE * scale
        ]
        if seen & set(own) or not _nested([rims[j] for j in own], at, normal):
            continue
        seen |= set(own)
        row = {
            "do": "close_plane",
            "at": _plain(at, scale),
            "normal": _plain(normal, 1.0),
            "reach": two_digits(4 * _IN_PLANE * scale),
        }
        out.append(Way(f"Close {len(own)} rims in the plane {_plane_words(at, normal)}", row))
    return out


def _plane_words(at: Floats, normal: Floats) -> str:
    """A plane as one would call it: z = 5, or across 1, 1, 0 at 2, 0, 3."""
    axis = int(np.abs(normal).argmax())
    if abs(normal[axis]) > 1 - 1e-6:
        return f"{'xyz'[axis]} = {at[axis] + 0.0:.4g}"
    way, place = (", ".join(f"{x + 0.0:.3g}" for x in v) for v in (normal, at))
    return f"across {way} at {place}"


def _open_pieces(part: FacetPart) -> FacetPart | None:
    pieces = find_pieces(part, edge_table(part.triangles))
    still = ~pieces.closed[pieces.piece]
    return kept(part, still) if still.any() else None


def _plain(values: Any, scale: float) -> list[float]:
    """Numbers as one would type them: to a millionth of the scale."""
    step = 10.0 ** (np.floor(np.log10(scale)) - 6)
    return [float(f"{np.round(v / step) * step:.9g}") + 0.0 for v in values]


def _plane_through(points: Floats) -> tuple[Floats, Floats, float]:
    """The plane nearest to points (n, 3): a point, its normal, and the largest distance from it."""
    centre = points.mean(axis=0)
    axes = np.linalg.svd(points - centre, full_matrices=False)[2]
    normal = axes[2] * (1.0 if axes[2][np.abs(axes[2]).argmax()] > 0 else -1.0)
    return centre, normal, float(np.abs((points - centre) @ normal).max())


def _lowest_plane(part: FacetPart, rims: list[Floats]) -> tuple[Floats, Floats]:
    """A plane square to the axis along which the rims extend least, beyond all of the part, on the
    side that the rims are nearer to."""
    low, high = part.points.min(axis=0), part.points.max(axis=0)
    rim = np.concatenate(rims)
    axis = int(np.ptp(rim, axis=0).argmin())
    middle = float(rim[:, axis].mean())
    span = max(high[axis] - low[axis], 1e-3 * float(np.linalg.norm(high - low)))
    below = middle - low[axis] <= high[axis] - middle
    at = 0.5 * (low + high)
    at[axis] = low[axis] - 0.1 * span if below else high[axis] + 0.1 * span
    return at, np.eye(3)[axis]


def _nested(rims: list[Floats], at: Floats, normal: Any) -> bool:
    """Whether a rim lies within another, all in one plane."""
    if len(rims) < 2:
        return False
    n = np.asarray(normal, float)
    first = np.cross(n, np.eye(3)[np.abs(n).argmin()])
    axes = np.column_stack([first, np.cross(n, first)])
    flat = [(rim - at) @ axes for rim in rims]
    low = np.array([polygon.min(axis=0) for polygon in flat])
    high = np.array([polygon.max(axis=0) for polygon in flat])
    within = (low[:, None] > low).all(axis=2) & (high[:, None] < high).all(axis=2)
    return bool(within.any())


def free_length(model: Model) -> float:
    """Length of all free edges, by the facets that the model is looked at with."""
    part = kind_of(model).facets(model, _SHARE)
    table = edge_table(part.triangles)
    return float(edge_lengths(part.points, table.nodes[table.uses == 1]).sum())


def folded_length(model: Model) -> float:
    """Length of the edges at which the model's facets lie back on each other."""
    part = kind_of(model).facets(model, _SHARE)
    table = edge_table(part.triangles)
    edges = table.nodes[table.uses == 2]
    angle = inner_angles(part.points, part.triangles, edges, pairs_across(table)[0])
    return float(edge_lengths(part.points, edges[angle < _FOLDED]).sum())


def closed(model: Model) -> tuple[Model, list[ActionRow]]:
    """The model closed by the likeliest ways, one after the other, and what was done.

    A way counts if it leaves shorter free edges and no error of another sort, and does not fold
    back on the skin, which would enclose nothing. Raises StepFailed, with what is left, if the
    model is still open when none helps.
    """
    kind = kind_of(model)
    actions: list[ActionRow] = []
    back: list[str] = []
    for _ in range(_STEPS):
        found = kind.diagnosed(model).findings
        options = ways(model, found)
        if not options:
            break
        before, volume = free_length(model), kind.volume(model)
        folds = folded_length(model) + _MOST_FOLDED * before
        for way in options:
            try:
                out, count = apply(model, way.operation)
            except IntaglioError:
                continue
            new = _errors(out) - {f.code for f in found}
            if not count or new or free_length(out) > 0.999 * before:
                continue
            if folded_length(out) > folds:
                back.append(way.title)
                continue
            model = out
            operation = BY_NAME[way.operation["do"]]
            actions.append(
                {
                    "do": operation.key,
                    "title": way.title,
                    "done": operation.done.format(n=f"{count:,}"),
                    "volume_change": float(kind.volume(out) - volume),
                }
            )
            break
        else:
            break
    left = [f for f in kind.diagnosed(model).findings if f.code in ("gaps", "holes", "free-edges")]
    if left:
        told = " ".join(f"{f.message} ({f.count})" for f in left)
        did = "; ".join(a["title"] for a in actions)
        folded = f" Not taken, as it would lie back on the skin: {'; '.join(back)}." if back else ""
        raise StepFailed(
            "not-closed",
            f"It stays open{f' after: {did}' if did else ''}. Left: {told}{folded}",
            [p for f in left for p in f.places][:20],
        )
    return model, actions


def _errors(model: Model) -> set[str]:
    return {f.code for f in kind_of(model).diagnosed(model).findings if f.level == "error"}


def open_finding(model: Model, found: tuple[Finding, ...]) -> list[Finding]:
    """What would close the model, as offers; nothing for one that is closed."""
    options = ways(model, found)
    if not options:
        return []
    return [
        Finding(
            "open-body",
            "note",
            "The surface bounds no space while it is open. What would close it, likeliest first:",
            advice="Close it takes the first that works, then the next for what is left. A wall "
            "without a thickness can stay as it is: Domain keeps it with two sides.",
            repairs=[
                offer("Close it", "close"),
                *({"label": w.title, "operation": w.operation} for w in options),
            ],
        )
    ]
