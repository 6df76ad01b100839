"""The journal, undo and redo, and the pulse by which a page learns of others' changes."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from django.contrib.auth.models import User
from django.http import HttpRequest
from ninja import Query, Router, Schema
from pydantic import Field

from server.cache import CACHE
from server.document.planted import numbers_of
from server.journal import undoing
from server.journal.models import Entry
from server.journal.schemas import EntryOut, entry_out
from server.levels.access import level_for
from server.levels.models import Level
from server.steps import ChangedOut, Since, changed_out, since_version
from server.team.presence import leave, others, report
from thicket.document.settings import Id, Number, Strict

router = Router(tags=["journal"])
PAGE = 100
Topic = Literal[
    "painting",
    "settings",
    "plants",
    "stands",
    "shapes",
    "ground",
    "stock",
    "snapshots",
    "views",
    "air",
    "budget",
    "name",
]
TOPICS: dict[Topic, tuple[str, ...]] = {
    "painting": ("paint",),
    "settings": ("settings",),
    "plants": ("pins", "uprooted"),
    "stands": ("add stand", "remove stand", "order stands", "stand"),
    "shapes": ("shapes", "surfaces"),
    "ground": (
        "heights",
        "raise",
        "layers",
        "paint layers",
        "layer name",
        "looks",
        "masks",
        "mask name",
        "touch cell",
    ),
    "stock": ("take item", "leave item", "version item", "hold item"),
    "snapshots": ("take snapshot", "remove snapshot", "go back", "planting"),
    "views": ("views", "walks"),
    "air": ("atmosphere", "wind"),
    "budget": ("marks", "tiers", "drawing", "plots"),
    "name": ("rename", "recipes"),
}
"""The kinds of edits by which one looks for an action."""
Version = Annotated[int, Field(ge=0, lt=2**63, description="a version of the level; 0 for none")]


class PulseOut(Schema):
    """What is other in the level since the version that was named; and what the user could undo and redo."""

    undo: str | None
    redo: str | None
    since: Since


class HereIn(Strict):
    """Where one's eye is, and at which bench."""

    x: Number
    z: Number
    heading: Number
    bench: Annotated[str, Field(max_length=20)] = ""
    leaving: bool = False
    version: Version = 0
    counted: list[Id] = Field(default=[], max_length=300, description="stands whose plants are wanted")


class PersonOut(Schema):
    """Somebody else in the level, and where their eye is: x, z in m, heading a bearing in degrees."""

    name: str
    mark: str
    x: float
    z: float
    heading: float
    bench: str


class BeatOut(PulseOut):
    """The pulse, and who else is in the level."""

    others: list[PersonOut]


@router.get("/levels/{slug}/pulse", response=PulseOut)
def pulse(request: HttpRequest, slug: str, version: Version = 0):
    """What is other since a version."""
    return _pulse(request, level_for(request, slug), version)


@router.post("/levels/{slug}/beat", response=BeatOut)
def beat(request: HttpRequest, slug: str, data: HereIn):
    """The same, while one reports where one is and reads where others are."""
    level = level_for(request, slug)
    if data.leaving:
        leave(level, request.user)
    else:
        report(level, request.user, data.x, data.z, data.heading, data.bench)
    heard = _pulse(request, level, data.version, (data.x, data.z), data.counted)
    return heard | {"others": others(level, request.user)}


def _pulse(
    request: HttpRequest,
    level: Level,
    version: int,
    place: tuple[float, float] | None = None,
    counted: list[int] | None = None,
) -> dict:
    undo, redo = CACHE.get(
        ("undo", level.pk, request.user.pk, level.version), lambda: _undo_and_redo(request.user, level)
    )
    since = since_version(level, version, place, counted or ()) if version else {"version": level.version}
    return {"undo": undo, "redo": redo, "since": since}


def _undo_and_redo(user: User, level: Level) -> tuple[str | None, str | None]:
    """What a person could take back, and do again."""
    done, undone = (found(user, level, only=("what",)) for found in (undoing.last_done, undoing.last_undone))
    return done.what if done else None, undone.what if undone else None


@router.get("/levels/{slug}/journal", response=list[EntryOut])
def journal(
    request: HttpRequest,
    slug: str,
    before: Id | None = None,
    who: Annotated[str, Query(max_length=150)] = "",
    stand: Id | None = None,
    topic: Topic | None = None,
    since: datetime | None = None,
):
    """A hundred actions in the level, newest first: the last, or those before one of them; of a person, on a
    stand, of a topic, since a time."""
    level = level_for(request, slug)
    entries = Entry.objects.filter(level=level).select_related("user")
    if before is not None:
        entries = entries.filter(pk__lt=before)
    if who:
        entries = entries.filter(user__username=who)
    if stand is not None:
        number = numbers_of(level).get(stand)
        entries = entries.filter(stands__contains=number)
    if topic:
        entries = entries.filter(kind__in=TOPICS[topic])
    if since:
        entries = entries.filter(at__gte=since)
    return [entry_out(entry) for entry in entries[:PAGE]]


@router.post("/levels/{slug}/undo", response=ChangedOut)
def undo(request: HttpRequest, slug: str):
    """Take back one's own last action."""
    level = level_for(request, slug, to="plant")
    return changed_out(request, level, undoing.undo(request.user, level))


@router.post("/levels/{slug}/redo", response=ChangedOut)
def redo(request: HttpRequest, slug: str):
    """Do again what one took back last."""
    level = level_for(request, slug, to="plant")
    return changed_out(request, level, undoing.redo(request.user, level))


@router.post("/levels/{slug}/journal/{int:entry}/undo", response=ChangedOut)
def undo_entry(request: HttpRequest, slug: str, entry: int):
    """Take back any action of the journal, also another's, when nothing later depends on it."""
    level = level_for(request, slug, to="plant")
    return changed_out(request, level, undoing.move_entry(request.user, level, entry, back=True))


@router.post("/levels/{slug}/journal/{int:entry}/redo", response=ChangedOut)
def redo_entry(request: HttpRequest, slug: str, entry: int):
    """Do again any action that was taken back."""
    level = level_for(request, slug, to="plant")
    return changed_out(request, level, undoing.move_entry(request.user, level, entry, back=False))
