"""Findings that were looked at and let stand, each with the reason.

They belong to the recipe, beside the stages' settings: {"stage.code": reason}. What must not be
used cannot be accepted.
"""

from collections.abc import Mapping
from typing import Any

from intaglio.errors import SettingRejected
from intaglio.stages.registry import BY_KEY

# where they stand among settings by stage, and in a recipe file
ACCEPTED = "accepted"
_LONGEST = 300


def check_accepted(raw: Any) -> dict[str, str]:
    """Reasons by stage and finding, as text without blanks around it. Raises SettingRejected."""
    if not isinstance(raw, Mapping):
        raise SettingRejected(ACCEPTED, "accepted needs findings with the reason for each.")
    out = {}
    for name, reason in raw.items():
        stage, _, code = str(name).partition(".")
        if stage not in BY_KEY or not code:
            raise SettingRejected(
                f"{ACCEPTED}.{name}",
                f"{name} is no finding. Name its stage and its code: volume.beyond-warp.",
            )
        text = reason.strip() if isinstance(reason, str) else ""
        if not 0 < len(text) <= _LONGEST:
            raise SettingRejected(
                f"{ACCEPTED}.{name}", f"Say in up to {_LONGEST} letters why this is accepted."
            )
        out[f"{stage}.{code}"] = text
    return out


def marked(report: Mapping[str, Any], stage: str, accepted: Mapping[str, str]) -> Mapping[str, Any]:
    """The report with the reason at each of its findings that was accepted."""
    rows = report.get("findings", [])
    reasons = [
        accepted.get(f"{stage}.{row['code']}") if row["level"] != "error" else None for row in rows
    ]
    if not any(reasons):
        return report
    findings = [
        {**row, "accepted": reason} if reason else row
        for row, reason in zip(rows, reasons, strict=True)
    ]
    return {**report, "findings": findings}
