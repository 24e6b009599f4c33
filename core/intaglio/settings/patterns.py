"""Names with * for any letters, as rows of settings mean patches, faces and zones by them."""

import re
from collections.abc import Callable, Iterable
from fnmatch import translate

# letters that stand for others
_WILD = re.compile(r"[*?\[]")


def is_wild(pattern: str) -> bool:
    """Whether a pattern may mean several names."""
    return _WILD.search(pattern) is not None


def meaning(patterns: Iterable[str]) -> Callable[[str], bool]:
    """What tells whether a name is one that a pattern means; capitals do not matter."""
    low = {pattern.strip().lower() for pattern in patterns}
    wild = sorted(filter(is_wild, low))
    plain = low.difference(wild)
    some = re.compile("|".join(map(translate, wild))) if wild else None
    return lambda name: (
        name.lower() in plain or (some is not None and some.match(name.lower()) is not None)
    )


def fits(patterns: Iterable[str], name: str) -> bool:
    """Whether a name is one that a pattern means; see `meaning` for many names."""
    return meaning(patterns)(name)
