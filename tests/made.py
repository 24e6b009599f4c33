"""Products that tests of one run share: what one has made, another finds, in any worker."""

import os
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from intaglio.mesh.pack import pack, unpack
from intaglio.parts.model import Product
from intaglio.recipe.plan import MemoryStore

# the folder of this run, made and removed by tests/conftest.py
FOLDER = "INTAGLIO_TESTS_MADE"


class SharedStore(MemoryStore):
    """Products by key, on disk beside this process. A key tells settings and inputs, so that
    nothing found is stale; a test of what a run does, rather than of what it makes, takes a
    MemoryStore."""

    def __init__(self, shelf: str = "whole") -> None:
        """shelf: products are shared with stores of the same word alone."""
        super().__init__()
        self.shelf = shelf

    def _file(self, key: str) -> Path | None:
        folder = os.environ.get(FOLDER)
        return Path(folder) / f"{self.shelf}-{key}" if folder else None

    def report(self, key: str) -> Mapping[str, Any] | None:
        if key not in self.products:
            file = self._file(key)
            if file is not None and file.is_file():
                arrays, report = unpack(file.read_bytes())
                self.products[key] = Product(arrays, report)
        return super().report(key)

    def put(self, key: str, stage: str, product: Product) -> None:
        super().put(key, stage, product)
        file = self._file(key)
        if file is not None:
            half = file.with_name(f"{file.name}-{os.getpid()}")
            half.write_bytes(pack(product.arrays, product.report))
            half.rename(file)
