"""The journal, undo and redo, and the pulse by which a page learns of others' changes."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from django.contrib.auth.models import User
from django.db.models import Count, Max, Q
from django.http import HttpRequest
from ninja import Query, Router, Schema
from pydantic import Field

from server.cache import CACHE
from server.journal import undoing
from server.journal.models import Entry
from server.journal.schemas import EntryOut, entry_out
from server.levels.access import level_for
from server.levels.models import Level
from server.levels.presence import leave, others, tell
from server.stands.actions import dependants
from server.stands.api import ChangedOut, changed_keys
from thicket.document.settings import Id, Number, Strict

router = Router(tags=["journal"])
PAGE = 100
MOVES_NO_PLANT = {
    "marks",
    "views",
    "wind",
    "atmosphere",
    "drawing",
    "tiers",
    "walks",
    "plots",
    "looks",
    "rename",
}
"""The kinds of entries after whose undoing every plant stands where it stood."""


class MovedOut(ChangedOut):
    """An action taken back or done again, with the plants that came and went."""

    gained: int
    lost: int


class PulseOut(Schema):
    """Changes whenever anything in the level does; and what the user could undo and redo."""

    pulse: str
    undo: str | None
    redo: str | None


class HereIn(Strict):
    """Where one's eye is, and at which bench."""

    x: Number
    z: Number
    heading: Number
    bench: Annotated[str, Field(max_length=20)] = ""
    leaving: bool = False


class PersonOut(Schema):
    """Somebody else in the level, and where their eye is: x, z in m, heading a bearing in degrees."""

    name: str = Field(alias="user.username")
    mark: str
    x: float
    z: float
    heading: float
    bench: str


class BeatOut(PulseOut):
    """The pulse, and who else is in the level."""

    others: list[PersonOut]


@router.get("/levels/{slug}/pulse", response=PulseOut)
def pulse(request: HttpRequest, slug: str):
    """Cheap enough to ask every second."""
    return _pulse(request, level_for(request, slug))


@router.post("/levels/{slug}/beat", response=BeatOut)
def beat(request: HttpRequest, slug: str, data: HereIn):
    """The pulse, while one tells where one is and hears where others are."""
    level = level_for(request, slug)
    if data.leaving:
        leave(level, request.user)
    else:
        tell(level, request.user, data.x, data.z, data.heading, data.bench)
    return _pulse(request, level) | {"others": others(level, request.user)}


def _pulse(request: HttpRequest, level: Level) -> dict:
    told = Entry.objects.filter(level=level).aggregate(
        Max("id"), Max("touched"), Count("id"), undone=Count("id", filter=Q(undone=True))
    )
    # An action may be stored after a later one: its number and time say nothing new then, but there is one
    # more.
    pulse = "-".join(map(str, (level.ground_revision, *told.values())))
    undo, redo = CACHE.get(
        ("undo", level.pk, request.user.pk, pulse), lambda: _undo_and_redo(request.user, level)
    )
    return {"pulse": pulse, "undo": undo, "redo": redo}


def _undo_and_redo(user: User, level: Level) -> tuple[str | None, str | None]:
    """What a person could take back, and do again."""
    done, undone = undoing.last_done(user, level), undoing.last_undone(user, level)
    return done.what if done else None, undone.what if undone else None


@router.get("/levels/{slug}/journal", response=list[EntryOut])
def journal(
    request: HttpRequest,
    slug: str,
    before: Id | None = None,
    who: Annotated[str, Query(max_length=150)] = "",
    stand: Id | None = None,
    kind: Entry.Kind | None = None,
    since: datetime | None = None,
):
    """A hundred actions in the level, newest first: the last, or those before one of them; of a person, on a
    stand, of a kind, since a time."""
    level = level_for(request, slug)
    entries = Entry.objects.filter(level=level).select_related("user").defer("delta")
    if before is not None:
        entries = entries.filter(pk__lt=before)
    if who:
        entries = entries.filter(user__username=who)
    if stand is not None:
        number = level.stands.filter(pk=stand).values_list("number", flat=True).first()
        entries = entries.filter(
            Q(stand=stand)
            | Q(change__stands__has_key=str(stand))
            | Q(change__after__has_key=str(stand))
            | Q(kind=Entry.Kind.SETTINGS, change__edit__put__has_key=str(number))
        )
    if kind:
        entries = entries.filter(kind=kind)
    if since:
        entries = entries.filter(at__gte=since)
    return [entry_out(entry) for entry in entries[:PAGE]]


def _moved(moved: undoing.Moved) -> dict:
    entry, stand = moved.entry, moved.entry.stand
    keys, stale = {}, []
    if moved.box:
        keys, stale = changed_keys(stand, moved.box), dependants(stand)
    elif entry.kind == Entry.Kind.SETTINGS and stand:
        stale = [stand.pk, *dependants(stand)]
    elif entry.kind not in MOVES_NO_PLANT:
        stale = list(entry.level.stands.values_list("pk", flat=True))
    return {
        "entry": entry_out(entry),
        "stand": entry.stand_id,
        "keys": keys,
        "stale": stale,
        "gained": moved.gained,
        "lost": moved.lost,
    }


@router.post("/levels/{slug}/undo", response=MovedOut)
def undo(request: HttpRequest, slug: str):
    """Take back one's own last action."""
    return _moved(undoing.undo(request.user, level_for(request, slug, to="plant")))


@router.post("/levels/{slug}/redo", response=MovedOut)
def redo(request: HttpRequest, slug: str):
    """Do again what one took back last."""
    return _moved(undoing.redo(request.user, level_for(request, slug, to="plant")))


@router.post("/levels/{slug}/journal/{int:entry}/undo", response=MovedOut)
def undo_entry(request: HttpRequest, slug: str, entry: int):
    """Take back any action of the journal, also another's, when nothing later depends on it."""
    return _moved(undoing.undo_entry(request.user, level_for(request, slug, to="plant"), entry))


@router.post("/levels/{slug}/journal/{int:entry}/redo", response=MovedOut)
def redo_entry(request: HttpRequest, slug: str, entry: int):
    """Do again any action that was taken back."""
    return _moved(undoing.redo_entry(request.user, level_for(request, slug, to="plant"), entry))
