"""Where compiled kernels are kept: outside the checkout, found by the content of their source.

A kernel's machine code depends on its own file and on every module that this file imports, since
callees and constants are compiled into it. The compiler's own cache looks at the file of each
function alone, and by its path: it would keep a kernel whose callee has changed, and find nothing
in a second checkout. Here a module has a folder for each content that it and its imports had, so
that a change recompiles what depends on it, going back compiles nothing, and all checkouts of a
machine share one cache. (The class that the compiler asks is in `kernel_cache.py`.)
"""

import functools
import hashlib
import os
import re
import shutil
import tempfile
from contextlib import suppress
from importlib import metadata
from pathlib import Path

PACKAGE = Path(__file__).resolve().parents[1]
# kernels of other states of the source are kept so long, for who goes to and fro between them
KEEP_DAYS = 14
_IMPORT = re.compile(rb"^\s*from (intaglio[\w.]*) import (\([^)]*\)|[^\n]*)", re.MULTILINE)
_DECORATOR = re.compile(rb"^@(njit|inlined)\b", re.MULTILINE)


@functools.cache
def folder() -> Path:
    """The folder of all kernels, which may be removed at any time: INTAGLIO_KERNELS, or for root
    one that other users can read (jobs run as another user there), or in the user's cache."""
    named = os.environ.get("INTAGLIO_KERNELS")
    if named:
        return Path(named)
    own = Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache")
    wanted = [own / "intaglio", Path(tempfile.gettempdir()) / f"intaglio-{os.geteuid()}"]
    if os.geteuid() == 0:
        wanted.insert(0, Path("/var/cache/intaglio"))
    for base in wanted:
        try:
            base.mkdir(parents=True, exist_ok=True)
        except OSError:
            continue
        if base.stat().st_uid == os.geteuid() and os.access(base, os.W_OK):
            return base / "kernels"
    return wanted[-1] / "kernels"


def _file_of(module: str) -> Path | None:
    path = PACKAGE.parent.joinpath(*module.split("."))
    for file in (path.with_suffix(".py"), path / "__init__.py"):
        if file.is_file():
            return file
    return None


@functools.cache
def _read(file: Path) -> tuple[bytes, frozenset[Path]]:
    """A file's content, and the files of this package that it imports."""
    text = file.read_bytes()
    beside = set()
    for module, names in _IMPORT.findall(text):
        for name in [None, *re.findall(r"\w+", names.decode())]:
            found = _file_of(module.decode() + (f".{name}" if name else ""))
            if found is not None:
                beside.add(found)
    return text, frozenset(beside - {file})


@functools.cache
def _compiler() -> bytes:
    return metadata.version("numba").encode()


@functools.cache
def stamp(file: Path) -> str:
    """Hash of a module's content, of that of all it imports from this package, directly or not, and
    of the compiler's version."""
    seen, left = {file}, [file]
    while left:
        for other in _read(left.pop())[1]:
            if other not in seen:
                seen.add(other)
                left.append(other)
    digest = hashlib.sha256(_compiler())
    for other in sorted(seen):
        digest.update(hashlib.sha256(_read(other)[0]).digest())
    return digest.hexdigest()[:24]


def place(file: Path) -> Path:
    """The folder of the kernels of a module of this package."""
    name = ".".join(file.relative_to(PACKAGE).with_suffix("").parts)
    return folder() / f"{name}-{stamp(file)}"


def modules() -> list[Path]:
    """The files of this package that have kernels."""
    return [f for f in sorted(PACKAGE.rglob("*.py")) if _DECORATOR.search(f.read_bytes())]


def compiled() -> Path:
    """The file whose presence says that all kernels of this source were compiled here."""
    digest = hashlib.sha256("".join(stamp(f) for f in modules()).encode())
    return folder() / f"compiled-{digest.hexdigest()[:24]}"


def let_others_read() -> None:
    """Let all users read the kernels of this one: whoever compiled one may have kept it closed."""
    for path in folder().rglob("*"):
        with suppress(FileNotFoundError):
            told = path.stat()
            wanted = told.st_mode | (0o055 if path.is_dir() else 0o044)
            if told.st_mode != wanted and told.st_uid == os.geteuid():
                path.chmod(wanted)


def forget_old_kernels(now: float) -> list[Path]:
    """Remove what belongs to other states of the source and was not used for KEEP_DAYS."""
    own = {*(place(file) for file in modules()), compiled()}
    gone = []
    for path in sorted(folder().iterdir()):
        if path in own:
            os.utime(path, (now, now))
        elif now - path.stat().st_mtime > KEEP_DAYS * 86400:
            gone.append(path)
            if path.is_dir():
                shutil.rmtree(path, ignore_errors=True)
            else:
                path.unlink(missing_ok=True)
    return gone
