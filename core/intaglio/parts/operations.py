"""Repairs and motions of the geometry: what each is called, its settings, and what it does.

The list of them in a recipe is worked through in order; each that is on changes the geometry and
says what it did.
"""

import dataclasses
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from intaglio.errors import SettingRejected
from intaglio.parts.kind import Model
from intaglio.parts.kinds import kind_of
from intaglio.parts.places import FACES
from intaglio.settings.blanks import (
    Rows,
    blank,
    blanks_of,
    check_value,
    described,
    fields_schema,
)

_TOLERANCE = "A little over the widest gap; far under the smallest detail that matters."
_PLANE = "Any point of the plane."


@dataclass(frozen=True)
class Nothing:
    """No settings."""


@dataclass(frozen=True)
class Sew:
    tolerance: float = blank("length", "tolerance", _TOLERANCE, 0.01, unit="{unit}", above=0.0)


@dataclass(frozen=True)
class Cap:
    shape: str = blank(
        "choice",
        "shape of the cap",
        "Flat for a missing end; smooth where a curved skin has a hole.",
        "flat",
        choices=(("flat", "flat"), ("smooth", "running on smoothly")),
    )
    wider: float = blank(
        "length", "least diameter", "0 for all down to the smallest.", 0.0, unit="{unit}", least=0.0
    )
    narrower: float = blank(
        "length", "largest diameter", "0 for no limit.", 0.0, unit="{unit}", least=0.0
    )


@dataclass(frozen=True)
class Remove:
    kind: str = blank(
        "choice",
        "kind of feature",
        "What the flow never sees costs cells.",
        "hole",
        choices=(
            ("hole", "holes"),
            ("boss", "bosses"),
            ("mark", "engraved marks"),
            ("fillet", "fillets"),
        ),
    )
    below: float = blank(
        "length",
        "largest size",
        "Diameter of holes and bosses, radius of fillets, extent of marks.",
        1.0,
        unit="{unit}",
        above=0.0,
    )


@dataclass(frozen=True)
class Faces:
    faces: list[str] = blank("faces", "faces", "Select them in the model.", [], rows=FACES)


@dataclass(frozen=True)
class Thinner:
    thinner: float = blank(
        "length",
        "width",
        "Well under the smallest edge of the mesh.",
        0.01,
        unit="{unit}",
        above=0.0,
    )


@dataclass(frozen=True)
class Bodies:
    bodies: list[str] = blank("names", "bodies", "What the flow never sees.", [])


@dataclass(frozen=True)
class Smaller:
    smaller: float = blank(
        "length", "size", "Diagonal of a piece's box.", 1.0, unit="{unit}", above=0.0
    )


@dataclass(frozen=True)
class Unreached:
    wide: float = blank(
        "length",
        "ball",
        "Under the narrowest passage that the fluid takes, over the gaps that it should not.",
        1.0,
        unit="{unit}",
        above=0.0,
    )
    start: str = blank(
        "choice",
        "where it starts",
        "Outside for a body in a stream; a place in the fluid for a flow within walls.",
        "outside",
        choices=(("outside", "outside"), ("place", "the place")),
    )
    at: list[float] = blank("point", "place", "Where fluid is.", [0, 0, 0], unit="{unit}")
    keep: list[str] = blank("names", "kept all the same", "What stays all the same.", [])


@dataclass(frozen=True)
class Angle:
    angle: float = blank(
        "angle", "angle", "30° to 45° keeps a cylinder whole.", 40.0, unit="°", above=0.0, most=180
    )


@dataclass(frozen=True)
class Plane:
    at: list[float] = blank("point", "point", _PLANE, [0, 0, 0], unit="{unit}")
    normal: list[float] = blank("point", "normal", "Direction across the plane.", [1, 0, 0])
    faces: list[str] = blank("faces", "faces", "None: all that the plane meets.", [], rows=FACES)


@dataclass(frozen=True)
class RimPlane:
    at: list[float] = blank("point", "point", _PLANE, [0, 0, 0], unit="{unit}")
    normal: list[float] = blank("point", "normal", "Direction across the plane.", [0, 0, 1])
    reach: float = blank(
        "length", "reach", "0 for all rims, however far.", 0.0, unit="{unit}", least=0.0
    )


@dataclass(frozen=True)
class Thicken:
    thickness: float = blank(
        "length",
        "thickness",
        "That of the real sheet, or a few times the smallest edge.",
        1.0,
        unit="{unit}",
        above=0.0,
    )


@dataclass(frozen=True)
class Factor:
    factor: float = blank(
        "number",
        "factor",
        "25.4 from inches to mm, 1000 from m, 0.001 from µm.",
        1.0,
        above=0.0,
        most=1e9,
    )


