"""`intaglio-server`: what whoever runs the service needs. See docs/operating.md."""

import argparse
import os
import sys
from collections.abc import Sequence
from pathlib import Path

import django
from django.core.exceptions import ImproperlyConfigured
from django.db import DatabaseError


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="intaglio-server", description="Run the service, look after it, bring it back."
    )
    commands = parser.add_subparsers(dest="command", required=True, metavar="COMMAND")
    serve = commands.add_parser("serve", help="web server and workers, for a team")
    serve.add_argument("--address", default="127.0.0.1", help="where the proxy finds it")
    serve.add_argument("--port", type=int, default=8460)
    serve.add_argument("--workers", type=int, default=1, help="jobs at once; 0: none here")
    worker = commands.add_parser("worker", help="workers alone, on another machine")
    worker.add_argument("--workers", type=int, default=1, help="jobs at once")
    keeper = commands.add_parser(
        "keeper", help="a link for the first account, which invites others"
    )
    keeper.add_argument("--site", default="", help="https://… as browsers see it")
    for name, words in (
        ("backup", "write everything to a file"),
        ("restore", "bring a backup back into an empty database"),
    ):
        commands.add_parser(name, help=words).add_argument("file", type=Path)
    commands.add_parser("migrate", help="bring the database up to this version")
    commands.add_parser("check", help="read everything that is kept")
    commands.add_parser("audit", help="ask an index for known faults of what is installed")
    return parser


def main(words: Sequence[str] | None = None) -> int:
    asked = _parser().parse_args(words)
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "intaglio_server.settings")
    from operating.backup import CannotOperate
    from start.cluster import CannotStart

    try:
        return _run(asked)
    except (CannotOperate, CannotStart, ImproperlyConfigured) as error:
        print(str(error), file=sys.stderr)
    except DatabaseError as error:
        print(f"The database cannot be used: {str(error).strip()}", file=sys.stderr)
    return 1


def _run(asked: argparse.Namespace) -> int:
    if asked.command == "serve":
        from start.team import serve_team

        return serve_team(asked.address, asked.port, asked.workers)
    if asked.command == "worker":
        from start.team import work

        return work(asked.workers)
    if asked.command == "audit":
        from operating.auditing import audit

        return audit()
    django.setup()
    if asked.command == "backup":
        from operating.backup import backup

        size = backup(asked.file)
        print(f"{asked.file}: {size / 1e6:,.1f} MB.")
    elif asked.command == "restore":
        from operating.backup import restore

        restore(asked.file)
        return _check()
    elif asked.command == "check":
        return _check()
    elif asked.command == "migrate":
        from django.core.management import call_command

        call_command("migrate", interactive=False, verbosity=0)
        print("The database is of this version.")
    elif asked.command == "keeper":
        from accounts.joining import invite

        _, secret = invite(None, keeper=True, note="keeper")
        print(f"Open this once, within a week:\n{asked.site.rstrip('/')}/join/{secret}")
    return 0


def _check() -> int:
    from operating.checking import check

    done = check(lambda words: print(f"\r{words}", end="", file=sys.stderr, flush=True))
    print("\r", end="", file=sys.stderr)
    for line in done.wrong:
        print(f"✕ {line}")
    state = f"{len(done.wrong)} faults" if done.wrong else "all well"
    print(f"{done.studies} studies, {done.products} products: {state}.")
    return 1 if done.wrong else 0


if __name__ == "__main__":
    sys.exit(main())
