"""How fast a machine is, by its own last runs instead of by constants."""

from collections.abc import Mapping, Sequence
from statistics import median
from typing import Any

from intaglio.stages.registry import STAGES

Report = Mapping[str, Any]

# shorter runs than this (by the constants, in seconds) tell more of starting than of the pace
_SHORT = 0.5


def pace(runs: Mapping[str, Sequence[Report]]) -> dict[str, float]:
    """Seconds that runs took over those that the constants tell, by stage: the median of the given
    reports, 1 where none tells."""
    out = {}
    for stage in STAGES:
        if stage.usual is None:
            continue
        told = []
        for report in runs.get(stage.key, ()):
            usual = stage.usual(report)
            if usual > _SHORT and "step" in report:
                told.append(report["step"]["seconds"] / usual)
        out[stage.key] = median(told) if told else 1.0
    return out


def at_pace(forecast: Report, own: Mapping[str, float]) -> dict[str, Any]:
    """A forecast of Sizing with the seconds of a machine's own pace."""
    told: dict[str, Any] = {}
    for stage in STAGES:
        if stage.usual is not None:
            told[stage.key] = own.get(stage.key, 1.0) * stage.usual(forecast)
    return {**forecast, "seconds": 1.0 + sum(told.values())}
