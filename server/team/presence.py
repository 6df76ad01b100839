"""Who is in a level, and where. It is reported every second or two."""

from __future__ import annotations

from datetime import timedelta

from django.contrib.auth.models import User
from django.db.models import F
from django.db.models.functions import Now

from server.accounts.models import Profile
from server.levels.models import Level, Presence

AWAY = timedelta(seconds=6)
"""Who says nothing for so long is taken to have left."""


def report(level: Level, user: User, x: float, z: float, heading: float, bench: str) -> None:
    """Note where somebody is in a level."""
    Presence.objects.bulk_create(
        [Presence(level=level, user=user, x=x, z=z, heading=heading, bench=bench, at=Now())],
        update_conflicts=True,
        update_fields=["x", "z", "heading", "bench", "at"],
    )


def others(level: Level, user: User) -> list[Presence]:
    """Who else is in a level, by name, each with the `mark` that shows them on the plan."""
    here = level.present.filter(at__gt=Now() - AWAY).exclude(user=user)
    rows = here.select_related("user").annotate(chosen=F("user__profile__mark")).order_by("user__username")
    for row in rows:
        row.mark = row.chosen or Profile.Mark.DIAMOND
    return list(rows)


def leave(level: Level, user: User) -> None:
    """Note that somebody has left a level."""
    level.present.filter(user=user).delete()
