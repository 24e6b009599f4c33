"""The application as `make run` starts it, in a folder of its own, and a browser before it."""

import itertools
import os
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright

from intaglio.parts.source import Source
from start.cluster import free_port, make_database, start
from tests.core import shapes

ROOT = Path(__file__).parents[2]
# the machine may be busy with other tests: how soon a page shows something is not asked here
_PATIENCE = 180_000
expect.set_options(timeout=_PATIENCE)
CHROMIUM = [
    "--no-sandbox",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--no-first-run",
    "--use-angle=swiftshader",
    "--enable-unsafe-swiftshader",
]


# the demo account with its studies, of which none but the ejector's is left for the start to queue
KNOWN_DEMOS = """
import django
django.setup()
from studies.management.commands import demo
from studies import tasks
tasks.enqueue = lambda job, unasked: job.delete()
demo.DEMOS = [row for row in demo.DEMOS if row[0] != "ejector.step"]
demo.Command().handle()
"""


def _keep_demos_waiting(var: Path, environment: dict[str, str]) -> None:
    """So that no test waits behind work of which it sees nothing."""
    cluster = start(var / "database", durable=False)
    make_database(cluster)
    told = environment | cluster.environment()
    told |= {"PYTHONPATH": f"{ROOT / 'core'}:{ROOT / 'server'}", "INTAGLIO_DEMO": "1"}
    told |= {"DJANGO_SETTINGS_MODULE": "intaglio_server.settings"}
    for words in (["manage.py", "migrate", "--no-input", "--skip-checks"], ["-c", KNOWN_DEMOS]):
        subprocess.run(
            [sys.executable, *words],
            cwd=ROOT / "server", env=told, check=True, capture_output=True,
        )  # fmt: skip


@dataclass(frozen=True)
class Application:
    address: str
    var: Path
    process: subprocess.Popen


# of the package: after its last test no event loop of the browser's is left in this process
@pytest.fixture(scope="package")
def application(tmp_path_factory) -> Iterator[Application]:
    """Started with the demo study; stopped by Ctrl-C, which must end all of it."""
    var = Path("/var/tmp") / f"intaglio-screens-{os.getpid()}"
    port = free_port()
    # as from a fresh shell
    set_by_tests = ("INTAGLIO_", "PYTHONPATH")
    environment = {k: v for k, v in os.environ.items() if not k.startswith(set_by_tests)}
    environment |= {"INTAGLIO_VAR": str(var), "INTAGLIO_PORT": str(port)}
    var.mkdir(mode=0o711)
    _keep_demos_waiting(var, environment)
    process = subprocess.Popen(
        [sys.executable, "-m", "start.serve"],
        cwd=ROOT, env=environment, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True,
    )  # fmt: skip
    assert process.stdout
    said = []
    for line in process.stdout:
        said.append(line)
        if "ready at" in line:
            break
    else:
        pytest.fail("the application did not start: " + "".join(said))
    yield Application(f"http://127.0.0.1:{port}", var, process)
    process.send_signal(signal.SIGINT)
    assert process.wait(200) == 0
    process.stdout.close()
    left = subprocess.run(["pgrep", "-f", str(var)], capture_output=True, text=True).stdout
    subprocess.run(["rm", "-rf", str(var)], check=False)
    assert left.strip() == "", "processes were left behind"


@pytest.fixture(scope="package")
def browser() -> Iterator[Browser]:
    with sync_playwright() as p:
        started = p.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
        yield started
        started.close()


@pytest.fixture
def page(browser, application) -> Iterator[Page]:
    """A page signed in as the demo account; errors in the page's scripts fail the test."""
    context = browser.new_context(
        viewport={"width": 1280, "height": 800}, base_url=application.address
    )
    context.set_default_timeout(_PATIENCE)
    opened = context.new_page()
    errors: list[str] = []
    opened.on("pageerror", lambda e: errors.append(str(e)))
    opened.on("request", lambda r: errors.append(f"asked {r.url}") if _foreign(r.url) else None)
    opened.goto("/")
    opened.get_by_label("Name").fill("demo")
    opened.get_by_label("Password").fill("northmere")
    opened.get_by_role("button", name="Sign in").click()
    opened.get_by_role("heading", name="Studies").wait_for()
    yield opened
    context.close()
    assert errors == []


_made = itertools.count(1)


def source(shape, folder: Path, name: str = "part") -> Source:
    """A shape as a file of its own: what other tests made of the same shape is not found again."""
    same = shapes.source(shape, folder, name)
    return Source(same.name, same.data + b"\n" * next(_made))


def _foreign(url: str) -> bool:
    return url.startswith("http") and not url.startswith("http://127.0.0.1:")


def wait_until(condition, seconds: float, step: float = 0.1) -> None:
    """Wait for what takes so long on a quiet machine; a busy one has ten times that."""
    deadline = time.monotonic() + 10 * seconds
    while not condition():
        assert time.monotonic() < deadline, "it did not happen in time"
        time.sleep(step)
