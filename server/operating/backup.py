"""A backup of everything that is kept, and its way back.

All is in the database, so that a backup is one file of PostgreSQL's own; who was signed in is left
out of it.
"""

import os
import subprocess
from pathlib import Path

from django.conf import settings
from django.core.management import call_command
from django.db import connection
from django.db.migrations.loader import MigrationLoader

# who was signed in, and who had to wait, is nobody's work
_LEFT_OUT = ("accounts_session", "django_session", "axes_accessattempt")


class CannotOperate(Exception):
    """Says what is in the way, and what to do."""


def program(name: str) -> str:
    """A program of PostgreSQL. Raises CannotOperate."""
    found = sorted(
        Path("/usr/lib/postgresql").glob(f"*/bin/{name}"), key=lambda p: float(p.parts[-3])
    )
    if not found:
        raise CannotOperate(f"PostgreSQL's {name} is not installed. Run `make install`.")
    return str(found[-1])


def _call(command: list[str]) -> subprocess.CompletedProcess[str]:
    told = connection.get_connection_params()
    environment = {
        **os.environ,
        **{
            f"PG{name}": str(told[key])
            for name, key in (
                ("HOST", "host"),
                ("PORT", "port"),
                ("USER", "user"),
                ("PASSWORD", "password"),
                ("SSLMODE", "sslmode"),
            )
            if told.get(key)
        },
    }
    return subprocess.run(
        command, env=environment, capture_output=True, text=True, stdin=subprocess.DEVNULL
    )


def backup(file: Path) -> int:
    """Write everything to a file, which appears when it is whole and for its owner alone; its
    bytes. Work goes on meanwhile: it is of one moment. Raises CannotOperate."""
    if not file.resolve().parent.is_dir():
        raise CannotOperate(f"There is no folder {file.resolve().parent}.")
    part = file.with_name(file.name + ".part")
    part.unlink(missing_ok=True)
    os.close(os.open(part, os.O_CREAT | os.O_WRONLY | os.O_EXCL, 0o600))
    done = _call(
        [
            program("pg_dump"), "--format=custom", "--no-owner", "--no-privileges",
            # products are compressed already
            "--compress=1",
            *(f"--exclude-table-data={table}" for table in _LEFT_OUT),
            f"--file={part}", str(settings.DATABASES["default"]["NAME"]),
        ]
    )  # fmt: skip
    if done.returncode != 0:
        part.unlink(missing_ok=True)
        raise CannotOperate(f"The backup was not made: {_reason(done)}")
    with part.open("rb") as made:
        os.fsync(made.fileno())
    part.replace(file)
    return file.stat().st_size


def restore(file: Path) -> None:
    """Bring a backup back into a database that holds nothing yet, and bring it up to this version.
    All of it or nothing. Raises CannotOperate."""
    if not file.is_file():
        raise CannotOperate(f"There is no file {file}.")
    _refuse_used()
    done = _call(
        [
            program("pg_restore"), "--clean", "--if-exists", "--no-owner", "--no-privileges",
            "--single-transaction", "--exit-on-error",
            f"--dbname={settings.DATABASES['default']['NAME']}", str(file),
        ]
    )  # fmt: skip
    connection.close()
    if done.returncode != 0:
        raise CannotOperate(f"{file} was not restored, and nothing was changed: {_reason(done)}")
    unknown = _unknown_migrations()
    if unknown:
        _empty()
        raise CannotOperate(
            f"{file} is of a newer version than this one (it has {unknown[0]}). Nothing was "
            "changed. Install that version first."
        )
    call_command("migrate", interactive=False, verbosity=0)


def _refuse_used() -> None:
    tables = set(connection.introspection.table_names())
    with connection.cursor() as cursor:
        for table in ("auth_user", "studies_study", "studies_product"):
            if table in tables:
                cursor.execute(f"SELECT EXISTS (SELECT 1 FROM {table})")
                if cursor.fetchone()[0]:
                    raise CannotOperate(
                        "This database holds accounts or studies already. Restore into an empty "
                        "one: make a new database, and name it in INTAGLIO_DATABASE."
                    )


def _unknown_migrations() -> list[str]:
    loader = MigrationLoader(connection)
    return [
        f"{app}.{name}"
        for app, name in sorted(loader.applied_migrations)
        if app in loader.migrated_apps and (app, name) not in loader.disk_migrations
    ]


def _empty() -> None:
    with connection.cursor() as cursor:
        cursor.execute("DROP SCHEMA public CASCADE")
        cursor.execute("CREATE SCHEMA public")


def _reason(done: subprocess.CompletedProcess[str]) -> str:
    lines = [line for line in done.stderr.splitlines() if line.strip()]
    return lines[0] if lines else f"it ended with {done.returncode}."
