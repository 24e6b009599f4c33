"""The stages: their briefs in sentences, and what follows from what."""

import dataclasses
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from intaglio.recipe.blanks import blanks_of
from intaglio.recipe.settings import (
    Case,
    Domain,
    Geometry,
    Patches,
    Sizing,
    SurfaceMesh,
    VolumeMesh,
)


@dataclass(frozen=True)
class Sentence:
    """A sentence with blanks in braces; shown only while each setting of `only` has one of the
    values given there, so that a brief holds no blank without effect."""

    text: str
    only: tuple[tuple[str, tuple[str, ...]], ...] = ()

    def shown(self, settings: Mapping[str, Any]) -> bool:
        return all(settings.get(name) in values for name, values in self.only)


@dataclass(frozen=True)
class Stage:
    """A stage: key, title, settings, the sentences of its brief, its action, what it needs.

    version is part of every product's key: raise it when the computation changes its result.
    """

    key: str
    title: str
    settings: type
    sentences: tuple[Sentence, ...]
    action: str
    needs: tuple[str, ...]
    version: int = 1


_FACETS = (("kind", ("facets",)),)
_INSIDE = (("where", ("inside",)),)
_AROUND = (("where", ("around",)),)
_HALF = (*_AROUND, ("symmetry", ("x", "y", "z")))
_LONG = (*_AROUND, ("shape", ("box", "cylinder", "frustum")))
_BOX = (*_AROUND, ("shape", ("box",)))
_ROUND = (*_AROUND, ("shape", ("cylinder", "frustum")))
_SPHERE = (*_AROUND, ("shape", ("sphere",)))
_FRUSTUM = (*_AROUND, ("shape", ("frustum",)))
_SECTION = (("cut", ("section",)),)
_SECTOR = (("cut", ("sector",)),)

STAGES = (
    Stage(
        "geometry",
        "Geometry",
        Geometry,
        (
            Sentence("Take the numbers of the file in {unit}."),
            Sentence("Tell facets apart into faces at edges sharper than {angle}.", _FACETS),
            Sentence("Then, in this order: {repairs}"),
        ),
        "Read the part",
        (),
    ),
    Stage(
        "domain",
        "Domain",
        Domain,
        (
            Sentence("Here {where}."),
            Sentence("Close the openings {closed} and take the space at {pin}", _INSIDE),
            Sentence("Keep the bodies {solids} as solid zones.", _INSIDE),
            Sentence("It flows {along} through {shape}: {symmetry}.", _AROUND),
            Sentence("The plane lies at {symmetry_at}.", _HALF),
            Sentence("The shape reaches {ahead} ahead and {behind} behind,", _LONG),
            Sentence("{aside} aside, {above} above and {below} below.", _BOX),
            Sentence("and {aside} around.", _ROUND),
            Sentence("The sphere reaches {aside} beyond the body.", _SPHERE),
            Sentence("It widens {widening} times to its end.", _FRUSTUM),
            Sentence("Of this, take {cut}."),
            Sentence("It lies across {axis} at {section_at} and is {thickness} thick.", _SECTION),
            Sentence(
                "It is one of {sectors} about the axis {axis} through {through}, from {start} on.",
                _SECTOR,
            ),
        ),
        "Extract the fluid",
        ("geometry",),
    ),
    Stage(
        "patches",
        "Patches",
        Patches,
        (Sentence("Every face of the fluid belongs to one patch: {patches}"),),
        "Settle the patches",
        ("domain",),
    ),
    Stage(
        "sizing",
        "Sizing",
        Sizing,
        (
            Sentence(
                "Let edges span from {smallest} to {largest}, and turn by {angle} per edge on "
                "curves."
            ),
            Sentence(
                "Neighbouring edges grow by {growth} at most, and {gap_cells} cells fit across a "
                "gap."
            ),
            Sentence("On patches and edges: {sizes}"),
            Sentence("In regions of space: {regions}"),
        ),
        "Lay out the sizes",
        ("domain", "patches"),
        version=2,
    ),
    Stage(
        "surface",
        "Surface",
        SurfaceMesh,
        (
            Sentence(
                "Mesh the surface of the fluid in {passes} passes of splitting, swapping and "
                "smoothing."
            ),
            Sentence("Walk over edges within a patch that turn by less than {walk_over}."),
        ),
        "Mesh the surface",
        ("domain", "sizing", "patches"),
        version=2,
    ),
    Stage(
        "volume",
        "Volume",
        VolumeMesh,
        (
            Sentence(
                "Fill the zones with tetrahedra, then raise the worst of them in {passes} passes "
                "until none has an angle under {target}."
            ),
        ),
        "Fill the volume",
        ("surface", "sizing"),
        version=3,
    ),
    Stage(
        "case",
        "Case",
        Case,
        (
            Sentence("The fluid has a density of {density} and a viscosity of {viscosity}."),
            Sentence(
                "It enters at {velocity} through the inlets, leaves at {pressure} through the "
                "outlets, and does not slip on walls."
            ),
        ),
        "Set up the case",
        ("volume", "patches"),
        version=2,
    ),
)

BY_KEY = {stage.key: stage for stage in STAGES}


def description() -> list[dict[str, Any]]:
    """All stages with their blanks as plain data: for the API, the schema and the brief."""
    return [
        {
            "key": stage.key,
            "title": stage.title,
            "sentences": [
                {"text": t.text, "only": {k: list(v) for k, v in t.only}} for t in stage.sentences
            ],
            "action": stage.action,
            "needs": list(stage.needs),
            "blanks": [
                {"name": name, **dataclasses.asdict(b), "choices": [list(c) for c in b.choices]}
                for name, b in blanks_of(stage.settings).items()
            ],
        }
        for stage in STAGES
    ]
