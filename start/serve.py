"""`make run`: database, server and workers together, until Ctrl-C.

A server, a worker or a database that dies is started again, and the terminal says so. If this
process is killed outright, the kernel ends its children, and the next start finds the database
still running and uses it.
"""

import os
import sys

from start.cluster import CannotStart, Cluster, free_port, make_database, start
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

PORT = 8460


def serve() -> None:
    """Run until a signal. Raises CannotStart with the reason if it cannot."""
    var, lock = hold_folder()
    wanted = int(os.environ.get("INTAGLIO_PORT", PORT))
    port = free_port(wanted)
    cluster: Cluster | None = None
    environment = {
        # the demo and its account are for a database of its own, whatever else is at hand
        **{k: v for k, v in os.environ.items() if k != "INTAGLIO_DATABASE"},
        "INTAGLIO_VAR": str(var),
        "INTAGLIO_SECRET": secret_of(var),
        "INTAGLIO_DEMO": "1",
        "DJANGO_SETTINGS_MODULE": "intaglio_server.settings",
        "PYTHONPATH": f"{ROOT / 'core'}:{ROOT / 'server'}",
        "PYTHONUNBUFFERED": "1",
    }
    services = Services(environment, var)
    try:
        cluster = start(var / "database")
        make_database(cluster)
        environment.update(cluster.environment())
        # the checks would load the whole computation, which the server loads anyway
        manage(environment, "migrate", "--no-input", "-v", "0", "--skip-checks")
        manage(environment, "demo")
        services.launch("server", web_server("127.0.0.1", port))
        address = f"http://127.0.0.1:{port}"
        wait_for(address, services)
        # after the server, so that the page does not wait for them: what is queued waits its turn
        launch_workers(services, 1)
        services.launch_worker("watch", "watch")
        if port != wanted:
            print(f"Port {wanted} is taken, so another one is used.")
        print(
            f"\nIntaglio is ready at {address}\n"
            "Sign in as demo, password northmere. Ctrl-C stops it.\n"
        )
        sys.stdout.flush()
        keep(services, cluster, var)
    except (Stop, KeyboardInterrupt):
        print("stopping …")
    finally:
        end(services, cluster, lock)


def main() -> int:
    heed_signals()
    try:
        serve()
    except CannotStart as error:
        print(f"Intaglio cannot start. {error}", file=sys.stderr)
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main())
