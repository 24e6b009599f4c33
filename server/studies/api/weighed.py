"""What was asked for last, kept at hand as long as all of it together is not too heavy."""

import threading
from collections import OrderedDict
from collections.abc import Callable
from typing import Generic, TypeVar

Thing = TypeVar("Thing")


class Weighed(Generic[Thing]):
    """Things by key, loaded when they are asked for; the ones not asked for longest go first. The
    last one stays however heavy it is."""

    def __init__(
        self, load: Callable[[str], Thing], weight: Callable[[Thing], float], most: float
    ) -> None:
        self._load, self._weight, self._most = load, weight, most
        self._held: OrderedDict[str, Thing] = OrderedDict()
        self._lock = threading.RLock()

    def __call__(self, key: str) -> Thing:
        with self._lock:
            if key not in self._held:
                self._held[key] = self._load(key)
            self._held.move_to_end(key)
            while len(self._held) > 1 and sum(map(self._weight, self._held.values())) > self._most:
                self._held.popitem(last=False)
            return self._held[key]

    def cache_clear(self) -> None:
        with self._lock:
            self._held.clear()
