"""Keep going what was started, until a signal; then end all of it."""

import os
import signal
import sys
import time
from pathlib import Path

from start.cluster import Cluster, answers, start, stop
from start.services import Services, on_signal


def heed_signals() -> None:
    """From now on a signal to end is told by Stop, also while things are started."""
    signal.signal(signal.SIGTERM, on_signal)
    signal.signal(signal.SIGINT, on_signal)


def keep(services: Services, cluster: Cluster | None, var: Path) -> None:
    """Start again what ends. Ends by Stop; raises CannotStart for what ends again and again."""
    while True:
        time.sleep(1)
        if cluster is not None and not answers(cluster):
            print("The database ended; it is started again.", flush=True)
            old, cluster = cluster, start(var / "database", wanted=cluster.port)
            if cluster.port != old.port:
                services.again({**services.environment, **cluster.environment()})
        services.mend()


def end(services: Services, cluster: Cluster | None, lock: int) -> None:
    """End all; no signal disturbs it."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGTERM, signal.SIG_IGN)
    services.end()
    if cluster is not None:
        stop(cluster)
    os.close(lock)
    sys.stdout.flush()
