"""Settings of Case as versions up to 0.3 had them: one fluid, one speed, one pressure."""

from collections.abc import Mapping
from typing import Any

_FLUID = {"density": 998.2, "viscosity": 1.002e-3}
_ENDS = {"velocity": 1.0, "pressure": 0.0}


def of_today(settings: Mapping[str, Any]) -> dict[str, Any]:
    """The same said in today's rows; settings of today stay as they are."""
    fluid = {key: settings[key] for key in _FLUID if key in settings}
    ends = {key: settings[key] for key in _ENDS if key in settings}
    out = {key: value for key, value in settings.items() if key not in {**_FLUID, **_ENDS}}
    if fluid and "materials" not in out:
        out["materials"] = [
            {"zones": ["*"], "is": "own_fluid", **_FLUID, **fluid},
            {"zones": ["*"], "is": "carbon_steel"},
        ]
    if ends and "conditions" not in out:
        ends = {**_ENDS, **ends}
        out["conditions"] = [
            {"patches": ["*"], "is": "speed", "speed": ends["velocity"]},
            {"patches": ["*"], "is": "pressure", "pressure": ends["pressure"]},
            {"patches": ["*"], "is": "no_slip"},
        ]
    return out
