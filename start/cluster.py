"""A private PostgreSQL cluster on loopback, in a folder of the project, on a free port.

PostgreSQL refuses to run as root; then its programs run as the account `postgres` that Debian's
package makes, and the cluster's folder belongs to that account.
"""

import contextlib
import hashlib
import os
import pwd
import secrets
import shutil
import socket
import subprocess
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

USER = "intaglio"


class CannotStart(Exception):
    """Says what is missing or in the way, and what to do."""


@dataclass(frozen=True)
class Cluster:
    """A running cluster: where its files are, its port and the password of its one role."""

    folder: Path
    port: int
    password: str

    def environment(self, database: str = "intaglio") -> dict[str, str]:
        return {
            "INTAGLIO_DB_HOST": "127.0.0.1",
            "INTAGLIO_DB_PORT": str(self.port),
            "INTAGLIO_DB_USER": USER,
            "INTAGLIO_DB_PASSWORD": self.password,
            "INTAGLIO_DB_NAME": database,
        }


def programs() -> Path:
    """The folder of PostgreSQL's server programs. Raises CannotStart if there is none."""
    found = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"), key=lambda p: p.parts[-3])
    if found:
        return found[-1].parent
    other = shutil.which("initdb")
    if other:
        return Path(other).resolve().parent
    raise CannotStart("PostgreSQL's server is not installed. Run `make install`.")


def _as_owner(command: list[str]) -> list[str]:
    return ["runuser", "-u", "postgres", "--", *command] if os.geteuid() == 0 else command


def _call(command: list[str], folder: Path) -> subprocess.CompletedProcess[str]:
    # pg_ctl must not inherit pipes: the server would hold them open
    with (folder / "command.log").open("a+") as log:
        start = log.seek(0, os.SEEK_END)
        done = subprocess.run(
            _as_owner(command),
            stdout=log,
            stderr=subprocess.STDOUT,
            stdin=subprocess.DEVNULL,
            cwd="/",
        )
        log.seek(start)
        return subprocess.CompletedProcess(command, done.returncode, log.read())


def _place(folder: Path) -> Path:
    """The cluster's folder, or one under /var/tmp where its owner could not reach it."""
    folder.mkdir(parents=True, exist_ok=True)
    if os.geteuid() != 0:
        return folder
    with contextlib.suppress(OSError):
        reach = subprocess.run(
            _as_owner(["test", "-x", str(folder.resolve())]), capture_output=True, cwd="/"
        )
        if reach.returncode == 0:
            return folder
    name = hashlib.sha256(str(folder.resolve()).encode()).hexdigest()[:12]
    other = Path("/var/tmp") / f"intaglio-{name}"
    other.mkdir(mode=0o711, exist_ok=True)
    return other


def free_port(wanted: int | None = None) -> int:
    """A port on loopback that nothing listens on: the wanted one if it is free."""
    for port in ([wanted] if wanted else []) + [0]:
        with socket.socket() as s:
            s.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                s.bind(("127.0.0.1", port))
            except OSError:
                continue
            return int(s.getsockname()[1])
    raise CannotStart("No free port was found on loopback.")


def start(folder: Path, durable: bool = True, wanted: int | None = None) -> Cluster:
    """Start the cluster in a folder, making it first if need be, on the wanted port if it is free.
    Raises CannotStart.

    One that runs already is used as it is; a lock file left by a dead server is no obstacle.
    durable=False skips syncing to disk, for tests.
    """
    bin_ = programs()
    if os.geteuid() == 0:
        try:
            pwd.getpwnam("postgres")
        except KeyError as error:
            raise CannotStart(
                "The account `postgres` is missing; Debian's package makes it. Run `make install`."
            ) from error
    folder = _place(folder)
    data, secret = folder / "data", folder / "password"
    if not (data / "PG_VERSION").is_file():
        _make(bin_, folder, data, secret)
    password = secret.read_text().strip()
    _drop_stale_lock(data)
    if _call([str(bin_ / "pg_ctl"), "status", "-D", str(data)], folder).returncode == 0:
        lines = _read_as_owner(data / "postmaster.pid").splitlines()
        if len(lines) > 3 and lines[3].strip().isdigit():
            return Cluster(folder, int(lines[3]), password)
    if os.geteuid() == 0:
        # files of an earlier start as another user
        shutil.chown(folder, "postgres", "postgres")
    port = free_port(wanted)
    options = (
        f"-p {port} -c listen_addresses=127.0.0.1 -c unix_socket_directories= "
        "-c max_connections=60 -c shared_buffers=128MB"
    )
    if not durable:
        options += " -c fsync=off -c synchronous_commit=off -c full_page_writes=off"
    log = folder / "server.log"
    done = _call(
        [
            str(bin_ / "pg_ctl"),
            "start",
            "-w",
            "-t",
            "60",
            "-D",
            str(data),
            "-l",
            str(log),
            "-o",
            options,
        ],
        folder,
    )
    if done.returncode != 0:
        tail = "\n".join(_read_as_owner(log).splitlines()[-5:])
        raise CannotStart(f"The database did not start. Its log {log} ends:\n{tail}")
    return Cluster(folder, port, password)


