"""Patches proposed from roles, names, colours and shape."""

from collections.abc import Mapping
from typing import Any

from intaglio.facets.part import free_name
from intaglio.parts.places import reference
from intaglio.parts.source import plain_name
from intaglio.stages.domain.defaults import flat_ends

Report = Mapping[str, Any]

_WORDS = (
    ("inlet", ("inlet", "inflow", "_in", "supply", "intake")),
    ("outlet", ("outlet", "outflow", "_out", "exhaust")),
    ("symmetry", ("sym",)),
    ("far_field", ("far",)),
    ("periodic", ("period", "cyclic")),
)


def kind_by_name(name: str) -> str:
    """The kind that a patch's name suggests; wall if it suggests none."""
    low = name.lower()
    for kind, words in _WORDS:
        if any(w in low if not w.startswith("_") else low.endswith(w) for w in words):
            return kind
    return "wall"


def _ref(face: Mapping[str, Any]) -> str:
    return reference(face["id"], face["at"])


def patches_defaults(domain: Report) -> tuple[dict[str, Any], dict[str, str]]:
    """Patches by what the faces are for, then by their names and colours in CAD, then by shape.
    All else is wall."""
    faces = domain["faces"]
    patches: list[dict[str, Any]] = []
    reasons: list[str] = []
    taken: set[str] = set()

    def add(name: str, kind: str, own: list[Mapping[str, Any]]) -> None:
        free = free_name(plain_name(name, "patch"), [p["name"] for p in patches])
        patches.append({"name": free, "kind": kind, "faces": [_ref(f) for f in own]})
        taken.update(f["id"] for f in own)

    for row in _by_role(faces, domain["zones"]):
        add(*row)
    if any(f["role"] != "sheet" and f["id"] in taken for f in faces):
        reasons.append("Closings, far field, symmetry, periodic and flat sides are patches.")
    if any(f["role"] == "sheet" for f in faces):
        reasons.append("Each side of a sheet is a patch.")
    named: dict[str, list[Mapping[str, Any]]] = {}
    for f in faces:
        if f["name"] and f["id"] not in taken:
            named.setdefault(f["name"], []).append(f)
    for name, own in named.items():
        add(name, kind_by_name(name), own)
    if named:
        reasons.append("Names come from the CAD file.")
    colours: dict[str, list[Mapping[str, Any]]] = {}
    for f in faces:
        if f["colour"] and f["id"] not in taken:
            colours.setdefault(f["colour"], []).append(f)
    if len(colours) > 1 or (colours and any(not f["colour"] for f in faces)):
        most = max(colours, key=lambda c: sum(f["area"] for f in colours[c]))
        for k, (colour, own) in enumerate(sorted(colours.items())):
            if colour != most or any(not f["colour"] for f in faces):
                add(f"colour_{k + 1}", "wall", own)
        reasons.append("Faces of one colour are one patch.")
    kinds = [p["kind"] for p in patches]
    if not {"inlet", "outlet", "far_field", "flat"} & set(kinds):
        ends = [f for f in flat_ends(faces) if f["id"] not in taken]
        for k, (f, kind) in enumerate(zip(ends, ("inlet", "outlet"), strict=False)):
            add(f"end_{k + 1}", kind, [f])
        if ends:
            reasons.append("The two flat ends farthest apart are taken as inlet and outlet.")
        elif not patches:
            reasons.append("No flat ends were found, so everything is wall.")
    patches.append({"name": "wall", "kind": "wall", "faces": "rest"})
    reasons.append("All else is wall.")
    return {"patches": patches}, {"patches": " ".join(reasons)}


def _by_role(
    faces: list[dict[str, Any]], zones: list[dict[str, Any]]
) -> list[tuple[str, str, list[Mapping[str, Any]]]]:
    """Patches that follow from how the domain was made: name, kind, faces."""
    out: list[tuple[str, str, list[Mapping[str, Any]]]] = []
    openings = sorted((f for f in faces if f["role"] == "opening"), key=lambda f: -f["area"])
    for zone in sorted({f["zones"][0] for f in openings}):
        # the largest of a zone lets the fluid out
        own: list[Mapping[str, Any]] = [f for f in openings if f["zones"][0] == zone]
        for k, f in enumerate(own):
            out.append((f["id"], "inlet" if k or len(own) == 1 else "outlet", [f]))
    far: list[Mapping[str, Any]] = [f for f in faces if f["role"] == "far"]
    for end, kind in (("ahead", "inlet"), ("behind", "outlet")):
        own = [f for f in far if f["id"].startswith(end)]
        if own:
            out.append((end, kind, own))
            far = [f for f in far if f not in own]
    if far:
        out.append(("far_field", "far_field", far))
    for name, kind in (
        ("symmetry", "symmetry"),
        ("front", "flat"),
        ("back", "flat"),
        ("periodic_1", "periodic"),
        ("periodic_2", "periodic"),
    ):
        own = [f for f in faces if f["role"] == kind and f["id"].startswith(name)]
        if own:
            out.append((name, kind, own))
    between: dict[str, list[Mapping[str, Any]]] = {}
    for f in faces:
        if f["role"] == "interface":
            one, other = (zones[z]["name"] for z in f["zones"][:2])
            between.setdefault(f"{one}_to_{other}", []).append(f)
    out += [(name, "interface", own) for name, own in between.items()]
    of_sheet: dict[str, list[Mapping[str, Any]]] = {}
    for f in faces:
        if "back_of" in f:
            front = faces[f["back_of"]]
            of_sheet.setdefault(front["name"], []).append(front)
            of_sheet.setdefault(f["name"], []).append(f)
    out += [(name, "wall", own) for name, own in of_sheet.items()]
    if len(zones) > 1:
        for z, zone in enumerate(zones):
            own = [f for f in faces if not f["role"] and f["zones"] == [z]]
            if own:
                out.append((f"{zone['name']}_wall", "wall", own))
    return out
