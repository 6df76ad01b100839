"""Whether the server lives, and whether it can do its work. Answered without an account."""

from __future__ import annotations

import shutil

from django.conf import settings
from django.db import Error, connection
from django.db.migrations.executor import MigrationExecutor
from django.http import HttpRequest, HttpResponse, JsonResponse

from server.jobs.running import worker_lives

LEAST_ROOM = 200 << 20
"""Bytes that must be free on the disk."""
_migrated = False


def health(request: HttpRequest) -> HttpResponse:
    """This process answers."""
    return JsonResponse({"alive": True})


def ready(request: HttpRequest) -> HttpResponse:
    """The database answers, its migrations are applied, a worker lives, and there is room on the disk."""
    checks = {"database": False, "migrations": False, "worker": False, "disk": _has_room()}
    try:
        connection.ensure_connection()
        with connection.cursor() as cursor:
            cursor.execute("SELECT 1")
        checks |= {"database": True, "migrations": _are_applied()}
        checks["worker"] = checks["migrations"] and worker_lives()
    except Error:
        connection.close()
    well = all(checks.values())
    return JsonResponse(
        {"ready": well, **checks}, status=200 if well else 503, headers={} if well else {"Retry-After": "2"}
    )


def _has_room() -> bool:
    """Whether what is written next will fit on the disk of the state folder."""
    return shutil.disk_usage(settings.VAR_DIR).free > LEAST_ROOM


def _are_applied() -> bool:
    global _migrated
    if not _migrated:
        executor = MigrationExecutor(connection)
        _migrated = not executor.migration_plan(executor.loader.graph.leaf_nodes())
    return _migrated
