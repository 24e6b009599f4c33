"""What must be so before anything is imported: a core for each worker, and a PostgreSQL cluster,
started before Django reads its settings.

Loaded by `-p tests.database_cluster`. Runs that only touch the core need no cluster and skip it.
"""

import os
import shutil
import sys
import tempfile
from pathlib import Path

from start.cluster import Cluster, start, stop

# kernels take as many threads as there are cores: two workers with two each are slower
CORES = sorted(os.sched_getaffinity(0))
_WORKER = os.environ.get("PYTEST_XDIST_WORKER", "")
OWN = {CORES[int(_WORKER.removeprefix("gw")) % len(CORES)]} if _WORKER else set(CORES)
os.sched_setaffinity(0, OWN)

_cluster: Cluster | None = None
_folder: Path | None = None


def _only_core() -> bool:
    """Also in a worker of a run that was started for the core alone."""
    if "PYTEST_XDIST_WORKER" in os.environ:
        return "INTAGLIO_DB_PORT" not in os.environ
    named = [a for a in sys.argv[1:] if not a.startswith("-") and "tests" in a]
    return bool(named) and all("tests/core" in a for a in named)


if not _only_core():
    _folder = Path(tempfile.mkdtemp(prefix="intaglio-test-", dir="/var/tmp"))
    _folder.chmod(0o755)
    # workers have databases of their own in the cluster of the process that started them
    if "PYTEST_XDIST_WORKER" not in os.environ:
        _cluster = start(_folder / "database", durable=False)
        os.environ.update(_cluster.environment("postgres"))
    os.environ["INTAGLIO_VAR"] = str(_folder / "var")


def pytest_unconfigure(config) -> None:
    if _cluster is not None:
        stop(_cluster)
    if _folder is not None:
        shutil.rmtree(_folder, ignore_errors=True)
