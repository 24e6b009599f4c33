"""Starting: busy ports, a second start, and what a killed database leaves behind."""

import os
import signal
import socket
import subprocess
import sys
from pathlib import Path

import psycopg
import pytest

from start.cluster import Cluster, free_port, make_database, start, stop

ROOT = Path(__file__).parents[2]


@pytest.fixture
def folder():
    path = Path("/var/tmp") / f"intaglio-start-{os.getpid()}"
    yield path
    subprocess.run(["rm", "-rf", str(path)], check=False)


def test_a_busy_port_is_passed_over():
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        s.listen()
        busy = s.getsockname()[1]
        assert free_port(busy) != busy


def _answers(cluster: Cluster) -> bool:
    with psycopg.connect(
        host="127.0.0.1",
        port=cluster.port,
        user="intaglio",
        password=cluster.password,
        dbname="intaglio",
    ) as connection:
        return connection.execute("SELECT 1").fetchone() == (1,)


def test_a_killed_database_starts_again_and_keeps_its_data(folder):
    first = start(folder, durable=False)
    make_database(first)
    again = start(folder, durable=False)
    assert again.port == first.port  # one that runs is used as it is
    pid = int((first.folder / "data/postmaster.pid").read_text().splitlines()[0])
    os.kill(pid, signal.SIGKILL)
    assert (first.folder / "data/postmaster.pid").exists()  # the stale lock
    third = start(folder, durable=False)
    try:
        assert _answers(third)
    finally:
        stop(third)


def test_only_loopback_and_only_with_the_password(folder):
    cluster = start(folder, durable=False)
    try:
        make_database(cluster)
        assert _answers(cluster)
        with pytest.raises(psycopg.OperationalError):
            _answers(Cluster(cluster.folder, cluster.port, "guess"))
    finally:
        stop(cluster)


def test_a_second_start_from_the_same_folder_is_explained(folder):
    import fcntl

    folder.mkdir()
    with (folder / "running").open("w") as held:
        fcntl.flock(held, fcntl.LOCK_EX)
        done = subprocess.run(
            [sys.executable, "-m", "start.serve"],
            cwd=ROOT,
            env={**os.environ, "INTAGLIO_VAR": str(folder)},
            capture_output=True,
            text=True,
            timeout=60,
        )
    assert done.returncode == 1
    assert "already runs from this folder" in done.stderr and "Traceback" not in done.stderr
