"""Who is a member of a level, and in which role."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import transaction
from ninja.errors import HttpError

from server.levels.models import Level, Membership
from thicket.refused import Refused


def member(level: Level, name: str) -> Membership:
    """A member of a level by name.

    Raises: HttpError 404 when there is none of that name.
    """
    row = level.memberships.select_related("user").filter(user__username=name).first()
    if row is None:
        raise HttpError(404, f"{name[:60]} is not a member of {level.name}.")
    return row


def _check_another_lead(level: Level, row: Membership) -> None:
    """Raises: Refused when a member is the level's only lead. The level's leads are locked until the
    transaction ends."""
    leads = level.memberships.select_for_update().filter(role=Membership.Role.LEAD)
    if {lead.pk for lead in leads} == {row.pk}:
        raise Refused(
            f"{row.user.get_username()} is the only lead of {level.name}: make somebody else a lead first."
        )


@transaction.atomic
def give_role(level: Level, name: str, role: str) -> None:
    """Give a member another role.

    Raises: HttpError 404, Refused for the only lead.
    """
    row = member(level, name)
    if row.role == role:
        return
    _check_another_lead(level, row)
    row.role = role
    row.save(update_fields=["role"])


@transaction.atomic
def remove(level: Level, name: str) -> None:
    """Take a member out of a level; what they did stays.

    Raises: HttpError 404, Refused for the only lead.
    """
    row = member(level, name)
    _check_another_lead(level, row)
    level.present.filter(user=row.user).delete()
    row.delete()


@transaction.atomic
def rename(user: User, name: str) -> None:
    """Give a person another name, under which they sign in from then on; their plots follow.

    Raises: Refused when somebody else has it.
    """
    if User.objects.filter(username__iexact=name).exclude(pk=user.pk).exists():
        raise Refused("name: somebody else has that name")
    for level in Level.objects.select_for_update().filter(memberships__user=user):
        owned = [p for p in level.plots.get("plots", {}).values() if p["owner"] == user.username]
        for plot in owned:
            plot["owner"] = name
        if owned:
            level.save(update_fields=["plots"])
    user.username = name
    user.save(update_fields=["username"])
