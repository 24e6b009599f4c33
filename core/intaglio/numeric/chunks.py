"""A compiled loop over many items, in as many threads as there are processors."""

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from itertools import pairwise

# under so many items the threads cost more than they save; of those that take a microsecond or more
_FEW, FEW_SLOW = 20_000, 2_000


def in_blocks(work: Callable[[int, int], object], bounds: list[int], few: int = _FEW) -> None:
    """Call work(start, end) for each pair of successive bounds, several at once.

    For work whose result depends on the bounds, which must not follow from the processors then.
    """
    threads = min(len(os.sched_getaffinity(0)), len(bounds) - 1)
    if threads < 2 or bounds[-1] < few:
        for a, b in pairwise(bounds):
            work(a, b)
        return
    with ThreadPoolExecutor(threads) as pool:
        for done in [pool.submit(work, a, b) for a, b in pairwise(bounds)]:
            done.result()


def in_chunks(work: Callable[[int, int], object], items: int, few: int = _FEW) -> None:
    """Call work(start, end) for ranges that cover 0..items, at once if they are fewer than `few`.
    The work must release the interpreter lock (nogil) and write to places of its own."""
    threads = min(len(os.sched_getaffinity(0)), 8)
    if threads < 2 or items < few:
        work(0, items)
        return
    # several ranges per thread, so that an uneven load evens out
    parts = 4 * threads
    in_blocks(work, [items * k // parts for k in range(parts + 1)], few)
