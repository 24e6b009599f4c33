"""Intaglio's computation: geometry, surface and volume meshes, export. No web, no database.

In Python everything begins with `open`, which gives a study: `recipe`, `run`, `mesh`, `check`,
`case` and `export` are what one can do with it (docs/python.md).
"""

import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from intaglio.interface.study import Study

__version__ = "0.4.0"


# the compiler asks these where a function's machine code is kept: the first knows this package's
_LOCATORS = (
    "intaglio.numeric.kernel_cache.ByContent,UserProvidedCacheLocator,InTreeCacheLocator,"
    "UserWideCacheLocator,IPythonCacheLocator,ZipCacheLocator"
)
os.environ.setdefault("NUMBA_CACHE_LOCATOR_CLASSES", _LOCATORS)
if "numba" in sys.modules:
    # it has read its environment
    sys.modules["numba"].config.CACHE_LOCATOR_CLASSES = os.environ["NUMBA_CACHE_LOCATOR_CLASSES"]


def open(
    *files: str | Path,
    part: str | Path | None = None,
    name: str | None = None,
    quiet: bool = False,
    **numbers: float | str,
) -> "Study":
    """A study of geometry files, or of a recipe (.yaml), perhaps with another part and with other
    values of its named numbers: `intaglio.open("throat.yaml", throat=24)`.

    quiet: shows no progress. Raises FileRejected and SettingRejected of `intaglio.errors`.
    """
    from intaglio.interface.study import opened

    return opened(files, part, name, quiet, numbers)
