"""Intaglio's computation: geometry, surface and volume meshes, export. No web, no database.

In Python everything begins with `open`, which gives a study: `recipe`, `run`, `mesh`, `check`,
`case` and `export` are what one can do with it (docs/python.md).
"""

import hashlib
import os
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from intaglio.interface.study import Study

__version__ = "0.3.0"


def _kernel_folder() -> Path:
    """Where compiled kernels are kept: a folder per state of the source.

    The compiler's own cache looks at the file of each function alone and would keep a kernel whose
    callee in another file has changed.
    """
    here = Path(__file__).parent
    digest = hashlib.sha256()
    for path in sorted(here.rglob("*.py")):
        text = path.read_bytes()
        if b"njit" in text or b"inlined" in text:
            digest.update(text)
    name = f"kernels-{digest.hexdigest()[:16]}"
    if os.access(here, os.W_OK):
        return here / "__pycache__" / name
    base = os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache"
    return Path(base) / "intaglio" / name


os.environ.setdefault("NUMBA_CACHE_DIR", str(_kernel_folder()))


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
