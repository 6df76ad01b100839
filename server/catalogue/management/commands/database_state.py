"""Print, as JSON, which migrations the database has, lacks, and has that this version does not know."""

import json

from django.core.management.base import BaseCommand
from django.db import connection
from django.db.migrations.executor import MigrationExecutor


class Command(BaseCommand):
    help = (
        "Print which migrations are applied, behind (still to be applied), unknown (of a newer version), and "
        "too_old: apps whose tables are older than the first version that this one can carry over."
    )
    requires_system_checks = ()

    def handle(self, *args, **options):
        executor = MigrationExecutor(connection)
        loader = executor.loader
        applied = executor.recorder.applied_migrations()
        replaced = {name: set(migration.replaces) for name, migration in loader.replacements.items()}
        known = loader.disk_migrations.keys() | set().union(*replaced.values())
        apps = {app for app, _ in known}
        plan = executor.migration_plan(loader.graph.leaf_nodes())
        self.stdout.write(
            json.dumps(
                {
                    "applied": len(applied),
                    "unknown": sorted(
                        f"{app} {name}" for app, name in applied if app in apps and (app, name) not in known
                    ),
                    "behind": [f"{m.app_label} {m.name}" for m, _ in plan],
                    "too_old": sorted(
                        app
                        for (app, name), old in replaced.items()
                        if (app, name) not in applied and old & applied.keys() and old - applied.keys()
                    ),
                }
            )
        )
