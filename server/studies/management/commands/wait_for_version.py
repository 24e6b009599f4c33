"""`manage.py wait_for_version`: until the database is of this version, as a worker needs it."""

import time
from typing import Any

from django.core.management.base import BaseCommand, CommandError
from django.db import DatabaseError, connection
from django.db.migrations.executor import MigrationExecutor

_PATIENCE = 120.0


class Command(BaseCommand):
    help = "Wait until the database answers and all migrations are made; the server makes them."
    requires_system_checks: list[str] = []

    def handle(self, *args: Any, **options: Any) -> None:
        until, reason = time.monotonic() + _PATIENCE, ""
        while time.monotonic() < until:
            try:
                executor = MigrationExecutor(connection)
                if not executor.migration_plan(executor.loader.graph.leaf_nodes()):
                    return
                reason = "its server is of another version, or has not been started yet"
            except DatabaseError as error:
                reason = str(error).strip()
                connection.close()
            time.sleep(1.0)
        raise CommandError(f"The database cannot be used: {reason}.")
