"""Many signed-in users with open pages, some of them acting: ordinary calls beside the same calls
alone.

A team's service with a web server and one worker; every user holds an event stream open, some ask
for their shelf, a study and a stage again and again. A study with much stored data beside them is
read by one of them, if asked for.

    python -m bench.users [--users 200] [--acting 20] [--seconds 30] [--large GIB]
"""

import argparse
import random
import statistics
import subprocess
import threading
import time
from pathlib import Path
from typing import Any

import requests

from tests.killing import Service

# the mean pause between two calls of one user, in seconds: people do not act in step
_PAUSE = 1.0
# until pages are open, and what was written for the large study is on disk
_SETTLE = 20.0


def _cookies(service: Service, count: int) -> list[dict[str, str]]:
    """Sessions of so many accounts, made as `intaglio-server` would: in the database."""
    script = (
        "import django; django.setup()\n"
        "from django.contrib.auth.models import User\n"
        "from django.contrib.auth import SESSION_KEY, BACKEND_SESSION_KEY, HASH_SESSION_KEY\n"
        "from accounts.sessions import SessionStore\n"
        f"for k in range({count}):\n"
        "    user, _ = User.objects.get_or_create(username=f'user_{k}')\n"
        "    s = SessionStore()\n"
        "    s[SESSION_KEY] = str(user.pk)\n"
        "    s[BACKEND_SESSION_KEY] = 'django.contrib.auth.backends.ModelBackend'\n"
        "    s[HASH_SESSION_KEY] = user.get_session_auth_hash()\n"
        "    s.create()\n"
        "    print(s.session_key)\n"
    )
    keys = service.script(script).split()
    return [{"sessionid": key} for key in keys]


def _share_all(service: Service) -> None:
    service.script(
        "import django; django.setup()\n"
        "from django.contrib.auth.models import User\n"
        "from studies.models import Share, Study\n"
        "study = Study.objects.get()\n"
        "for user in User.objects.exclude(pk=study.owner_id):\n"
        "    Share.objects.get_or_create(study=study, user=user, works=True)\n"
    )


def _enlarge(service: Service, gibibytes: float) -> None:
    """Products of the study with so much that no compression makes less of."""
    service.script(
        "import django, os; django.setup()\n"
        "from studies.models import Study\n"
        "from studies.room import keep\n"
        "from studies.store import save_bytes\n"
        f"for k in range({round(gibibytes * 8)}):\n"
        "    save_bytes(f'{k:064d}', 'volume', {}, os.urandom(2**27))\n"
        f"keep(Study.objects.get(), [f'{{k:064d}}' for k in range({round(gibibytes * 8)})])\n"
    )


def _open_page(service: Service, cookies: dict[str, str], over: threading.Event) -> None:
    with requests.get(
        f"{service.base}/events", cookies=cookies, stream=True, timeout=(30, None)
    ) as held:
        assert held.status_code == 200, held.status_code
        try:
            for _ in held.iter_lines():
                if over.is_set():
                    return
        except requests.RequestException:
            # the service ends with the measurement
            assert over.is_set(), "a page's stream ended"


def _act(
    service: Service, cookies: dict[str, str], paths: list[str], until: float, took: list[float]
) -> None:
    with requests.Session() as session:
        session.cookies.update(cookies)
        time.sleep(random.uniform(0.0, _PAUSE))
        while time.monotonic() < until:
            for path in paths:
                begun = time.perf_counter()
                answer = session.get(f"{service.base}{path}", timeout=60)
                took.append(time.perf_counter() - begun)
                assert answer.status_code == 200, (path, answer.status_code)
                time.sleep(random.uniform(0.0, 2 * _PAUSE))


def _calls(
    service: Service, users: list[dict[str, str]], paths: list[str], seconds: float
) -> list[float]:
    took: list[float] = []
    until = time.monotonic() + seconds
    threads = [
        threading.Thread(target=_act, args=(service, user, paths, until, took)) for user in users
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return took


def _told(name: str, took: list[float]) -> float:
    high = statistics.quantiles(took, n=20)[-1]
    middle = statistics.median(took)
    print(
        f"{name:44} {len(took):6} calls  median {1e3 * middle:6.0f} ms  95 % {1e3 * high:6.0f} ms"
    )
    return high


def measure(asked: Any, service: Service) -> None:
    """Print the calls' times alone, among open pages, and beside a large study."""
    service.until_well()
    service.join()
    from tests.damaging import originals

    name, data = originals()[0]
    service.ask("POST", "/studies", files={"file": (name, data)})
    deadline = time.monotonic() + 120
    while not (studies := service.ask("GET", "/studies")) or not studies[0]["furthest"]:
        assert time.monotonic() < deadline
        time.sleep(0.5)
    variant = studies[0]["variants"][0]["id"]
    paths = ["/studies", f"/variants/{variant}", "/jobs", f"/studies/{studies[0]['id']}"]
    users = _cookies(service, asked.users)
    _share_all(service)
    alone = _told("one user alone", _calls(service, users[:1], paths, asked.seconds))
    over = threading.Event()
    pages = [
        threading.Thread(target=_open_page, args=(service, user, over), daemon=True)
        for user in users
    ]
    for page in pages:
        page.start()
    time.sleep(_SETTLE)
    words = f"{asked.acting} of {asked.users} acting, all pages open"
    among = _told(words, _calls(service, users[: asked.acting], paths, asked.seconds))
    print(f"ratio of the 95th percentiles: {among / alone:.1f}")
    if asked.large:
        _enlarge(service, asked.large)
        time.sleep(_SETTLE)
        beside = _told(
            f"beside {asked.large} GiB",
            _calls(service, users[: asked.acting], paths, asked.seconds),
        )
        print(f"ratio to without it: {beside / among:.2f}")
    over.set()


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--users", type=int, default=200)
    parser.add_argument("--acting", type=int, default=20)
    parser.add_argument("--seconds", type=float, default=30.0)
    parser.add_argument("--large", type=float, default=0.0)
    asked = parser.parse_args()
    folder = Path("/var/tmp/intaglio-users")
    service = Service(folder)
    try:
        measure(asked, service)
    finally:
        service.end()
        subprocess.run(["rm", "-rf", str(folder)], check=False)


if __name__ == "__main__":
    main()
