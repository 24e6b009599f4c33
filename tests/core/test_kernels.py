"""Compiled kernels are found by the content of their source, wherever the checkout is."""

import os
import shutil
import subprocess
import sys
import time
from pathlib import Path

import pytest

from intaglio.numeric import kernels

CORE = Path(__file__).parents[2] / "core"


@pytest.fixture
def checkout(tmp_path, monkeypatch):
    """Modules that import each other: a needs b, b a constant of c; d stands alone."""
    package = tmp_path / "intaglio"
    (package / "sub").mkdir(parents=True)
    njit = "from numba import njit\n@njit(cache=True)\ndef f(x):\n    return x\n"
    for name, text in {
        "a": "from intaglio.sub.b import f as g\n" + njit,
        "sub/b": "from intaglio.sub import (\n    c,\n)\n" + njit,
        "sub/c": "LEVEL = 3\n",
        "d": njit,
    }.items():
        (package / f"{name}.py").write_text(text)
    monkeypatch.setattr(kernels, "PACKAGE", package)
    monkeypatch.setenv("INTAGLIO_KERNELS", str(tmp_path / "kernels"))
    _forget_what_was_read()
    yield package
    _forget_what_was_read()


def _forget_what_was_read():
    for cached in (kernels.folder, kernels.stamp, getattr(kernels, "_read")):  # noqa: B009
        cached.cache_clear()


def _places(package):
    _forget_what_was_read()
    return {p.relative_to(package).as_posix(): kernels.place(p) for p in kernels.modules()}


def test_a_change_moves_the_kernels_of_all_that_depends_on_it_and_of_nothing_else(checkout):
    before = _places(checkout)
    assert set(before) == {"a.py", "sub/b.py", "d.py"}
    constant = checkout / "sub/c.py"
    constant.write_text("LEVEL = 4\n")
    after = _places(checkout)
    assert {k for k in after if after[k] != before[k]} == {"a.py", "sub/b.py"}
    constant.write_text("LEVEL = 3\n")
    assert _places(checkout) == before


def test_old_kernels_are_forgotten_but_not_what_is_in_use(checkout):
    now = time.time()
    own, old = kernels.place(checkout / "a.py"), kernels.folder() / "a-old"
    new = kernels.folder() / "a-new"
    for path, days in ((own, 99), (old, kernels.KEEP_DAYS + 1), (new, 1)):
        path.mkdir(parents=True)
        (path / "index").write_bytes(b"x")
        os.utime(path, (now - days * 86400,) * 2)
    kernels.compiled().touch()
    assert kernels.forget_old_kernels(now) == [old]
    # what is in use counts as used now
    assert kernels.forget_old_kernels(now + (kernels.KEEP_DAYS - 1) * 86400) == []
    assert own.is_dir() and kernels.compiled().is_file()


ASK = """
import numpy as np
from intaglio.mesh.blocks import _met
_met(np.zeros((2, 6)), np.ones(3), 0.0, 0.0, 0, 2, np.zeros(2, bool))
print(sum(_met.stats.cache_hits.values()), sum(_met.stats.cache_misses.values()))
"""


def test_a_second_checkout_compiles_nothing_but_what_differs(tmp_path):
    other = tmp_path / "elsewhere/core"
    shutil.copytree(CORE, other, ignore=shutil.ignore_patterns("__pycache__"))
    held = {k: v for k, v in os.environ.items() if not k.startswith(("INTAGLIO_", "NUMBA_"))}

    def found_and_compiled(where):
        told = {**held, "PYTHONPATH": str(where), "INTAGLIO_KERNELS": str(tmp_path / "kernels")}
        done = subprocess.run(
            [sys.executable, "-c", ASK], env=told, capture_output=True, text=True, cwd=where
        )
        assert done.returncode == 0, done.stderr
        return done.stdout.split()

    assert found_and_compiled(CORE) == ["0", "1"]
    assert found_and_compiled(other) == ["1", "0"]
    with (other / "intaglio/numeric/chunks.py").open("a") as file:
        file.write("\n# another line of what it imports\n")
    assert found_and_compiled(other) == ["0", "1"]