def answers(cluster: Cluster) -> bool:
    """Whether anything listens where the cluster does."""
    try:
        with socket.create_connection(("127.0.0.1", cluster.port), timeout=2):
            return True
    except OSError:
        return False


def _drop_stale_lock(data: Path) -> None:
    """Remove the lock file of a server that is dead, or a zombie that still has its number."""
    lines = _read_as_owner(data / "postmaster.pid").splitlines()
    if not lines or not lines[0].strip().isdigit():
        return
    try:
        stat = Path(f"/proc/{lines[0].strip()}/stat").read_text()
        alive = "postgres" in stat and stat.rpartition(")")[2].split()[0] != "Z"
    except OSError:
        alive = False
    if not alive:
        subprocess.run(
            _as_owner(["rm", "-f", str(data / "postmaster.pid")]), capture_output=True, cwd="/"
        )


def _make(bin_: Path, folder: Path, data: Path, secret: Path) -> None:
    if data.exists():
        shutil.rmtree(data)
    secret.write_text(secrets.token_urlsafe(24))
    secret.chmod(0o600)
    if os.geteuid() == 0:
        for path in (folder, secret):
            shutil.chown(path, "postgres", "postgres")
    done = _call(
        [
            str(bin_ / "initdb"), "-D", str(data), "-U", USER, "--pwfile", str(secret),
            "-A", "scram-sha-256", "-E", "UTF8", "--locale", "C.UTF-8",
        ],
        folder,
    )  # fmt: skip
    if done.returncode != 0:
        raise CannotStart(f"The database cluster could not be made:\n{done.stdout[-800:]}")


def _read_as_owner(path: Path) -> str:
    done = subprocess.run(_as_owner(["cat", str(path)]), capture_output=True, text=True, cwd="/")
    return done.stdout


def stop(cluster: Cluster) -> None:
    """Stop a cluster; its files stay."""
    _call(
        [
            str(programs() / "pg_ctl"),
            "stop",
            "-m",
            "fast",
            "-w",
            "-t",
            "30",
            "-D",
            str(cluster.folder / "data"),
        ],
        cluster.folder,
    )


def make_database(cluster: Cluster, name: str = "intaglio") -> None:
    """Create the database if it is not there."""
    import psycopg
    from psycopg import errors, sql

    deadline = time.monotonic() + 20
    while True:
        try:
            connection = psycopg.connect(
                host="127.0.0.1", port=cluster.port, user=USER, password=cluster.password,
                dbname="postgres", autocommit=True,
            )  # fmt: skip
            break
        except psycopg.OperationalError as error:
            if time.monotonic() > deadline:
                raise CannotStart(f"The database does not answer: {error}") from error
            time.sleep(0.2)
    with connection, contextlib.suppress(errors.DuplicateDatabase):
        connection.execute(sql.SQL("CREATE DATABASE {}").format(sql.Identifier(name)))


@contextlib.contextmanager
def running(folder: Path, durable: bool = True) -> Iterator[Cluster]:
    """A cluster for the time of a with block."""
    cluster = start(folder, durable)
    try:
        yield cluster
    finally:
        stop(cluster)
