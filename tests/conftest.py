"""How the tests are shared out among workers: a file at a time, the longest first, each worker on
a core of its own; and the folder of what they make and share."""

import os
import shutil
import tempfile
from pathlib import Path

from xdist.scheduler.loadscope import LoadScopeScheduling

from tests.database_cluster import CORES, OWN
from tests.made import FOLDER

# what takes long, longest first, so that no worker is left alone with it at the end
LONGEST = Path(__file__).with_name("longest.txt").read_text().split()


class ByFile(LoadScopeScheduling):
    """Files go to workers whole, so that what a file makes once is made once; all that drives the
    page goes to one, so that there is one application."""

    def _split_scope(self, nodeid: str) -> str:
        return _unit(nodeid)


def _unit(nodeid: str) -> str:
    file = nodeid.split("::")[0]
    return "tests/screens" if file.startswith("tests/screens/") else file


def pytest_xdist_make_scheduler(config, log):
    return ByFile(config, log)


def pytest_collection_modifyitems(items):
    place = {unit: k for k, unit in enumerate(LONGEST)}
    items.sort(key=lambda item: place.get(_unit(item.nodeid), len(place)))


def pytest_runtest_setup(item):
    # processes that a test begins share out the cores as they like
    os.sched_setaffinity(0, OWN if item.nodeid.startswith("tests/core/") else CORES)


def pytest_configure(config):
    if FOLDER not in os.environ:
        config.folder_of_the_run = os.environ[FOLDER] = tempfile.mkdtemp(prefix="intaglio-made-")


def pytest_unconfigure(config):
    if hasattr(config, "folder_of_the_run"):
        shutil.rmtree(config.folder_of_the_run, ignore_errors=True)
        del os.environ[FOLDER]
