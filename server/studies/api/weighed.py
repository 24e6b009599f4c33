"""What was asked for last, kept at hand as long as all of it together is not too heavy."""

import threading
from collections import OrderedDict
from collections.abc import Callable
from typing import Generic, TypeVar

Thing = TypeVar("Thing")


class Weighed(Generic[Thing]):
    """Things by key, loaded when they are asked for; the ones not asked for longest go first. The
    last one stays however heavy it is. While one is being loaded the others answer: only who asks
    for the same one waits."""

    def __init__(
        self, load: Callable[[str], Thing], weight: Callable[[Thing], float], most: float
    ) -> None:
        self._load, self._weight, self._most = load, weight, most
        self._held: OrderedDict[str, Thing] = OrderedDict()
        self._loading: dict[str, threading.Lock] = {}
        self._lock = threading.Lock()

    def __call__(self, key: str) -> Thing:
        with self._lock:
            if key in self._held:
                self._held.move_to_end(key)
                return self._held[key]
            loading = self._loading.setdefault(key, threading.Lock())
        with loading:
            with self._lock:
                if key in self._held:
                    return self._held[key]
            try:
                thing = self._load(key)
                with self._lock:
                    self._keep(key, thing)
            finally:
                with self._lock:
                    self._loading.pop(key, None)
        return thing

    def _keep(self, key: str, thing: Thing) -> None:
        self._held[key] = thing
        while len(self._held) > 1 and sum(map(self._weight, self._held.values())) > self._most:
            self._held.popitem(last=False)

    def cache_clear(self) -> None:
        with self._lock:
            self._held.clear()
