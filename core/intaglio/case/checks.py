"""Whether a case holds together: with its patches and zones, with itself, and with physics."""

from collections.abc import Mapping, Sequence
from typing import Any

from intaglio.case.kinds import CONDITION_ROWS, ENTERS, LEAVES, LEVELS
from intaglio.case.names import names_findings
from intaglio.case.passing import yplus
from intaglio.case.setup import CaseSetup, PatchSetup, metres
from intaglio.case.similarity import LAMINAR_PIPE, TURBULENT_PIPE
from intaglio.case.streams import stream_findings
from intaglio.findings import Finding, offer, two_digits

# from here on the density changes by 5 % and more
_COMPRESSIBLE = 0.3
# the law of the wall holds between; the sublayer is resolved below
_BRIDGED, _RESOLVED = (30.0, 300.0), 5.0
# flows that are all given may differ by this share
_BALANCE = 1e-3
_LONGEST_NAME = 32

# what is proposed where a patch of a kind has no condition
PROPOSED: dict[str, dict[str, Any]] = {
    "inlet": {"is": "speed", "speed": 1.0},
    "outlet": {"is": "pressure", "pressure": 0.0},
    "opening": {"is": "total_pressure", "pressure": 0.0},
    "wall": {"is": "no_slip"},
    "far_field": {"is": "stream", "velocity": [1.0, 0.0, 0.0], "pressure": 0.0},
}


def checks(
    case: CaseSetup,
    settings: Mapping[str, Any],
    near: Mapping[str, float],
    widths: Mapping[str, float],
) -> list[Finding]:
    """Everything that does not fit. near: median distance in m of the first cells' centroids from
    each wall; widths: 4V/A of each zone in m."""
    return [
        *_rows(case, settings),
        *_missing(case, settings),
        *_names(case),
        *names_findings([(p.name, p.kind) for p in case.patches], settings["expected"]),
        *_balance(case),
        *stream_findings(case, settings),
        *_heat(case),
        *_similarity(case),
        *_near_walls(case, near, widths),
    ]


def _set(label: str, **settings: Any) -> list[Any]:
    return [offer(label, "set", stage="case", settings=settings)]


def _rows(case: CaseSetup, settings: Mapping[str, Any]) -> list[Finding]:
    """Rows that nothing is meant by, and names that two rows give."""
    out = []
    for setting, number, names in case.unmatched:
        rest = [r for k, r in enumerate(settings[setting], 1) if k != number]
        what = "zone" if setting in ("materials", "frames") else "patch"
        out.append(
            Finding(
                "case-of-nothing",
                "error",
                f"Row {number} of the {_WORDS[setting]} is for {names}, and no {what} that it "
                "suits is called so.",
                advice="Correct the names, or drop the row.",
                repairs=_set("Drop the row", **{setting: rest}),
            )
        )
    out += [
        Finding(
            "case-twice",
            "error",
            f"Two rows of the {_WORDS[setting]} name {name}.",
            advice="Name it in one of them; a pattern may stand below for the others.",
        )
        for setting, name in case.twice
    ]
    return out


_WORDS = {
    "materials": "materials",
    "frames": "turning zones",
    "conditions": "conditions",
    "warmth": "heat at walls",
}


def _missing(case: CaseSetup, settings: Mapping[str, Any]) -> list[Finding]:
    """Patches without a condition, each with one to take."""
    out = []
    bare = [p for p in case.patches if p.wetted and not p.condition]
    for kind in dict.fromkeys(p.kind for p in bare):
        names = [p.name for p in bare if p.kind == kind]
        row = {"patches": names, **PROPOSED.get(kind, {"is": "no_slip"})}
        label = CONDITION_ROWS.kind(row["is"]).label
        out.append(
            Finding(
                "no-condition",
                "error",
                f"Nothing says what holds on {', '.join(names)}.",
                count=len(names),
                advice="Give it a row among the conditions.",
                repairs=_set(
                    f"{label[0].upper()}{label[1:]}", conditions=[*settings["conditions"], row]
                ),
            )
        )
    return out


