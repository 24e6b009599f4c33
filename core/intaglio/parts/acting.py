"""What each operation does to CAD and to facets."""

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from intaglio.cad import closing as cad_closing
from intaglio.cad import repair as cad
from intaglio.cad.kernel import KERNEL_ERRORS
from intaglio.errors import IntaglioError, SettingRejected, StepFailed
from intaglio.facets import closing as facet_closing
from intaglio.facets import repair as facets
from intaglio.facets.features import split_by_angle
from intaglio.facets.motion import mirrored, moved, rotated, scaled, split_plane
from intaglio.facets.part import FacetPart
from intaglio.facets.welding import sewn
from intaglio.parts.kind import Model
from intaglio.parts.kinds import kind_of
from intaglio.parts.operations import BY_NAME
from intaglio.parts.places import face_numbers
from intaglio.settings.blanks import blanks_of

# the model after it, and how many things were changed, of a model and the operation's settings
Act = Callable[[Any, Any], tuple[Any, int]]


def _direction(values: list[float], where: str) -> list[float]:
    if float(np.linalg.norm(values)) == 0.0:
        raise SettingRejected(where, "A direction needs a length; 0, 0, 0 has none.")
    return values


def _plane(act: Act) -> Act:
    def run(model: Any, s: Any) -> tuple[Any, int]:
        _direction(s.normal, "geometry.repairs")
        return act(model, s)

    return run


def _split_angle(part: FacetPart, angle: float) -> tuple[FacetPart, int]:
    out = split_by_angle(part, angle)
    return out, len(out.region_names) - len(part.region_names)


_CAD: dict[str, Act] = {
    "sew": lambda m, s: cad.sewn(m, s.tolerance),
    "cap": lambda m, s: cad.capped(m, s.shape, s.wider, s.narrower),
    "close_plane": _plane(lambda m, s: cad_closing.closed_against(m, s.at, s.normal, s.reach)),
    "thicken": lambda m, s: cad_closing.thickened(m, s.thickness),
    "remove": lambda m, s: cad.without_features(m, s.kind, s.below),
    "remove_faces": lambda m, s: cad.removed_faces(m, face_numbers(m, s.faces, "geometry.repairs")),
    "merge_faces": lambda m, s: cad.merged_faces(m),
    "drop_slivers": lambda m, s: cad.without_slivers(m, s.thinner),
    "drop_duplicates": lambda m, s: cad.without_duplicates(m),
    "unify_normals": lambda m, s: cad.unified_normals(m),
    "rebuild_faces": lambda m, s: cad.rebuilt(m, face_numbers(m, s.faces, "geometry.repairs")),
    "drop_bodies": lambda m, s: cad.without_bodies(m, s.bodies),
    "drop_sheets": lambda m, s: cad.without_sheets(m),
    "union": lambda m, s: cad.united(m),
    "split_plane": _plane(
        lambda m, s: cad.split_by_plane(
            m, s.at, s.normal, set(face_numbers(m, s.faces, "geometry.repairs"))
        )
    ),
    "scale": lambda m, s: cad.scaled(m, s.factor),
    "move": lambda m, s: cad.moved(m, s.by),
    "rotate": lambda m, s: cad.rotated(m, s.at, _direction(s.axis, "geometry.repairs"), s.angle),
    "mirror": _plane(lambda m, s: cad.mirrored(m, s.at, s.normal)),
}

_FACETS: dict[str, Act] = {
    "sew": lambda m, s: sewn(m, s.tolerance),
    "cap": lambda m, s: facets.cap_holes(m, s.shape, s.wider, s.narrower),
    "close_plane": _plane(lambda m, s: facet_closing.closed_against(m, s.at, s.normal, s.reach)),
    "thicken": lambda m, s: facet_closing.thickened(m, s.thickness),
    "drop_slivers": lambda m, s: facets.drop_slivers(m, s.thinner),
    "drop_duplicates": lambda m, s: facets.drop_duplicates(m),
    "unify_normals": lambda m, s: facets.unify_normals(m),
    "drop_bodies": lambda m, s: facets.drop_bodies(m, s.bodies),
    "drop_pieces": lambda m, s: facets.drop_pieces(m, s.smaller),
    "drop_inside": lambda m, s: facets.drop_inside(m),
    "drop_fins": lambda m, s: facets.drop_fins(m),
    "drop_spikes": lambda m, s: facets.drop_spikes(m),
    "untangle": lambda m, s: facets.untangle(m),
    "union": lambda m, s: facets.union(m),
    "split_angle": lambda m, s: _split_angle(m, s.angle),
    "split_plane": _plane(
        lambda m, s: split_plane(
            m, s.at, s.normal, set(face_numbers(m, s.faces, "geometry.repairs"))
        )
    ),
    "scale": lambda m, s: scaled(m, s.factor),
    "move": lambda m, s: moved(m, s.by),
    "rotate": lambda m, s: rotated(m, s.at, _direction(s.axis, "geometry.repairs"), s.angle),
    "mirror": _plane(lambda m, s: mirrored(m, s.at, s.normal)),
}

ACTS = {"cad": _CAD, "facets": _FACETS}


def apply(model: Model, row: Mapping[str, Any]) -> tuple[Model, int]:
    """The model after one operation, and how many things it changed. Raises StepFailed."""
    operation = BY_NAME[row["do"]]
    kind = kind_of(model)
    act = ACTS[kind.key].get(operation.key)
    if act is None:
        raise StepFailed("not-for-this", f"“{operation.title}” does not apply to {kind.title}.")
    names = blanks_of(operation.settings)
    settings = operation.settings(**{k: v for k, v in row.items() if k in names})
    try:
        out, count = act(model, settings)
    except IntaglioError:
        raise
    except KERNEL_ERRORS as error:
        raise StepFailed(
            "kernel", f"The CAD kernel could not do “{operation.title}” ({type(error).__name__})."
        ) from error
    return kind.checked(out, operation.title, row["do"] == "mirror"), count
