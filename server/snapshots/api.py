"""Snapshots of a level's planting."""

from __future__ import annotations

from datetime import datetime

from django.http import HttpRequest, HttpResponse
from ninja import Router, Schema
from ninja.errors import HttpError
from pydantic import UUID4

from server.levels.access import level_for
from server.levels.models import Level
from server.requests import KeyIn
from server.sight.costing import seen
from server.sight.schemas import ViewIn
from server.snapshots import actions
from server.snapshots.models import Snapshot
from server.stands.payload import encode_marks
from server.steps import ChangedOut, changed_out
from thicket.document.settings import Name, Strict

router = Router(tags=["snapshots"])


class SnapshotIn(KeyIn):
    name: Name


class SnapshotOut(Schema):
    """A saved state of the planting, with the plants and tufts it had when it was taken."""

    id: int
    name: str
    by: str
    at: datetime
    count: int


class CompareIn(Strict):
    """Two states, each a snapshot's id, or 0 for the planting as it is now."""

    before: int
    after: int = 0
    view: ViewIn | None = None


class StandChange(Schema):
    """How one stand differs between two states."""

    stand: int
    name: str
    before: int
    after: int
    gained: int
    lost: int


class ComparedOut(Schema):
    """How two states differ, stand by stand, and the cost difference in the view."""

    stands: list[StandChange]
    cost: dict[str, float]


def _shot(level: Level, pk: int) -> Snapshot | None:
    if pk == 0:
        return None
    found = level.snapshots.filter(pk=pk).first()
    if found is None:
        raise HttpError(404, f"snapshot: {level.name} has no snapshot {pk}; somebody may have removed it.")
    return found


def _snapshot(level: Level, pk: int) -> Snapshot:
    shot = _shot(level, pk)
    if shot is None:
        raise HttpError(422, "snapshot: choose a snapshot.")
    return shot


def _out(shot: Snapshot) -> dict:
    return {
        "id": shot.pk,
        "name": shot.name,
        "by": shot.by.get_username(),
        "at": shot.at,
        "count": shot.count,
    }


@router.get("/levels/{slug}/snapshots", response=list[SnapshotOut])
def snapshots(request: HttpRequest, slug: str):
    """All snapshots, newest first."""
    return [_out(s) for s in level_for(request, slug).snapshots.select_related("by")]


@router.post("/levels/{slug}/snapshots", response=ChangedOut)
def take(request: HttpRequest, slug: str, data: SnapshotIn):
    """Save the planting as it is now."""
    level = level_for(request, slug, to="plant")
    name = data.name.strip() or data.name
    return changed_out(request, level, actions.take(request.user, level, data.key, name))


@router.delete("/levels/{slug}/snapshots/{int:snapshot}", response=ChangedOut)
def remove(request: HttpRequest, slug: str, snapshot: int, key: UUID4):
    """Remove a snapshot; the planting is left as it is."""
    level = level_for(request, slug, to="plant")
    return changed_out(request, level, actions.remove(request.user, level, key, _snapshot(level, snapshot)))


@router.post("/levels/{slug}/snapshots/compare", response=ComparedOut)
def compare(request: HttpRequest, slug: str, data: CompareIn):
    """How two states differ."""
    level = level_for(request, slug)
    view = seen(level, data.view) if data.view else None
    return actions.compared(level, _shot(level, data.before), _shot(level, data.after), view)


@router.post("/levels/{slug}/snapshots/difference")
def difference(request: HttpRequest, slug: str, data: CompareIn):
    """Where two states differ, as `server.stands.payload.encode_marks` lays it out."""
    level = level_for(request, slug)
    marks = encode_marks(*actions.differences(level, _shot(level, data.before), _shot(level, data.after)))
    return HttpResponse(marks, content_type="application/octet-stream")


@router.post("/levels/{slug}/snapshots/{int:snapshot}/go-back", response=ChangedOut)
def go_back(request: HttpRequest, slug: str, snapshot: int, data: KeyIn):
    """Make a snapshot the level's planting again."""
    level = level_for(request, slug, to="plant")
    done = actions.go_back(request.user, level, data.key, _snapshot(level, snapshot))
    return changed_out(request, level, done, data.view)
