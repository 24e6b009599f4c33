"""The wheel, in an environment that has nothing but what it asks for."""

import os
import re
import shutil
import subprocess
import sys
import sysconfig
import tomllib
import venv
import zipfile
from importlib.metadata import distribution
from pathlib import Path

import pytest
from packaging.requirements import Requirement

import intaglio
from start.locks import closure, wanted
from tests.core.shapes import pipe, source

pytestmark = pytest.mark.slow

ROOT = Path(__file__).parents[2]
RUN = """
import sys
import intaglio
from pathlib import Path
assert not any(name in sys.modules for name in ("django", "numba"))
study = intaglio.open("pipe.step", quiet=True).set(
    sizing={"smallest": 4.0, "largest": 5.0}, layers={"layers": []}, case={"files": ["cgns"]}
)
study.export("out")
print(intaglio.__file__, study.run("volume")["cells"])
"""


def _brought(names, site: Path) -> None:
    """Files of installed packages, as if they had been installed into another place."""
    for name in names:
        found = distribution(name)
        tops = {file.parts[0] for file in found.files or () if not file.parts[0].startswith("..")}
        for top in tops - {"__pycache__"}:
            if not (site / top).exists():
                (site / top).symlink_to(Path(str(found.locate_file(top))).resolve())


@pytest.fixture(scope="module")
def wheel(tmp_path_factory) -> Path:
    """The wheel of a copy of what is under version control."""
    folder = tmp_path_factory.mktemp("wheel")
    for part in ("core", "server", "start", "pyproject.toml", "README.md"):
        copied = shutil.copytree if (ROOT / part).is_dir() else shutil.copy
        copied(ROOT / part, folder / part)
    subprocess.run(
        [sys.executable, "-m", "pip", "wheel", "-q", "--no-deps", "--no-build-isolation",
         "--disable-pip-version-check", "-w", str(folder / "out"), str(folder)],
        check=True,
    )  # fmt: skip
    (made,) = (folder / "out").glob("*.whl")
    return made


@pytest.fixture(scope="module")
def environment(wheel, tmp_path_factory) -> Path:
    """An environment of its own: the wheel, and what it says it needs without an extra."""
    folder = tmp_path_factory.mktemp("environment")
    venv.create(folder, with_pip=False, symlinks=True)
    paths = {"base": str(folder), "platbase": str(folder)}
    site = Path(sysconfig.get_path("purelib", vars=paths))
    with zipfile.ZipFile(wheel) as archive:
        archive.extractall(site)
        (told,) = [n for n in archive.namelist() if n.endswith(".dist-info/METADATA")]
        lines = archive.read(told).decode().splitlines()
    asked = [Requirement(line[15:]) for line in lines if line.startswith("Requires-Dist: ")]
    core = [r for r in asked if r.marker is None]
    assert {r.name for r in core} == {r.name for r in wanted("core")}
    _brought(closure(core), site)
    return folder


def _python(environment: Path, *arguments: str, cwd: Path) -> subprocess.CompletedProcess[str]:
    own = {k: v for k, v in os.environ.items() if not k.startswith("PYTHON")}
    return subprocess.run(
        [str(environment / "bin/python"), *arguments],
        capture_output=True, text=True, env=own, cwd=cwd, check=False,
    )  # fmt: skip


def test_the_core_works_away_from_the_checkout(environment, tmp_path):
    source(pipe(), tmp_path, "pipe")
    done = _python(environment, "-c", RUN, cwd=tmp_path)
    assert done.returncode == 0, done.stderr
    place, cells = done.stdout.split()
    assert place.startswith(str(environment)) and int(cells) > 500
    assert {p.name for p in (tmp_path / "out").iterdir()} >= {"mesh.cgns", "case.yaml"}
    main = "from intaglio.cli import main; raise SystemExit(main())"
    checked = _python(environment, "-c", main, "check", "out/mesh.cgns", cwd=tmp_path)
    assert checked.returncode == 0 and "valid" in checked.stdout
    told = _python(environment, "-c", main, "--version", cwd=tmp_path)
    assert told.stdout.split() == ["intaglio", intaglio.__version__]


def test_the_server_is_an_extra(environment, tmp_path):
    done = _python(environment, "-c", "import django", cwd=tmp_path)
    assert done.returncode != 0 and "No module named 'django'" in done.stderr


def test_the_release_is_told_once():
    told = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
    assert told["dynamic"] == ["version"] and "version" not in told
    (newest,) = re.findall(r"^## (\d\S*)", (ROOT / "CHANGELOG.md").read_text(), re.M)[:1]
    assert newest == intaglio.__version__
