"""`make run`: database, server and workers together, until Ctrl-C.

A server, a worker or a database that dies is started again, and the terminal says so. If this
process is killed outright, the kernel ends its children, and the next start finds the database
still running and uses it.
"""

import ctypes
import fcntl
import os
import secrets
import signal
import subprocess
import sys
import time
import urllib.request
from pathlib import Path
from types import FrameType

from start.cluster import (
    CannotStart,
    Cluster,
    answers,
    free_port,
    make_database,
    start,
    stop,
)

ROOT = Path(__file__).resolve().parents[1]
PORT = 8460
_PR_SET_PDEATHSIG = 1
# a process that ends more often than so within so many seconds will end again
_OFTEN, _LATELY = 5, 60.0


def _with_parent() -> None:
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)
    os.setpgid(0, 0)


class Stop(Exception):
    """A signal asked to stop."""


def _on_signal(number: int, frame: FrameType | None) -> None:
    raise Stop


def _secret(var: Path) -> str:
    path = var / "secret"
    if not path.is_file():
        path.write_text(secrets.token_urlsafe(48))
        path.chmod(0o600)
    return path.read_text().strip()


def _lock(var: Path) -> int:
    """Hold the lock of this folder. It goes with the process, so that none is ever stale."""
    handle = os.open(var / "running", os.O_RDWR | os.O_CREAT, 0o644)
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError as error:
        raise CannotStart(
            f"Intaglio already runs from this folder ({var}). Stop that one first (Ctrl-C)."
        ) from error
    return handle


class Services:
    """The processes that belong together."""

    def __init__(self, environment: dict[str, str], var: Path):
        self.environment = environment
        self.var = var
        self.commands: dict[str, list[str]] = {}
        self.running: dict[str, subprocess.Popen[bytes]] = {}
        self.deaths: dict[str, list[float]] = {}

    def launch(self, name: str, command: list[str]) -> None:
        self.commands[name] = command
        log = (self.var / f"{name}.log").open("ab")
        self.running[name] = subprocess.Popen(
            command,
            env=self.environment,
            cwd=ROOT / "server",
            stdout=log,
            stderr=subprocess.STDOUT,
            stdin=subprocess.DEVNULL,
            preexec_fn=_with_parent,
        )

    def mend(self) -> None:
        """Start again what has ended. Raises CannotStart for what ends again and again."""
        for name, process in list(self.running.items()):
            if process.poll() is None:
                continue
            now = time.monotonic()
            lately = [t for t in self.deaths.get(name, []) if now - t < _LATELY]
            self.deaths[name] = [*lately, now]
            if len(lately) >= _OFTEN:
                raise CannotStart(f"The {name} ends again and again. See {self.var / name}.log.")
            print(f"The {name} ended ({process.returncode}); it is started again.", flush=True)
            self.launch(name, self.commands[name])

    def again(self, environment: dict[str, str]) -> None:
        """End all, and start all anew in another environment."""
        commands = dict(self.commands)
        self.end()
        self.running.clear()
        self.environment = environment
        for name, command in commands.items():
            self.launch(name, command)

    def end(self) -> None:
        for process in self.running.values():
            if process.poll() is None:
                process.terminate()
        deadline = time.monotonic() + 8
        for process in self.running.values():
            try:
                process.wait(max(0.1, deadline - time.monotonic()))
            except subprocess.TimeoutExpired:
                os.killpg(process.pid, signal.SIGKILL)
                process.wait()
            # what a worker left behind in its group
            try:
                os.killpg(process.pid, signal.SIGKILL)
            except (ProcessLookupError, PermissionError):
                continue


def _wait_for(address: str, services: Services) -> None:
    deadline = time.monotonic() + 60
    while time.monotonic() < deadline:
        services.mend()
        try:
            urllib.request.urlopen(f"{address}/api/session", timeout=2).read()
            return
        except OSError:
            time.sleep(0.1)
    raise CannotStart(f"The server does not answer. See {services.var / 'server.log'}.")


def _manage(environment: dict[str, str], *words: str) -> None:
    done = subprocess.run(
        [sys.executable, "manage.py", *words],
        env=environment, cwd=ROOT / "server", capture_output=True, text=True,
        stdin=subprocess.DEVNULL,
    )  # fmt: skip
    if done.returncode != 0:
        raise CannotStart(f"`manage.py {' '.join(words)}` failed:\n{done.stderr[-1500:]}")


def serve() -> None:
    """Run until a signal. Raises CannotStart with the reason if it cannot."""
    var = Path(os.environ.get("INTAGLIO_VAR", ROOT / "var"))
    var.mkdir(parents=True, exist_ok=True)
    # for its owner alone; the account of the database passes through
    var.chmod(0o711 if os.geteuid() == 0 else 0o700)
    lock = _lock(var)
    wanted = int(os.environ.get("INTAGLIO_PORT", PORT))
    port = free_port(wanted)
    cluster: Cluster | None = None
    services: Services | None = None
    try:
        cluster = start(var / "database")
        make_database(cluster)
        os.umask(0o077)
        environment = {
            **os.environ,
            **cluster.environment(),
            "INTAGLIO_VAR": str(var),
            "INTAGLIO_SECRET": _secret(var),
            "INTAGLIO_DEMO": "1",
            "DJANGO_SETTINGS_MODULE": "intaglio_server.settings",
            "PYTHONPATH": f"{ROOT / 'core'}:{ROOT / 'server'}",
            "PYTHONUNBUFFERED": "1",
        }
        # the checks would load the whole computation, which the server loads anyway
        _manage(environment, "migrate", "--no-input", "-v", "0", "--skip-checks")
        _manage(environment, "demo")
        services = Services(environment, var)
        services.launch(
            "server",
            [
                sys.executable, "-m", "uvicorn", "intaglio_server.asgi:application",
                "--host", "127.0.0.1", "--port", str(port), "--log-level", "warning",
                "--timeout-graceful-shutdown", "2",
            ],
        )  # fmt: skip
        address = f"http://127.0.0.1:{port}"
        _wait_for(address, services)
        # after the server, so that the page does not wait for them: what is queued waits its turn
        worker = [sys.executable, "manage.py", "procrastinate", "worker", "--concurrency", "1"]
        services.launch("worker", [*worker, "--queues", "jobs", "--name", "worker"])
        services.launch("live", [*worker, "--queues", "live", "--name", "live"])
        services.launch("watch", [*worker, "--queues", "watch", "--name", "watch"])
        if port != wanted:
            print(f"Port {wanted} is taken, so another one is used.")
        print(
            f"\nIntaglio is ready at {address}\n"
            "Sign in as demo, password northmere. Ctrl-C stops it.\n"
        )
        sys.stdout.flush()
        while True:
            time.sleep(1)
            if not answers(cluster):
                print("The database ended; it is started again.", flush=True)
                old, cluster = cluster, start(var / "database", wanted=cluster.port)
                if cluster.port != old.port:
                    services.again({**environment, **cluster.environment()})
            services.mend()
    except (Stop, KeyboardInterrupt):
        print("stopping …")
    finally:
        signal.signal(signal.SIGINT, signal.SIG_IGN)
        signal.signal(signal.SIGTERM, signal.SIG_IGN)
        if services is not None:
            services.end()
        if cluster is not None:
            stop(cluster)
        os.close(lock)


def main() -> int:
    signal.signal(signal.SIGTERM, _on_signal)
    signal.signal(signal.SIGINT, _on_signal)
    try:
        serve()
    except CannotStart as error:
        print(f"Intaglio cannot start. {error}", file=sys.stderr)
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main())