@dataclass(frozen=True)
class Move:
    by: list[float] = blank("point", "vector", "Along x, y, z.", [0, 0, 0], unit="{unit}")


@dataclass(frozen=True)
class Rotate:
    at: list[float] = blank("point", "point", "A point of the axis.", [0, 0, 0], unit="{unit}")
    axis: list[float] = blank("point", "axis", "Its direction.", [0, 0, 1])
    angle: float = blank("number", "angle", "Right-handed about the axis.", 90.0, unit="°")


@dataclass(frozen=True)
class Mirror:
    at: list[float] = blank("point", "point", _PLANE, [0, 0, 0], unit="{unit}")
    normal: list[float] = blank("point", "normal", "Direction across the plane.", [0, 1, 0])


@dataclass(frozen=True)
class Safe:
    tolerance: float = blank(
        "length",
        "tolerance",
        "No point of the surface moves farther, and the volume changes by no more than this times "
        "the area.",
        0.01,
        unit="{unit}",
        above=0.0,
    )


@dataclass(frozen=True)
class Operation:
    """key; title in the menu; sentence with its blanks; done: words for the log with {n}; of: the
    kinds of model for which it makes sense (`acting.py` does it); of_others: it decides by itself
    what is done, for all kinds, and tells each (`safe.py`, `closing.py`, `reaching.py`)."""

    key: str
    title: str
    sentence: str
    settings: type
    done: str
    of: tuple[str, ...] = ("cad", "facets")
    group: str = "repair"
    of_others: bool = False


OPERATIONS = (
    Operation(
        "repair_safe",
        "Repair all that is safe",
        "Repair all that moves the surface by less than {tolerance}.",
        Safe,
        "repairs done: {n}",
        of_others=True,
    ),
    Operation(
        "close",
        "Close what is open",
        "Close what is open by the likeliest way, and what is left by the next.",
        Nothing,
        "steps done: {n}",
        of_others=True,
    ),
    Operation(
        "sew",
        "Sew gaps",
        "Sew edges that are within {tolerance} of each other.",
        Sew,
        "free edges closed: {n}",
    ),
    Operation(
        "cap",
        "Cap holes",
        "Cap {shape} all holes from {wider} to {narrower} across.",
        Cap,
        "holes capped: {n}",
    ),
    Operation(
        "close_plane",
        "Close against a plane",
        "Bring rims within {reach} to the plane through {at} across {normal}, and close it there.",
        RimPlane,
        "rims closed: {n}",
    ),
    Operation(
        "thicken",
        "Thicken sheets",
        "Make open sheets {thickness} thick, on the side of their normals.",
        Thicken,
        "sheets thickened: {n}",
    ),
    Operation(
        "remove",
        "Remove features by size",
        "Remove all {kind} up to {below}.",
        Remove,
        "features removed: {n}",
        of=("cad",),
    ),
    Operation(
        "remove_faces",
        "Remove chosen faces",
        "Take off the faces {faces} and let their neighbours run on.",
        Faces,
        "faces removed: {n}",
        of=("cad",),
    ),
    Operation(
        "merge_faces",
        "Merge faces across seams",
        "Merge neighbouring faces that lie on one surface.",
        Nothing,
        "fewer faces: {n}",
        of=("cad",),
    ),
    Operation(
        "drop_slivers",
        "Drop slivers",
        "Drop faces narrower than {thinner} and close over them.",
        Thinner,
        "slivers dropped: {n}",
    ),
    Operation(
        "drop_duplicates",
        "Drop duplicates",
        "Drop faces and bodies that are there twice.",
        Nothing,
        "copies dropped: {n}",
    ),
    Operation(
        "unify_normals",
        "Unify normals",
        "Turn all normals outward.",
        Nothing,
        "turned over: {n}",
    ),
    Operation(
        "rebuild_faces",
        "Rebuild faces",
        "Trim the faces {faces} anew on their surfaces.",
        Faces,
        "faces rebuilt: {n}",
        of=("cad",),
    ),
    Operation(
        "drop_bodies",
        "Drop bodies",
        "Drop the bodies {bodies}.",
        Bodies,
        "bodies dropped: {n}",
    ),
    Operation(
        "drop_pieces",
        "Drop small pieces",
        "Drop loose pieces smaller than {smaller}.",
        Smaller,
        "pieces dropped: {n}",
        of=("facets",),
    ),
    Operation(
        "drop_inside",
        "Drop what lies inside",
        "Drop bodies that lie inside others.",
        Nothing,
        "pieces dropped: {n}",
        of=("facets",),
    ),
    Operation(
        "drop_unreached",
        "Drop what the fluid never reaches",
        "Drop what no ball {wide} across gets to from {start} {at}. Keep {keep}.",
        Unreached,
        "dropped: {n}",
        of_others=True,
    ),
    Operation(
        "drop_fins",
        "Drop fins",
        "Drop sheets that hang on the surface.",
        Nothing,
        "fins dropped: {n}",
        of=("facets",),
    ),
    Operation(
        "drop_sheets",
        "Drop sheets",
        "Drop surfaces that bound no solid.",
        Nothing,
        "sheets dropped: {n}",
        of=("cad",),
    ),
    Operation(
        "drop_spikes",
        "Cut spikes off",
        "Draw needles down to the surface around them.",
        Nothing,
        "spikes cut: {n}",
        of=("facets",),
    ),
    Operation(
        "untangle",
        "Cut out crossings",
        "Cut out triangles that cross their own surface, and cap the place.",
        Nothing,
        "triangles cut out: {n}",
        of=("facets",),
    ),
    Operation(
        "union",
        "Unite bodies",
        "Make one body of all that touch or overlap.",
        Nothing,
        "bodies united: {n}",
    ),
    Operation(
        "split_angle",
        "Split faces by angle",
        "Split faces along edges sharper than {angle}.",
        Angle,
        "more faces: {n}",
        of=("facets",),
    ),
    Operation(
        "split_plane",
        "Split faces by a plane",
        "Split {faces} along the plane through {at} across {normal}.",
        Plane,
        "more faces: {n}",
    ),
    Operation(
        "scale",
        "Scale",
        "Make it {factor} times as large.",
        Factor,
        "scaled",
        group="motion",
    ),
    Operation(
        "move",
        "Move",
        "Move it by {by}.",
        Move,
        "moved",
        group="motion",
    ),
    Operation(
        "rotate",
        "Rotate",
        "Turn it by {angle} about the axis through {at} along {axis}.",
        Rotate,
        "turned",
        group="motion",
    ),
    Operation(
        "mirror",
        "Mirror",
        "Mirror it in the plane through {at} across {normal}.",
        Mirror,
        "mirrored",
        group="motion",
    ),
)

