"""Who may begin a level in this installation."""

from __future__ import annotations

from django.contrib.auth.models import User

from server.errors import NotAllowed
from server.levels.models import Membership
from server.team.models import Installation


def may_make_level(user: User) -> bool:
    """Whether a person may begin a level of their own, as the installation's settings say."""
    makers = Installation.now().makers
    if user.is_superuser or makers == Installation.Makers.ANYONE:
        return True
    roles = {Membership.Role.LEAD}
    if makers == Installation.Makers.ARTISTS:
        roles.add(Membership.Role.ARTIST)
    return user.memberships.filter(role__in=roles).exists()


def check_may_make_level(user: User) -> None:
    """Refuse who may not begin a level.

    Raises: NotAllowed.
    """
    if not may_make_level(user):
        who = {"leads": "leads", "artists": "artists and leads"}[Installation.now().makers]
        raise NotAllowed(f"Only {who} may begin a level in this installation.")