def _names(case: CaseSetup) -> list[Finding]:
    """Names that an export cannot carry."""
    out = []
    for what, names in (
        ("patches", [p.name for p in case.patches]),
        ("zones", [z.name for z in case.zones]),
    ):
        seen: dict[str, str] = {}
        for name in names:
            other = seen.setdefault(name.lower(), name)
            if other != name:
                out.append(
                    Finding(
                        "names-alike",
                        "caution",
                        f"The {what} {other} and {name} differ by capitals alone; some solvers and "
                        "file systems take them for one.",
                        advice="Rename one of them.",
                    )
                )
            if len(name) > _LONGEST_NAME:
                out.append(
                    Finding(
                        "name-long",
                        "error",
                        f"{name} has more than {_LONGEST_NAME} letters, which CGNS cannot hold.",
                        advice="Give it a shorter name.",
                    )
                )
    return out


def _joined(case: CaseSetup) -> list[list[str]]:
    """Fluid zones in groups that exchange fluid: joined by interfaces between two fluids."""
    fluid = [z.name for z in case.zones if z.kind == "fluid"]
    group = {name: {name} for name in fluid}
    for patch in case.patches:
        own = [z for z in patch.zones if z in group]
        if patch.kind == "interface" and len(own) == 2:
            both = group[own[0]] | group[own[1]]
            for name in both:
                group[name] = both
    return [sorted(g) for g in {frozenset(g): g for g in group.values()}.values()]


def _balance(case: CaseSetup) -> list[Finding]:
    """What enters can leave, something drives the flow, and the pressure has a level."""
    out = []
    for zones in _joined(case):
        where = f" in {', '.join(zones)}" if len(case.zones) > 1 else ""
        own = [p for p in case.patches if set(p.zones) & set(zones) and p.condition]
        enters = [p for p in own if p.condition in ENTERS]
        leaves = [p for p in own if p.condition in (*LEAVES, "total_pressure")]
        driven = enters or any(p.condition in ("moving", "turning", "mass_out") for p in own)
        driven = driven or any(case.zone(z).frame for z in zones) or any(case.gravity)
        forced = [p for p in enters if p.condition not in ("total_pressure", "stream")]
        if forced and not leaves:
            names = ", ".join(p.name for p in forced)
            out.append(
                Finding(
                    "no-way-out",
                    "error",
                    f"What enters through {names} cannot leave{where}.",
                    advice="Make a patch an outlet in Patches, and let it out at a pressure.",
                )
            )
        if not driven:
            out.append(
                Finding(
                    "nothing-drives",
                    "caution",
                    f"Nothing drives the flow{where}: nothing enters, moves, turns or weighs.",
                    advice="Name an inlet in Patches, or let a wall move.",
                )
            )
        if own and not any(p.condition in LEVELS for p in own):
            out.append(
                Finding(
                    "no-pressure-level",
                    "caution",
                    f"Nothing fixes the level of the pressure{where}; a solver takes its own.",
                    advice="Let some fluid out at a static pressure.",
                )
            )
        out += _flows(own, where)
    return out


def _flows(own: Sequence[PatchSetup], where: str) -> list[Finding]:
    """Mass that is let in and out by numbers alone must be the same."""
    free = any(p.condition in (*LEVELS, "stream") for p in own)
    entering = sum(p.inflow.mass for p in own if p.inflow is not None)
    leaving = sum(p.numbers["rate"] for p in own if p.condition == "mass_out")
    if free or leaving == 0 or abs(entering - leaving) <= _BALANCE * max(entering, leaving):
        return []
    return [
        Finding(
            "unbalanced",
            "error",
            f"{entering:.4g} kg/s enter{where} and {leaving:.4g} kg/s are let out.",
            advice="Let one outlet go at a pressure, or make both the same.",
            size=abs(entering - leaving),
            measure="kg/s too much",
        )
    ]


def _heat(case: CaseSetup) -> list[Finding]:
    """With heat, every material needs its capacity and conductivity, every inflow a temperature."""
    if not case.heat:
        return []
    out = []
    for zone in case.zones:
        own = zone.properties
        if own.heat_capacity <= 0 or own.conductivity <= 0:
            out.append(
                Finding(
                    "no-heat-properties",
                    "error",
                    f"Heat is computed, and the material of {zone.name} has no heat capacity or "
                    "conductivity.",
                    advice="Add them to its row, or compute without heat.",
                    repairs=_set("Compute without heat", heat="without"),
                )
            )
    cold = [
        p.name for p in case.patches if p.condition in ENTERS and "temperature" not in p.numbers
    ]
    if cold:
        out.append(
            Finding(
                "no-temperature",
                "caution",
                f"What enters through {', '.join(cold)} has no temperature; that of its material "
                "is taken.",
                count=len(cold),
                advice="Add a temperature to the row.",
            )
        )
    return out


