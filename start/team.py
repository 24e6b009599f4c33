"""`intaglio-server serve` and `worker`: for a team, behind a proxy that speaks TLS.

The database is the one that INTAGLIO_DATABASE names; without it, a cluster of this folder's own.
Workers on other machines need that address and nothing else.
"""

import os
from pathlib import Path

from start.cluster import CannotStart, Cluster, make_database, start
from start.keeping import end, heed_signals, keep
from start.services import (
    ROOT,
    Services,
    Stop,
    hold_folder,
    launch_workers,
    manage,
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
    heed_signals()
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
        keep(services, cluster, var)
    except (Stop, KeyboardInterrupt):
        print("stopping …", flush=True)
    finally:
        end(services, cluster, lock)
    return 0


def work(workers: int) -> int:
    """Workers alone, until a signal. Raises CannotStart."""
    var, lock = hold_folder()
    services = Services(_environment(var), var)
    heed_signals()
    try:
        manage(services.environment, "wait_for_version")
        launch_workers(services, workers)
        print("The workers are at work. Ctrl-C stops them.", flush=True)
        keep(services, None, var)
    except (Stop, KeyboardInterrupt):
        print("stopping …", flush=True)
    finally:
        end(services, None, lock)
    return 0


def _reached(address: str) -> str:
    return "127.0.0.1" if address in ("0.0.0.0", "::") else address
