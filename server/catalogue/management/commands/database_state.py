"""Say, as JSON, which migrations the database has, lacks, and has that this version does not know."""

import json

from django.core.management.base import BaseCommand
from django.db import connection
from django.db.migrations.executor import MigrationExecutor


class Command(BaseCommand):
    help = "Say which migrations are applied, behind (still to be applied) and unknown (of a newer version)."
    requires_system_checks = ()

    def handle(self, *args, **options):
        executor = MigrationExecutor(connection)
        loader = executor.loader
        names = {app for app, _ in loader.disk_migrations}
        unknown = sorted(
            f"{app} {name}"
            for app, name in loader.applied_migrations
            if app in names
            and (app, name) not in loader.disk_migrations
            and (app, name) not in loader.graph.nodes
        )
        plan = executor.migration_plan(loader.graph.leaf_nodes())
        self.stdout.write(
            json.dumps(
                {
                    "applied": len(loader.applied_migrations),
                    "unknown": unknown,
                    "behind": [f"{m.app_label} {m.name}" for m, _ in plan],
                }
            )
        )
