"""Plain data as the database keeps it and JSON tells it, whatever a file or a person put into it.

PostgreSQL takes no NUL and no half of a pair of surrogates in text, and no number that is none;
browsers read no whole number beyond 2⁵³ as it is.
"""

import json
import math
import re
from collections.abc import Mapping
from typing import Any

# of what is kept as one piece of JSON, in bytes
MOST_BYTES = 64 * 2**20
_EXACT = 2**53
# what text cannot hold
_UNFIT = re.compile("[\x00\ud800-\udfff]")


def _whole(digits: str) -> int | float:
    value = int(digits) if len(digits) < 18 else float(digits)
    return value if abs(value) <= _EXACT else float(value)


class Reading(json.JSONDecoder):
    """Reads what was kept: the database tells floats beyond 2⁵³ as whole numbers."""

    def __init__(self, **more: Any) -> None:
        super().__init__(**{**more, "parse_int": _whole})


class TooMuch(Exception):
    """What is to be kept is larger than anyone reads again."""


def words(text: str, most: int | None = None) -> str:
    """Text without what the database refuses, and no longer than `most`."""
    text = _UNFIT.sub("\ufffd", text)
    return text if most is None or len(text) <= most else text[: most - 1] + "…"


def fit(value: Any, deepest: int) -> bool:
    """Whether plain data can be kept as it is, and is nested no deeper."""
    if deepest < 0:
        return False
    if isinstance(value, str):
        return _UNFIT.search(value) is None
    if isinstance(value, dict):
        return all(fit(name, 1) and fit(own, deepest - 1) for name, own in value.items())
    if isinstance(value, list):
        return all(fit(own, deepest - 1) for own in value)
    return True


def storable(value: Any) -> Any:
    """Plain data with numbers and text that can be kept: whole numbers beyond 2⁵³ become floats,
    numbers that are none become None."""
    if isinstance(value, str):
        return words(value)
    if value is None or isinstance(value, bool):
        return value
    if isinstance(value, int):
        return value if abs(value) <= _EXACT else _float(value)
    if isinstance(value, float):
        return value if math.isfinite(value) else None
    if isinstance(value, Mapping):
        return {words(str(name)): storable(own) for name, own in value.items()}
    if isinstance(value, (list, tuple)):
        return [storable(own) for own in value]
    raise TypeError(f"{type(value).__name__} is no plain data")


def bounded(value: Any, most: int = MOST_BYTES) -> Any:
    """Plain data as `storable` gives it. Raises TooMuch beyond `most` bytes of JSON."""
    out = storable(value)
    size = len(json.dumps(out))
    if size > most:
        raise TooMuch(f"It is {size / 2**20:.0f} MiB of text, and no more than "
                      f"{most / 2**20:.0f} MiB are kept.")  # fmt: skip
    return out


def _float(value: int) -> float | None:
    try:
        return float(value)
    except OverflowError:
        return None
