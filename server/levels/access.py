"""Who may see and who may change a level."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.core.management.base import CommandError
from django.db.models import F
from django.http import HttpRequest
from ninja.errors import HttpError

from server.errors import NotAllowed
from server.levels.models import Level, Membership

_MAY = {
    "see": set(Membership.Role),
    "plant": {Membership.Role.LEAD, Membership.Role.ARTIST},
    "lead": {Membership.Role.LEAD},
}
_REFUSAL = {
    "plant": "You may look at {level}, but only artists and leads may change its planting.",
    "lead": "Only a lead may change this in {level}.",
}


def level_of_command(slug: str) -> Level:
    """A level for who runs a command, which is everybody's.

    Raises: CommandError when there is none.
    """
    level = Level.objects.filter(slug=slug, removed_at=None).first()
    if level is None:
        raise CommandError(f"There is no level called {slug!r}.")
    return level


def level_for(request: HttpRequest, slug: str, to: str = "see") -> Level:
    """The level, when the signed-in user may do this in it; its `role` is the user's role.

    Raises: HttpError 404 when there is no such level for this user, 403 when the role does not allow it.
    """
    mine = Level.objects.filter(slug=slug, memberships__user_id=request.user.pk, removed_at=None)
    level = mine.annotate(role=F("memberships__role")).first()
    if level is None:
        raise HttpError(404, f"There is no level called {slug[:60]!r}, or you are not a member of it.")
    if level.role not in _MAY[to]:
        raise NotAllowed(_REFUSAL[to].format(level=level.name))
    return level


def check_may_make(user: User) -> None:
    """Refuse who may only look, everywhere they are a member, to make what all levels share.

    Raises: NotAllowed.
    """
    if not (user.is_superuser or user.memberships.exclude(role=Membership.Role.VIEWER).exists()):
        raise NotAllowed(
            "You may look at levels, but only artists and leads may add to what the team shares."
        )


def may_change(user: User, owner_id: int | None) -> bool:
    """Whether a person may change something that the whole installation uses and somebody made: who made
    it, a lead of a level in which they work without leading it, and who looks after the installation. What
    nobody owns is everybody's who may add to it."""
    if owner_id is None or user.pk == owner_id or user.is_superuser:
        return True
    led = user.memberships.filter(role=Membership.Role.LEAD, level__removed_at=None).values("level")
    under = Membership.objects.filter(user_id=owner_id, level__in=led).exclude(role=Membership.Role.LEAD)
    return under.exists()


def check_may_change(user: User, name: str, owner: User | None) -> None:
    """Refuse to change or remove something of the whole installation that is another's; see `may_change`.

    Raises: NotAllowed.
    """
    check_may_make(user)
    if owner is not None and not may_change(user, owner.pk):
        raise NotAllowed(
            f"{name} is {owner.get_username()}'s: only they, a lead of theirs, or who looks after this "
            f"installation may change it."
        )
