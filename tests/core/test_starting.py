"""What is loaded for what: help answers at once, and the CAD kernel is loaded for CAD alone."""

import os
import subprocess
import sys

import pytest

from intaglio.commands.arguments import COMMANDS, LIMITS
from intaglio.quality.limits import SETS

_TOLD = "import sys; print(*{m.split('.')[0] for m in sys.modules})"
_COMMAND = "import sys; from intaglio.cli import main; sys.exit(main({}))"


def _loaded(statement, status=0):
    """The packages that are loaded after a statement."""
    words = f"import atexit\natexit.register(lambda: exec({_TOLD!r}))\n{statement}"
    env = {**os.environ, "PYTHONPATH": os.pathsep.join(sys.path)}
    done = subprocess.run([sys.executable, "-c", words], capture_output=True, text=True, env=env)
    assert done.returncode == status, done.stderr
    return set(done.stdout.splitlines()[-1].split())


@pytest.mark.parametrize(
    "argv, status, absent",
    [
        (["--help"], 0, {"numpy", "yaml"}),
        (["run", "--help"], 0, {"numpy", "yaml"}),
        (["run", "--outside"], 2, {"numpy", "yaml"}),
        (["check", "no.cgns"], 2, {"OCP"}),
        (["compare", "no.cgns", "no.vtu"], 2, {"OCP"}),
        (["flow", "no_folder"], 2, {"OCP"}),
        (["run", "no.yaml", "--out", "out"], 2, {"OCP"}),
    ],
)
def test_a_command_loads_what_it_needs(argv, status, absent):
    assert not absent & _loaded(_COMMAND.format(argv), status)


def test_who_serves_loads_no_cad_kernel():
    statement = (
        "import os; os.environ['DJANGO_SETTINGS_MODULE'] = 'intaglio_server.settings'\n"
        "import django; django.setup()\n"
        "import intaglio_server.urls, studies.tasks, studies.runner"
    )
    assert "django" in (loaded := _loaded(statement)) and "OCP" not in loaded


def test_each_command_can_be_loaded():
    for command in COMMANDS:
        module, _, name = command.done_by.partition(":")
        assert callable(getattr(__import__(f"intaglio.commands.{module}", fromlist=[name]), name))
    assert set(LIMITS) == set(SETS)