def _similarity(case: CaseSetup) -> list[Finding]:
    """Reynolds and Mach numbers against the closure and against constant density."""
    out = []
    flows = [p for p in case.patches if p.inflow is not None and p.inflow.speed != 0]
    internal = [p for p in flows if not p.airy]
    laminar = case.closure.key == "laminar"
    odd = [
        p
        for p in internal
        if p.inflow is not None
        and (p.inflow.reynolds > TURBULENT_PIPE if laminar else p.inflow.reynolds < LAMINAR_PIPE)
    ]
    if odd and (laminar or len(odd) == len(internal)):
        numbers = ", ".join(f"{p.inflow.reynolds:,.0f} at {p.name}" for p in odd if p.inflow)
        other = ("shear_transport", "a turbulent closure") if laminar else ("laminar", "laminar")
        out.append(
            Finding(
                "closure-unfit",
                "caution",
                f"The flow is taken as {'laminar' if laminar else 'turbulent'}, and its Reynolds "
                f"number is {numbers}. A pipe's flow is laminar below {LAMINAR_PIPE:,.0f} and "
                f"turbulent above {TURBULENT_PIPE:,.0f}.",
                count=len(odd),
                advice="Take the other closure, unless you know better.",
                repairs=_set(f"Take it as {other[1]}", closure=other[0]),
            )
        )
    fast = [p for p in flows if p.inflow is not None and p.inflow.mach > _COMPRESSIBLE]
    if fast:
        worst = max(p.inflow.mach for p in fast if p.inflow is not None)
        out.append(
            Finding(
                "compressible",
                "caution",
                f"{', '.join(p.name for p in fast)}: at a Mach number over {_COMPRESSIBLE:g} the "
                "density changes, which this case takes as constant.",
                count=len(fast),
                advice="Lower the speed, or let your solver take the gas as compressible.",
                size=worst,
                measure="the largest Mach number",
            )
        )
    return out


def _near_walls(
    case: CaseSetup, near: Mapping[str, float], widths: Mapping[str, float]
) -> list[Finding]:
    """Whether the first cells suit the treatment of walls that the closure has."""
    closure = case.closure
    if not closure.resolves and not closure.bridges:
        return []

    def suits(value: float) -> bool:
        resolved = closure.resolves and value <= _RESOLVED
        return resolved or (closure.bridges and _BRIDGED[0] <= value <= _BRIDGED[1])

    odd = {name: value for name, value in yplus(case, near, widths).items() if not suits(value)}
    if not odd:
        return []
    ways = [f"y+ under {_RESOLVED:g}"] if closure.resolves else []
    ways += [f"y+ of {_BRIDGED[0]:g} to {_BRIDGED[1]:g}"] if closure.bridges else []
    told = ", ".join(f"{value:.3g} at {name}" for name, value in odd.items())
    aim = 1.0 if closure.resolves else 50.0
    # a first layer whose middle stands there, as high as all walls with the same shear
    first: dict[float, list[str]] = {}
    for name, value in odd.items():
        high = two_digits(2.0 * near[name] * aim / value / metres(case.unit))
        first.setdefault(high, []).append(name)
    rows = [{"patches": sorted(names), "first": high} for high, names in first.items()]
    return [
        Finding(
            "first-height",
            # a closure that has both ways blends between them
            "note" if closure.resolves and closure.bridges else "caution",
            f"The first cells stand at an estimated y+ of {told}. This closure wants "
            f"{' or '.join(ways)}.",
            count=len(odd),
            advice="Ask Layers for a first height by y+.",
            repairs=[
                offer(f"Ask Layers for y+ of {aim:g} there", "first_height", rows=rows),
            ],
            size=max(odd.values()),
            measure="the largest y+, estimated",
        )
    ]
