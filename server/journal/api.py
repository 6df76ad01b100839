"""The journal, undo and redo, and the pulse by which a page learns of others' changes."""

from __future__ import annotations

from django.db.models import Max
from django.http import HttpRequest
from ninja import Router, Schema

from server.journal import actions
from server.journal.models import Entry
from server.journal.schemas import EntryOut, entry_out
from server.levels.access import level_for
from server.stands.api import ChangedOut, changed_keys
from server.stands.keeping import dependants

router = Router(tags=["journal"])


class MovedOut(ChangedOut):
    """An action taken back or done again, with the plants that came and went."""

    gained: int
    lost: int


class PulseOut(Schema):
    """Changes whenever anything in the level does; and what the user could undo and redo."""

    pulse: str
    undo: str | None
    redo: str | None


@router.get("/levels/{slug}/pulse", response=PulseOut)
def pulse(request: HttpRequest, slug: str):
    """Cheap enough to ask every second."""
    level = level_for(request, slug)
    head = Entry.objects.filter(level=level).aggregate(Max("id"), Max("touched"))
    done, undone = actions.last_done(request.user, level), actions.last_undone(request.user, level)
    return {"pulse": f"{level.ground_revision}-{head['id__max']}-{head['touched__max']}",
            "undo": done.what if done else None, "redo": undone.what if undone else None}


@router.get("/levels/{slug}/journal", response=list[EntryOut])
def journal(request: HttpRequest, slug: str):
    """The last hundred actions in the level, newest first."""
    entries = Entry.objects.filter(level=level_for(request, slug)).select_related("user").defer("delta")[:100]
    return [entry_out(entry) for entry in entries]


def _moved(moved: actions.Moved) -> dict:
    entry, stand = moved.entry, moved.entry.stand
    keys, stale = {}, []
    if moved.box:
        keys, stale = changed_keys(stand, moved.box), dependants(stand)
    elif entry.kind == Entry.Kind.SETTINGS:
        stale = [stand.pk, *dependants(stand)]
    elif entry.kind != Entry.Kind.MARKS:
        stale = list(entry.level.stands.values_list("pk", flat=True))
    return {"entry": entry_out(entry), "stand": entry.stand_id, "keys": keys, "stale": stale, "gained": moved.gained,
            "lost": moved.lost}


@router.post("/levels/{slug}/undo", response=MovedOut)
def undo(request: HttpRequest, slug: str):
    """Take back one's own last action."""
    return _moved(actions.undo(request.user, level_for(request, slug, to="plant")))


@router.post("/levels/{slug}/redo", response=MovedOut)
def redo(request: HttpRequest, slug: str):
    """Do again what one took back last."""
    return _moved(actions.redo(request.user, level_for(request, slug, to="plant")))
