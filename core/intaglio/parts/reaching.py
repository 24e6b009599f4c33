"""How wide a ball touches which bodies of a model, and dropping those that only smaller ones do.

Of facets a body is looked at piece by piece: the inside of a skin and what lies in it are pieces
too, whatever the file calls them.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from intaglio.errors import StepFailed
from intaglio.facets.part import FacetPart
from intaglio.parts.kind import Model
from intaglio.parts.kinds import kind_of
from intaglio.parts.rows import ActionRow
from intaglio.rooms.passages import NothingReached, Rooms, rooms_of
from intaglio.rooms.spacing import TooFine

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]

# a curved wall stands off by no more than this share of the ball when it becomes facets
_DEFLECTION = 0.02
# what smaller balls touch is looked for down to this share of the limit
_SMALLER = 0.5
# bodies kept by less than this over the limit are told, to be judged
_NEAR = 2.0
# a ball under this share of the model would take more points than there is room for
_LEAST = 2e-4
# a piece is the one that is meant if its middle lies within this share of the model
_SAME_PLACE = 0.01


@dataclass(frozen=True)
class Groups:
    """What is kept or dropped as a whole: of CAD a body, of facets a piece. part: the facets;
    group (m,) of each; body, name and middle (3,) of each group; the names of pieces of one body
    tell where they are."""

    part: FacetPart
    group: Ints
    body: tuple[str, ...]
    name: tuple[str, ...]
    middle: Floats


def groups_of(model: Model, wide: float) -> Groups:
    """The groups of a model, as facets fine enough for balls so wide, in its unit."""
    kind = kind_of(model)
    scale = kind.scale(model)
    part = kind.facets(model, float(np.clip(_DEFLECTION * wide / scale, 1e-6, 5e-3)))
    _, number = np.unique(kind.wholes(part), return_inverse=True)
    group = number.reshape(-1).astype(np.int32)
    count = int(group.max()) + 1
    corner = part.points[part.triangles]
    low, high = np.full((count, 3), np.inf), np.full((count, 3), -np.inf)
    np.minimum.at(low, group, corner.min(axis=1))
    np.maximum.at(high, group, corner.max(axis=1))
    body = np.zeros(count, np.int32)
    body[group] = part.body
    many = np.bincount(body)[body] > 1
    middle = 0.5 * (low + high)
    own = tuple(part.body_names[b] for b in body.tolist())
    return Groups(
        part,
        group,
        own,
        tuple(
            f"{name} @ {' '.join(_short(x, scale) for x in at)}" if lots else name
            for name, at, lots in zip(own, middle.tolist(), many.tolist(), strict=True)
        ),
        middle,
    )


def _short(value: float, scale: float) -> str:
    step = 10.0 ** (np.floor(np.log10(scale)) - 3)
    return f"{round(value / step) * step + 0.0:.6g}"


def rooms_in(model: Model, wide: float, pins: Floats | None = None) -> tuple[Groups, Rooms]:
    """Rooms and passages of a model for balls `wide` across and more, from outside or from pins
    (k, 3), and its groups. Raises StepFailed where that is too much or no ball fits at the pins."""
    scale = kind_of(model).scale(model)
    unit = str(model.unit)
    if not scale > 0.0 or wide < _LEAST * scale:
        raise StepFailed(
            "too-narrow",
            f"Balls {wide:.3g} {unit} across are too small to be followed through a model "
            f"{scale:.4g} {unit} large. Take {_LEAST * scale:.2g} {unit} or more.",
        )
    groups = groups_of(model, wide)
    part = groups.part
    try:
        rooms = rooms_of(part.points, part.triangles, groups.group, len(groups.name), wide, pins)
    except (TooFine, MemoryError) as error:
        raise StepFailed(
            "too-narrow",
            f"Balls {wide:.3g} {unit} across take more places on this model to be followed than "
            "there is room for. Take larger ones.",
        ) from error
    except NothingReached as error:
        place = "" if pins is None else " at " + ", ".join(f"{x:.5g}" for x in pins[0])
        raise StepFailed(
            "nothing-reached",
            f"No ball {wide:.3g} {unit} across fits{place}. Take a smaller one, or a place farther "
            "from walls.",
        ) from error
    return groups, rooms


def without_unreached(
    model: Model, wide: float, pins: Floats | None, keep: list[str]
) -> tuple[Model, list[ActionRow]]:
    """The model without what only balls less than `wide` across touch, and for each group that
    went, and each that was near the limit or kept by its name, how wide a ball does."""
    groups, rooms = rooms_in(model, _SMALLER * wide, pins)
    scale = kind_of(model).scale(model)
    held = np.array([_named(groups, k, keep, scale) for k in range(len(groups.name))])
    gone = (rooms.touched < wide) & ~held
    rows: list[ActionRow] = []
    for k in np.lexsort((rooms.touched, ~gone)).tolist():
        if not gone[k] and not held[k] and rooms.touched[k] >= _NEAR * wide:
            continue
        did = "dropped" if gone[k] else "kept by name" if held[k] else "kept"
        size = f"a ball {rooms.touched[k]:.3g} {model.unit} across touches it"
        if rooms.touched[k] == 0.0:
            size = f"no ball over {_SMALLER * wide:.3g} {model.unit} touches it"
        rows.append(
            {
                "do": "drop_unreached",
                "title": groups.name[k],
                "done": f"{did}: {size}",
                "volume_change": 0.0,
            }
        )
    if not gone.any():
        return model, rows
    out = kind_of(model).without_facets(model, groups.part, gone[groups.group])
    if out is None:
        raise StepFailed("nothing-left", "No ball of this size touches anything that is there.")
    return out, rows


def dropped(rows: list[ActionRow]) -> int:
    """How many of the rows say that something went."""
    return sum(row["done"].startswith("dropped") for row in rows)


def _named(groups: Groups, k: int, keep: list[str], scale: float) -> bool:
    """Whether a group is among those to be kept: by the name of its body, or with a place too."""
    for text in keep:
        body, _, place = (part.strip() for part in text.partition("@"))
        if body != groups.body[k]:
            continue
        at = groups.middle[k]
        if place:
            try:
                at = np.array(place.split(), float)
            except ValueError:
                continue
        if at.shape == (3,) and np.abs(at - groups.middle[k]).max() < _SAME_PLACE * scale:
            return True
    return False