BY_NAME = {o.key: o for o in OPERATIONS}


def check_operations(
    where: str, label: str, value: Any, numbers: Mapping[str, float]
) -> list[dict[str, Any]]:
    """A list of {do, on, settings …}, complete and checked. Raises SettingRejected."""
    if not isinstance(value, (list, tuple)):
        raise SettingRejected(where, "Repairs need a list.")
    out = []
    for k, row in enumerate(value):
        if not isinstance(row, Mapping) or row.get("do") not in BY_NAME:
            all_ = ", ".join(BY_NAME)
            raise SettingRejected(where, f"Repair {k + 1}: “do” must be one of {all_}.")
        known = blanks_of(BY_NAME[row["do"]].settings)
        unknown = sorted(set(row) - set(known) - {"do", "on"})
        if unknown:
            raise SettingRejected(where, f"Repair {k + 1}, {row['do']}, has no “{unknown[0]}”.")
        on = row.get("on", True)
        if not isinstance(on, bool):
            raise SettingRejected(where, f"Repair {k + 1}: “on” must be true or false.")
        full = dataclasses.asdict(BY_NAME[row["do"]].settings())
        for name, given in row.items():
            if name in known:
                full[name] = check_value(where, known[name], given, numbers)
        out.append({"do": row["do"], "on": on, **full})
    return out


def fits(operation: Operation, model: Model) -> bool:
    """Whether an operation makes sense for CAD or for facets, as the model is."""
    return kind_of(model).key in operation.of


def description() -> list[dict[str, Any]]:
    """All operations with their blanks as plain data, for the page and the schema."""
    return [
        {
            "key": o.key,
            "title": o.title,
            "sentence": o.sentence,
            "group": o.group,
            "cad": "cad" in o.of,
            "facets": "facets" in o.of,
            "default": dataclasses.asdict(o.settings()),
            "blanks": described(o.settings),
        }
        for o in OPERATIONS
    ]


def _schema() -> dict[str, Any]:
    rows = [
        {
            "type": "object",
            "title": operation.title,
            "required": ["do"],
            "properties": {
                "do": {"const": operation.key},
                "on": {"type": "boolean"},
                **fields_schema(operation.settings),
            },
            "additionalProperties": False,
        }
        for operation in OPERATIONS
    ]
    return {"type": "array", "items": {"anyOf": rows}}


REPAIRS = Rows(check_operations, _schema)
