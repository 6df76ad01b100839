"""Writing the audit trail."""

from __future__ import annotations

from datetime import timedelta

from django.db.models.signals import post_delete, post_save
from django.http import HttpRequest
from django.utils import timezone

from server.audit.models import Record
from server.levels.models import Level, Membership

KEEP_FOR = timedelta(days=400)


def record(
    kind: str, request: HttpRequest | None, what: str = "", level: Level | None = None, person: str = ""
) -> None:
    """Note one event; the person is who is signed in unless named."""
    who = person or (request.user.get_username() if request else "")
    address = request.META.get("REMOTE_ADDR", "") if request else ""
    Record.objects.filter(at__lt=timezone.now() - KEEP_FOR).delete()
    Record.objects.create(kind=kind, person=who[:150], address=address[:45], level=level, what=what[:200])


def watch_roles() -> None:
    """Have every change of who may do what in a level noted, wherever it is made."""

    def given(sender, instance: Membership, **more) -> None:
        record(
            "role",
            None,
            f"is {instance.role} now",
            instance.level,
            instance.user.get_username(),
        )

    def taken(sender, instance: Membership, origin: object = None, **more) -> None:
        if getattr(origin, "model", type(origin)) is Membership:  # and not that all of the level is removed
            record("role", None, "is no longer a member", instance.level, instance.user.get_username())

    post_save.connect(given, Membership, weak=False, dispatch_uid="audit-given")
    post_delete.connect(taken, Membership, weak=False, dispatch_uid="audit-taken")
