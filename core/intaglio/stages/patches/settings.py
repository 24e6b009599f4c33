"""The settings of Patches."""

from dataclasses import dataclass
from typing import Any

from intaglio.settings.blanks import blank
from intaglio.stages.patches.rows import PATCH_ROWS


@dataclass(frozen=True)
class Patches:
    patches: list[dict[str, Any]] = blank(
        "patches",
        "patches",
        "Every face belongs to exactly one patch; the case refers to patches by name.",
        [],
        rows=PATCH_ROWS,
    )
