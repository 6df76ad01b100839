"""Journal entries as the API speaks of them."""

from __future__ import annotations

from datetime import datetime

from django.contrib.auth.models import User
from django.utils import timezone
from ninja import Schema
from pydantic import Field

from server.journal.models import Entry


class WorstView(Schema):
    """The dearest view of the last survey that an action reaches, in m and degrees, and the ms that it adds
    there."""

    x: float
    y: float
    z: float
    heading: float
    ms: float


class EntryOut(Schema):
    """One action: who, when, what, plants gained and lost, and the cost difference in the view it was done
    from; and in the dearest view that it reaches, where the level has been surveyed."""

    id: int
    who: str
    at: datetime
    what: str
    kind: str
    stands: list[int] = Field(description="numbers of the stands that it is about")
    plot: str
    gained: int
    lost: int
    cost: dict[str, float]
    worst: WorstView | None
    undone: bool


def entry_out(entry: Entry, user: User | None = None) -> dict:
    """An entry for the API."""
    who = user.get_username() if user and user.pk == entry.user_id else entry.user.get_username()
    return {
        "id": entry.pk or 0,
        "who": who,
        "at": entry.at or timezone.now(),
        "what": entry.what,
        "kind": entry.kind,
        "stands": entry.stands,
        "plot": entry.plot,
        "gained": entry.gained,
        "lost": entry.lost,
        "cost": entry.cost,
        "worst": entry.worst or None,
        "undone": entry.undone,
    }
