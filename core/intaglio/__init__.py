"""Intaglio's computation: geometry, surface and volume meshes, export. No web, no database."""

import hashlib
import os
from pathlib import Path

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
