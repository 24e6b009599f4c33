"""Patches of the recipe resolved to faces: every face on exactly one, names fit for export."""

from typing import Any

from intaglio.mesh.validity import Finding
from intaglio.recipe.blanks import NAME


def resolve(
    patches: list[dict[str, Any]], faces: list[str]
) -> tuple[list[list[int]], list[Finding]]:
    """Face numbers of each patch, and findings of level error where a rule is broken."""
    number = {name: k for k, name in enumerate(faces)}
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
        for face in row["faces"]:
            if face not in number:
                error(
                    "unknown-face",
                    f"Patch {row['name']} names “{face}”, which the fluid does not have.",
                    "Select its faces again.",
                )
            elif number[face] in taken:
                error(
                    "face-twice",
                    f"{face} is on {taken[number[face]]} and on {row['name']}.",
                    "Take it off one of them.",
                )
            else:
                taken[number[face]] = row["name"]
                members[k].append(number[face])
    left = [k for k in range(len(faces)) if k not in taken]
    if rests:
        members[rests[0]] = left
    elif left:
        names = ", ".join(faces[k] for k in left[:5]) + (" …" if len(left) > 5 else "")
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
