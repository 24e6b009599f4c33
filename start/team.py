"""`intaglio-server serve` and `worker`: for a team, behind a proxy that speaks TLS.

The database is the one that INTAGLIO_DATABASE names; without it, a cluster of this folder's own.
Workers on other machines need that address and nothing else.
"""

import os
import signal
import sys
import time
from pathlib import Path

from start.cluster import CannotStart, Cluster, answers, make_database, start, stop
from start.services import (
    ROOT,
    Services,
    Stop,
    hold_folder,
    launch_workers,
    manage,
    on_signal,
    secret_of,
    wait_for,
    web_server,
)


def _environment(var: Path) -> dict[str, str]:
    return {
        **os.environ,
        "INTAGLIO_VAR": str(var),
        "DJANGO_SETTINGS_MODULE": "intaglio_server.settings",
        "PYTHONPATH": f"{ROOT / 'core'}:{ROOT / 'server'}:{ROOT}",
        "PYTHONUNBUFFERED": "1",
    }


def serve_team(address: str, port: int, workers: int) -> int:
    """Web server, watch and so many workers, until a signal. Raises CannotStart."""
    if os.environ.get("INTAGLIO_DEMO") == "1":
        raise CannotStart("The demo is for this machine alone: `make run`. Unset INTAGLIO_DEMO.")
    var, lock = hold_folder()
    environment = {**_environment(var), "INTAGLIO_SECRET": secret_of(var)}
    environment.setdefault("INTAGLIO_TLS", "1")
    cluster: Cluster | None = None
    services = Services(environment, var)
    _heed_signals()
    try:
        if "INTAGLIO_DATABASE" not in environment and "INTAGLIO_DB_HOST" not in environment:
            cluster = start(var / "database")
            make_database(cluster)
            environment.update(cluster.environment())
        manage(environment, "migrate", "--no-input", "-v", "0", "--skip-checks")
        services.launch("server", web_server(address, port, environment.get("INTAGLIO_PROXY")))
        wait_for(f"http://{_reached(address)}:{port}", services)
        launch_workers(services, workers)
        services.launch_worker("watch", "watch")
        hosts = environment.get("INTAGLIO_HOSTS", "127.0.0.1,localhost")
        print(
            f"\nIntaglio listens at {address}:{port} for {hosts}.\n"
            "The first account: `intaglio-server keeper`. Ctrl-C stops it.\n",
            flush=True,
        )
        _keep(services, cluster, var)
    except (Stop, KeyboardInterrupt):
        print("stopping …", flush=True)
    finally:
        _end(services, cluster, lock)
    return 0


def work(workers: int) -> int:
    """Workers alone, until a signal. Raises CannotStart."""
    var, lock = hold_folder()
    services = Services(_environment(var), var)
    _heed_signals()
    try:
        manage(services.environment, "wait_for_version")
        launch_workers(services, workers)
        print("The workers are at work. Ctrl-C stops them.", flush=True)
        _keep(services, None, var)
    except (Stop, KeyboardInterrupt):
        print("stopping …", flush=True)
    finally:
        _end(services, None, lock)
    return 0


def _reached(address: str) -> str:
    return "127.0.0.1" if address in ("0.0.0.0", "::") else address


def _heed_signals() -> None:
    """From now on a signal to end is told by Stop, also while things are started."""
    signal.signal(signal.SIGTERM, on_signal)
    signal.signal(signal.SIGINT, on_signal)


def _keep(services: Services, cluster: Cluster | None, var: Path) -> None:
    """Start again what ends. Ends by Stop alone."""
    while True:
        time.sleep(1)
        if cluster is not None and not answers(cluster):
            print("The database ended; it is started again.", flush=True)
            old, cluster = cluster, start(var / "database", wanted=cluster.port)
            if cluster.port != old.port:
                services.again({**services.environment, **cluster.environment()})
        services.mend()


def _end(services: Services, cluster: Cluster | None, lock: int) -> None:
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGTERM, signal.SIG_IGN)
    services.end()
    if cluster is not None:
        stop(cluster)
    os.close(lock)
    sys.stdout.flush()
