"""The audit trail for leads, in pages."""

from __future__ import annotations

from datetime import datetime

from django.db.models import Q
from django.http import HttpRequest
from ninja import Router, Schema

from server.audit.models import Record
from server.errors import NotAllowed
from server.levels.models import Membership
from thicket.document.settings import Id

router = Router(tags=["audit"])
PAGE = 100


class RecordOut(Schema):
    """One event: when, who, from which address, in which level, and what."""

    id: int
    at: datetime
    kind: str
    person: str
    address: str
    level: str | None
    what: str


@router.get("/audit", response=list[RecordOut])
def trail(request: HttpRequest, before: Id | None = None):
    """A hundred events, newest first, from before one of them: of the levels that one leads, and the sign-ins
    of their members."""
    led = list(request.user.memberships.filter(role=Membership.Role.LEAD).values_list("level_id", flat=True))
    if not led:
        raise NotAllowed("Only leads may read who signed in, exported and restored.")
    people = Membership.objects.filter(level__in=led).values("user__username")
    rows = Record.objects.filter(
        Q(level__in=led) | Q(level=None, person__in=people) | Q(kind=Record.Kind.RESTORE, level=None)
    )
    if before is not None:
        rows = rows.filter(pk__lt=before)
    return [
        {
            "id": row.pk,
            "at": row.at,
            "kind": row.kind,
            "person": row.person,
            "address": row.address,
            "what": row.what,
            "level": row.level.name if row.level else None,
        }
        for row in rows.select_related("level")[:PAGE]
    ]
