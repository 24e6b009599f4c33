"""Processes of a team's service killed at random while jobs run, and what holds afterwards.

Child, worker, web server, database backend, postmaster: seeded. Afterwards every job must have
ended in words, every product must check, every study open, and nothing be lost that a reply
confirmed.

    python -m bench.kills [--count 500] [--seed 1]
"""

import argparse
import subprocess
import time
from pathlib import Path

from tests.killing import Service, faults_after, kill_and_work


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--count", type=int, default=500)
    parser.add_argument("--seed", type=int, default=1)
    asked = parser.parse_args()
    folder = Path(f"/var/tmp/intaglio-kills-{asked.seed}")
    begun = time.monotonic()
    service = Service(folder)
    try:
        service.until_well()
        service.join()
        known, kills = kill_and_work(service, asked.count, asked.seed)
        wrong = faults_after(service, known)
    finally:
        service.end()
        subprocess.run(["rm", "-rf", str(folder)], check=False)
    print(", ".join(f"{kind} {n}" for kind, n in kills.items()), "killed")
    print(f"{len(known.jobs)} jobs and {len(known.versions)} variants confirmed")
    print(f"{time.monotonic() - begun:,.0f} s; faults: {len(wrong)}")
    for line in wrong:
        print("✕", line)
    return 1 if wrong else 0


if __name__ == "__main__":
    raise SystemExit(main())
