"""The rows of the patches' table: name, kind and faces of each."""

from collections.abc import Mapping
from typing import Any

from intaglio.errors import SettingRejected
from intaglio.mesh.mesh import PATCH_KINDS
from intaglio.settings.blanks import Rows, refuse_many_patterns


def check_patches(
    where: str, label: str, value: Any, numbers: Mapping[str, float]
) -> list[dict[str, Any]]:
    """A list of {name, kind, faces}; kinds and shapes are checked here, names by findings."""
    if not isinstance(value, (list, tuple)):
        raise SettingRejected(where, "Patches need a list of name, kind and faces.")
    out = []
    for row in value:
        if not isinstance(row, Mapping) or not {"name", "kind"} <= set(row):
            raise SettingRejected(where, "Each patch needs a name, a kind and its faces.")
        name, kind, faces = row["name"], row["kind"], row.get("faces", [])
        if not isinstance(name, str) or len(name) > 200:
            raise SettingRejected(where, "A patch's name must be a text.")
        if kind not in PATCH_KINDS:
            raise SettingRejected(
                where, f"Patch {name}: the kind must be one of {', '.join(PATCH_KINDS)}."
            )
        if faces != "rest" and (
            not isinstance(faces, (list, tuple)) or not all(isinstance(f, str) for f in faces)
        ):
            raise SettingRejected(where, f"Patch {name}: faces must be a list of names, or rest.")
        if faces != "rest":
            refuse_many_patterns(where, f"Patch {name:.40}", faces)
        out.append({"name": name, "kind": kind, "faces": faces if faces == "rest" else list(faces)})
    return out


def _schema() -> dict[str, Any]:
    faces = {"anyOf": [{"const": "rest"}, {"type": "array", "items": {"type": "string"}}]}
    row = {
        "type": "object",
        "required": ["name", "kind", "faces"],
        "properties": {
            "name": {"type": "string", "pattern": "^[A-Za-z][A-Za-z0-9_]{0,30}$"},
            "kind": {"enum": list(PATCH_KINDS)},
            "faces": faces,
        },
        "additionalProperties": False,
    }
    return {"type": "array", "items": row}


PATCH_ROWS = Rows(check_patches, _schema)
