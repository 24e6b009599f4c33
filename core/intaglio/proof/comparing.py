"""Flows side by side: what each came to, in rows like those of meshes."""

import math
from collections.abc import Callable, Sequence
from typing import Any

from intaglio.proof.fields import ZERO
from intaglio.proof.report import ProofReport
from intaglio.proof.verdict import IN_WORDS
from intaglio.quality.comparing import Row, row


def compared_flows(reports: Sequence[ProofReport | None]) -> list[Row]:
    """Rows of two or more flows, None where one has none: verdict, figures of the whole, and of
    every patch."""
    if all(r is None for r in reports):
        return []

    def of_all(key: str, label: str, unit: str, get: Callable[[ProofReport], Any]) -> Row:
        return row("flow", key, label, unit, [None if r is None else get(r) for r in reports])

    out = [
        of_all("flow.verdict", "The flow on it", "", lambda r: IN_WORDS[r["verdict"]]),
        of_all("flow.iterations", "Iterations", "", lambda r: r["iterations"]),
        of_all("flow.imbalance", "Out less in, over in", "", lambda r: r["mass_imbalance"]),
        of_all("flow.fastest", "Fastest", "m/s", lambda r: r["fastest"]),
    ]
    patches = dict.fromkeys(name for r in reports if r is not None for name in r["patches"])
    for name in patches:
        for key, label, unit, get in _PATCH:

            def value(r: ProofReport, name: str = name, get: Any = get) -> float | None:
                told = r["patches"].get(name)
                return None if told is None else get(told)

            made = of_all(f"flow.{name}.{key}", f"{label} {name}", unit, value)
            if any(v is not None for v in made["values"]):
                out.append(made)
    return out


def _degrees(told: dict[str, Any]) -> float | None:
    return told["mean_temperature"] - ZERO if "mean_temperature" in told else None


def _force(told: dict[str, Any]) -> float | None:
    return math.hypot(*told["force"]) if "force" in told else None


_PATCH: tuple[tuple[str, str, str, Callable[[dict[str, Any]], float | None]], ...] = (
    ("flow_rate", "Flow out at", "m³/s", lambda told: told.get("flow_rate")),
    ("mean_pressure", "Pressure at", "Pa", lambda told: told.get("mean_pressure")),
    ("force", "Force on", "N", _force),
    ("heat", "Heat at", "W", lambda told: told.get("heat")),
    ("mean_temperature", "Temperature at", "°C", _degrees),
)
