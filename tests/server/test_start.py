"""Starting: busy ports, a second start, and what a killed database leaves behind."""

import json
import os
import signal
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.request
from pathlib import Path

import psycopg
import pytest

from start.cluster import Cluster, free_port, make_database, start, stop

pytestmark = pytest.mark.slow

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
            timeout=300,
        )
    assert done.returncode == 1
    assert "already runs from this folder" in done.stderr and "Traceback" not in done.stderr


class Served:
    """The start command on a folder of its own."""

    def __init__(self, var: Path):
        self.port = free_port()
        self.log = (var.parent / f"{var.name}.out").open("w+")
        self.process = subprocess.Popen(
            [sys.executable, "-u", "-m", "start.serve"],
            cwd=ROOT, stdout=self.log, stderr=subprocess.STDOUT,
            env={
                **os.environ, "INTAGLIO_VAR": str(var), "INTAGLIO_PORT": str(self.port),
                # the demo is kept out of a team's database
                "INTAGLIO_DATABASE": "postgresql://team@127.0.0.1:1/team",
            },
        )  # fmt: skip

    def said(self) -> str:
        self.log.seek(0)
        return self.log.read()

    def until(self, done, seconds: float = 500.0) -> None:
        deadline = time.monotonic() + seconds
        while not done():
            assert self.process.poll() is None, self.said()
            assert time.monotonic() < deadline, self.said()
            time.sleep(0.2)

    def health(self) -> dict[str, bool] | None:
        try:
            with urllib.request.urlopen(
                f"http://127.0.0.1:{self.port}/api/health", timeout=5
            ) as answer:
                return json.load(answer)
        except urllib.error.HTTPError as error:
            return json.load(error)
        except OSError:
            return None

    def well(self) -> bool:
        return self.health() == {"server": True, "database": True, "guarded": True}


@pytest.fixture
def served(folder):
    made = Served(folder)
    try:
        made.until(made.well)
        yield made
    finally:
        made.process.send_signal(signal.SIGINT)
        made.process.wait(200)
        made.log.close()
        Path(made.log.name).unlink()


def _children(pid: int) -> dict[int, str]:
    found = {}
    for stat in Path("/proc").glob("[0-9]*/stat"):
        try:
            number, _, rest = stat.read_text().partition(" (")
            if int(rest.rpartition(")")[2].split()[1]) == pid:
                command = Path(f"/proc/{number}/cmdline").read_bytes()
                found[int(number)] = command.replace(b"\0", b" ").decode()
        except OSError:
            continue
    return found


def test_a_server_and_a_database_that_die_are_started_again(served, folder):
    served.until(lambda: "Sign in as demo" in served.said())
    (server,) = (p for p, words in _children(served.process.pid).items() if "uvicorn" in words)
    os.kill(server, signal.SIGKILL)
    served.until(lambda: "The server ended" in served.said())
    served.until(served.well)
    lock = list(folder.glob("**/postmaster.pid"))
    os.kill(int(lock[0].read_text().splitlines()[0]), signal.SIGKILL)
    served.until(lambda: "The database ended" in served.said())
    served.until(served.well)
    # what is kept there is for its owner alone
    assert folder.stat().st_mode & 0o066 == 0
    assert (folder / "server.log").stat().st_mode & 0o077 == 0
