"""What is kept under a name for all levels of the team: sets of conditions, sets of stands, mixes."""

from __future__ import annotations

from typing import Any, TypeVar

from django.db import transaction
from django.http import HttpRequest
from ninja import Schema

from server.levels.access import check_may_change, may_change
from server.stands.models import Saved
from thicket.refused import Missing

T = TypeVar("T", bound=Saved)


class SavedOut(Schema):
    """Its name, whose it is, and whether who asks may replace or remove it."""

    id: int
    name: str
    by: str
    may_change: bool


def saved_out(request: HttpRequest, row: Saved) -> dict[str, Any]:
    """See `SavedOut`."""
    return {
        "id": row.pk,
        "name": row.name,
        "by": row.by.get_username(),
        "may_change": may_change(request.user, row.by_id),
    }


def saved_of(model: type[T], pk: int) -> T:
    """One of a kind.

    Raises: Missing.
    """
    row = model._default_manager.filter(pk=pk).first()
    if row is None:
        raise Missing(f"{model.called}: there is no {model.called} {pk}; somebody may have removed it")
    return row


def keep(request: HttpRequest, model: type[T], name: str, **fields: Any) -> T:
    """Keep something under a name; one of its kind of the same name is replaced.

    Raises: NotAllowed when that is another's; see `server.levels.access.may_change`.
    """
    with transaction.atomic():
        row = model._default_manager.select_for_update().filter(name=name).first()
        if row:
            check_may_change(request.user, row.name, row.by)
        row = row or model(name=name, by=request.user)
        for field, value in fields.items():
            setattr(row, field, value)
        row.save()
    return row


def remove(request: HttpRequest, model: type[Saved], pk: int) -> None:
    """Remove one of a kind; what was made by it stays.

    Raises: Missing; NotAllowed when it is another's.
    """
    row = saved_of(model, pk)
    check_may_change(request.user, row.name, row.by)
    row.delete()
