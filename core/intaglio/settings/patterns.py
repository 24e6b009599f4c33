"""Names with * for any letters, as rows of settings mean patches, faces and zones by them."""

from collections.abc import Iterable
from fnmatch import fnmatchcase


def fits(patterns: Iterable[str], name: str) -> bool:
    """Whether a name is one that a pattern means; capitals do not matter."""
    low = name.lower()
    return any(fnmatchcase(low, pattern.strip().lower()) for pattern in patterns)
