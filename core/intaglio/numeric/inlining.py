"""Compiled functions that become part of the loop that calls them."""

from collections.abc import Callable
from typing import Any

from numba import njit


def inlined(function: Callable[..., Any]) -> Any:
    """Compile a function into each caller, without counting references to its arrays.

    For the parts of a hot loop: a call that hands over a dozen arrays, or a reference counted per
    round, costs up to a third of the time of a loop that inserts nodes. Such a function must not
    make arrays itself.
    """
    # the switch for reference counts is one that the compiler's types leave out
    return njit(cache=True, forceinline=True, _nrt=False)(function)  # type: ignore[call-overload]
