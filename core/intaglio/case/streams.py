"""Whether what is said of one stream is said alike wherever it enters and leaves."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from intaglio.case.setup import CaseSetup, PatchSetup
from intaglio.findings import Finding, offer
from intaglio.mesh.mesh import Floats
from intaglio.settings.patterns import meaning

# velocities of one stream may differ by this share of the faster
_ALIKE = 0.05
# a stream passes along a patch, not through it, below this share of its speed
_ALONG = 1e-6


def stream_findings(case: CaseSetup, settings: Mapping[str, Any]) -> list[Finding]:
    """Of each zone with open air around: velocities that contradict each other, inlets that the
    stream leaves through, and outlets that it enters through."""
    out = []
    for zone in case.zones:
        own = [p for p in case.patches if p.airy and zone.name in p.zones and p.condition]
        told = [(p, v) for p in own if (v := velocity_of(p)) is not None]
        if zone.kind != "fluid" or not told:
            continue
        # what is far away is the stream itself
        (first, stream), *others = sorted(told, key=lambda row: row[0].kind != "far_field")
        odd = [(p, v) for p, v in others if not _alike(stream, v)]
        if odd:
            out.append(_contradiction(first, stream, odd, own, settings))
        out += _backwards(own, stream)
    return out


def velocity_of(patch: PatchSetup) -> Floats | None:
    """The mean velocity (3,) in m/s with which fluid enters through a patch, None where its
    condition or the patch does not tell it."""
    if patch.inflow is None or patch.condition == "total_pressure":
        return None
    if "velocity" in patch.numbers:
        return np.array(patch.numbers["velocity"], float)
    facing = np.array(patch.facing)
    length = np.linalg.norm(facing)
    return -patch.inflow.speed * facing / length if length > 0 else None


def _alike(one: Floats, other: Floats) -> bool:
    faster = max(np.linalg.norm(one), np.linalg.norm(other))
    return bool(np.linalg.norm(one - other) <= _ALIKE * faster)


def _contradiction(
    first: PatchSetup,
    stream: Floats,
    odd: list[tuple[PatchSetup, Floats]],
    own: list[PatchSetup],
    settings: Mapping[str, Any],
) -> Finding:
    names = ", ".join(f"{_words(v)} m/s at {p.name}" for p, v in odd)
    return Finding(
        "stream-contradicts",
        "caution",
        f"One stream is said in two ways: {_words(stream)} m/s at {first.name}, and {names}.",
        count=len(odd),
        advice="Let one row say it for all that the stream enters and leaves through; what the "
        "body itself blows may go its own way.",
        repairs=[
            offer(
                f"Say {_words(v)} m/s for all of it",
                "set",
                stage="case",
                settings={
                    "conditions": _one_stream(
                        own, [float(f"{x:.6g}") + 0.0 for x in v], settings["conditions"]
                    )
                },
            )
            for v in (odd[0][1], stream)
        ],
    )


def _one_stream(
    own: list[PatchSetup], velocity: list[float], rows: list[dict[str, Any]]
) -> list[dict[str, Any]]:
    """The rows with one stream for all patches that let fluid in or out of the open air."""
    names = [p.name for p in own if p.kind in ("inlet", "outlet", "far_field")]
    rest = []
    said: dict[str, Any] = {"pressure": 0.0}
    for row in rows:
        others = [n for n in row["patches"] if n not in names]
        if any(map(meaning(row["patches"]), names)):
            # what else is said of it stays
            said |= {key: row[key] for key in _STAYS if key in row}
        if others:
            rest.append({**row, "patches": others})
    return [{"patches": names, "is": "stream", "velocity": velocity, **said}, *rest]


_STAYS = ("pressure", "temperature", "intensity", "eddies")


def _backwards(own: list[PatchSetup], stream: Floats) -> list[Finding]:
    """Patches through which the stream passes the other way than they are meant for."""
    out = []
    speed = np.linalg.norm(stream)
    for kind, sign, does in (("inlet", 1.0, "leaves"), ("outlet", -1.0, "enters")):
        against = [
            p.name
            for p in own
            if p.stream
            and p.kind == kind
            and sign * (np.array(p.facing) @ stream) > _ALONG * speed * np.linalg.norm(p.facing)
        ]
        if against:
            out.append(
                Finding(
                    "stream-backwards",
                    "error",
                    f"The stream of {_words(stream)} m/s {does} through {', '.join(against)}, "
                    f"which is an {kind}.",
                    count=len(against),
                    advice="Turn the stream, or change what the patch is in Patches.",
                )
            )
    return out


def _words(vector: Floats) -> str:
    return "(" + ", ".join(f"{x + 0.0:.4g}" for x in vector) + ")"
