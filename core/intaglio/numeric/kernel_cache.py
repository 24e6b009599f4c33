"""The compiler's way to the folder of kernels (`kernels.py`): named to it in the environment."""

import os
from collections.abc import Callable
from pathlib import Path
from typing import Any

from numba.core.caching import _CacheLocator

from intaglio.numeric.kernels import PACKAGE, place


class ByContent(_CacheLocator):
    """Where kernels of this package's modules are. The folder's name tells the content, so that
    what is found in it is never stale."""

    def __init__(self, path: Path, line: int) -> None:
        self._path, self._line = path, line

    @classmethod
    def from_function(cls, function: Callable[..., Any], file: str) -> "ByContent | None":
        path = Path(file).resolve()
        if not path.is_relative_to(PACKAGE):
            return None
        return cls(place(path), function.__code__.co_firstlineno)

    def ensure_cache_path(self) -> None:
        os.makedirs(self._path, exist_ok=True)

    def get_cache_path(self) -> str:
        return str(self._path)

    def get_source_stamp(self) -> str:
        return self._path.name

    def get_disambiguator(self) -> str:
        return str(self._line)
