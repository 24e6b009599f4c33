"""Patches of the recipe resolved to faces: every face on exactly one, names fit for export."""

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from intaglio.findings import Finding
from intaglio.parts.places import NEAR, parse
from intaglio.settings.blanks import NAME
from intaglio.settings.patterns import meaning

Locate = Callable[[list[float]], NDArray[np.float64]]


def _meant(
    text: str, faces: list[dict[str, Any]], number: dict[str, int], scale: float, locate: Locate
) -> list[int]:
    """Faces that a reference means: by pattern, by name, or by the place when the face of that
    name lies elsewhere now."""
    name, at = parse(text)
    if "*" in name:
        means = meaning([name])
        return [k for k, row in enumerate(faces) if means(row["id"])]
    own = number.get(name, -1)
    if at is None:
        return [own] if own >= 0 else []
    if own >= 0 and np.abs(np.subtract(faces[own]["at"], at)).max() < 1e-6 * scale:
        return [own]
    apart = locate(at)
    if own >= 0 and apart[own] <= NEAR * scale:
        return [own]
    best = int(apart.argmin())
    return [best] if apart[best] <= NEAR * scale else []


def resolve(
    patches: list[dict[str, Any]], faces: list[dict[str, Any]], scale: float, locate: Locate
) -> tuple[list[list[int]], list[Finding]]:
    """Face numbers of each patch, and findings of level error where a rule is broken.

    faces: rows with id and a point `at` on the face; scale: diagonal of the model; locate: distance
    of a point from every face.
    """
    number = {row["id"]: k for k, row in enumerate(faces)}
    taken: dict[int, str] = {}
    members: list[list[int]] = [[] for _ in patches]
    found: list[Finding] = []

    def error(code: str, message: str, advice: str) -> None:
        found.append(Finding(code, "error", message, advice=advice))

    seen: set[str] = set()
    for row in patches:
        name = row["name"]
        if not NAME.match(name):
            error(
                "patch-name",
                f"“{name}” cannot be a patch name.",
                "Use a letter, then letters, digits and underscores, at most 31 in all.",
            )
        if name.lower() in seen:
            error("patch-twice", f"Two patches are called “{name}”.", "Give one another name.")
        seen.add(name.lower())
    rests = [k for k, row in enumerate(patches) if row["faces"] == "rest"]
    if len(rests) > 1:
        error("two-rests", "Two patches ask for all the rest.", "Leave that to one of them.")
    for k, row in enumerate(patches):
        if row["faces"] == "rest":
            continue
        for text in row["faces"]:
            meant = _meant(text, faces, number, scale, locate)
            if not meant:
                error(
                    "unknown-face",
                    f"Patch {row['name']} names “{parse(text)[0]}”, which the fluid does not have.",
                    "Select its faces again.",
                )
            for k_face in meant:
                face = faces[k_face]["id"]
                if k_face in taken:
                    error(
                        "face-twice",
                        f"{face} is on {taken[k_face]} and on {row['name']}.",
                        "Take it off one of them.",
                    )
                else:
                    taken[k_face] = row["name"]
                    members[k].append(k_face)
    left = [k for k in range(len(faces)) if k not in taken]
    if rests:
        members[rests[0]] = left
    elif left:
        names = ", ".join(faces[k]["id"] for k in left[:5]) + (" …" if len(left) > 5 else "")
        error(
            "face-without-patch",
            f"{len(left)} faces are on no patch: {names}.",
            "Put them on a patch, or let one patch take all the rest.",
        )
    found.extend(
        Finding(
            "empty-patch",
            "caution",
            f"Patch {row['name']} has no faces.",
            advice="Remove it, or give it faces.",
        )
        for row in patches
        if not row["faces"]
    )
    return members, found
