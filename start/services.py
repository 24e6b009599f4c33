"""The processes that belong together: started, watched, started again, ended."""

import ctypes
import fcntl
import os
import secrets
import signal
import subprocess
import sys
import time
import urllib.error
import urllib.request
from pathlib import Path
from types import FrameType

from start.cluster import CannotStart

ROOT = Path(__file__).resolve().parents[1]
_PR_SET_PDEATHSIG = 1
_APPEND = os.O_WRONLY | os.O_APPEND | os.O_CREAT
# a process that ends more often than so within so many seconds will end again
_OFTEN, _LATELY = 5, 60.0


def _with_parent() -> None:
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)
    os.setpgid(0, 0)


class Stop(Exception):
    """A signal asked to stop."""


def on_signal(number: int, frame: FrameType | None) -> None:
    raise Stop


def secret_of(var: Path) -> str:
    """What cookies are signed with: of the environment, or of this folder."""
    if os.environ.get("INTAGLIO_SECRET"):
        return os.environ["INTAGLIO_SECRET"]
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
        # for its owner alone; not all that is written is: others have to read compiled kernels
        log = os.fdopen(os.open(self.var / f"{name}.log", _APPEND, 0o600), "ab")
        self.running[name] = subprocess.Popen(
            command,
            env=self.environment,
            cwd=ROOT / "server",
            stdout=log,
            stderr=subprocess.STDOUT,
            stdin=subprocess.DEVNULL,
            preexec_fn=_with_parent,
        )

    def launch_worker(self, name: str, queue: str) -> None:
        self.launch(
            name,
            [
                sys.executable, "manage.py", "procrastinate", "worker", "--concurrency", "1",
                "--queues", queue, "--name", name,
            ],
        )  # fmt: skip

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


def web_server(address: str, port: int, proxy: str | None = None) -> list[str]:
    """The command of the web server; proxy: whose word counts about who asks, and by what. The
    demo has none, and believes nobody."""
    command = [
        sys.executable, "-m", "uvicorn", "intaglio_server.asgi:application",
        "--host", address, "--port", str(port), "--log-level", "warning",
        "--timeout-graceful-shutdown", "2", "--http", "intaglio_server.patience:PatientProtocol",
    ]  # fmt: skip
    if proxy is None:
        return [*command, "--no-proxy-headers"]
    return [*command, "--proxy-headers", "--forwarded-allow-ips", proxy]


def launch_workers(services: Services, count: int) -> None:
    """So many workers for jobs, and one for what follows the typing."""
    for number in range(count):
        services.launch_worker("worker" if number == 0 else f"worker-{number + 1}", "jobs")
    if count:
        services.launch_worker("live", "live")


def wait_for(address: str, services: Services) -> None:
    deadline = time.monotonic() + 300
    while time.monotonic() < deadline:
        services.mend()
        try:
            urllib.request.urlopen(f"{address}/api/health", timeout=2).read()
            return
        except urllib.error.HTTPError:
            return  # it answers, if not this machine's name
        except OSError:
            time.sleep(0.1)
    raise CannotStart(f"The server does not answer. See {services.var / 'server.log'}.")


def manage(environment: dict[str, str], *words: str) -> None:
    done = subprocess.run(
        [sys.executable, "manage.py", *words],
        env=environment, cwd=ROOT / "server", capture_output=True, text=True,
        stdin=subprocess.DEVNULL,
    )  # fmt: skip
    if done.returncode != 0:
        raise CannotStart(f"`manage.py {' '.join(words)}` failed:\n{done.stderr[-1500:]}")


def hold_folder() -> tuple[Path, int]:
    """The folder of what this machine keeps, for its owner alone, and its lock. Raises
    CannotStart."""
    var = Path(os.environ.get("INTAGLIO_VAR", ROOT / "var"))
    var.mkdir(parents=True, exist_ok=True)
    # the account of the database passes through
    var.chmod(0o711 if os.geteuid() == 0 else 0o700)
    (var / "cache").mkdir(mode=0o700, exist_ok=True)
    return var, _lock(var)
