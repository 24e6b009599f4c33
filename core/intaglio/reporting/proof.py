"""What a report tells of the flow on what is handed over."""

import math
from collections.abc import Mapping
from typing import Any

from intaglio.reporting.content import number

_SIGN = {True: "✓", False: "✕", None: "·"}


def proof_content(report: Mapping[str, Any]) -> dict[str, Any]:
    """Verdict, evidence with signs, and a row for each patch: flow out, pressure, force."""
    return {
        "sentence": report["sentence"],
        "good": report["verdict"] == "proven",
        "evidence": [
            {"sign": _SIGN[row["holds"]], "holds": row["holds"], "words": row["words"]}
            for row in report["evidence"]
        ],
        "patches": [
            {
                "name": name,
                "flow": number(own["flow_rate"]),
                "pressure": number(own["mean_pressure"]),
                "force": number(math.hypot(*own["force"])),
            }
            for name, own in report["patches"].items()
            if "force" in own
        ],
    }
