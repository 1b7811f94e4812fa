"""Makes the database ready to be served: checks that it is whole, copies it before it is migrated, migrates it."""

from __future__ import annotations

from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError
from django.db import connection
from django.db.migrations.executor import MigrationExecutor

from neat_verdict.app import integrity
from neat_verdict.core.text.format import plural


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        there = integrity.database().exists()
        if there and (found := integrity.look()):
            raise CommandError(
                f"{integrity.database()} is damaged ({found}). Nothing was changed. Put the latest whole copy of "
                f"{integrity.database().parent / 'backups'}, or one of your own, in its place, as docs/operations.md says, and "
                "start again; what came since that copy can be sent again, each event counts once"
            )
        executor = MigrationExecutor(connection)
        plan = executor.migration_plan(executor.loader.graph.leaf_nodes())
        if there and plan and executor.loader.applied_migrations:
            first = plan[0][0]
            made = integrity.back_up(f"before-{first.app_label}-{first.name}")
            self.stdout.write(f"Copied the database to {made} before {plural(len(plan), 'migration')}")
        call_command("migrate", verbosity=0)
        integrity.database().chmod(0o600)
