"""Links that work once: made by a lead, looked at by who has one, and used."""

from __future__ import annotations

import hashlib
import secrets
from datetime import timedelta

from django.contrib.auth.models import User
from django.db import transaction
from django.utils import timezone
from ninja.errors import HttpError

from server.audit.recording import record
from server.errors import NotAllowed
from server.levels.models import Level, Membership
from server.team.models import Installation, OneTimeLink
from thicket.refused import Refused

INVITED_FOR = timedelta(days=7)
RESET_FOR = timedelta(days=1)
MOST = 50
"""So many open links a level has at the most."""


def _digest(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def _make(by: User, level: Level, lasts: timedelta, **fields: object) -> tuple[OneTimeLink, str]:
    OneTimeLink.objects.filter(until__lt=timezone.now() - INVITED_FOR).delete()
    if open_links(level).count() >= MOST:
        raise Refused(f"There are {MOST} open links to {level.name}: end some first.")
    token = secrets.token_urlsafe(24)
    link = OneTimeLink.objects.create(
        digest=_digest(token), level=level, by=by, until=timezone.now() + lasts, **fields
    )
    return link, token


def open_links(level: Level):
    """Invitations to a level that can still be used."""
    return level.links.filter(used=False, person=None, until__gt=timezone.now()).order_by("until")


def invite(by: User, level: Level, role: str) -> tuple[OneTimeLink, str]:
    """An invitation to a level, with its token, which is shown this once."""
    record("role", None, f"invited somebody as {role}", level, by.get_username())
    return _make(by, level, INVITED_FOR, role=role)


def reset(by: User, level: Level, person: User) -> tuple[OneTimeLink, str]:
    """A link by which a member of a level gives themselves a new password.

    Raises: NotAllowed when the person has more rights somewhere than who asks for it.
    """
    if not _may_reset(by, person):
        raise NotAllowed(
            f"{person.get_username()} works in levels that you do not lead: ask a lead of those, or who "
            f"looks after the installation."
        )
    OneTimeLink.objects.filter(person=person, used=False).delete()
    record("role", None, f"a link to a new password was made by {by.get_username()}", level, person.username)
    return _make(by, level, RESET_FOR, person=person)


def _may_reset(by: User, person: User) -> bool:
    """Whether a person works in no level that the other does not lead."""
    led = by.memberships.filter(role=Membership.Role.LEAD).values("level")
    elsewhere = person.memberships.filter(level__removed_at=None).exclude(level__in=led)
    return by.is_superuser or not (person.is_superuser or elsewhere.exists())


def _still_holds(link: OneTimeLink) -> bool:
    """Whether who made a link could make it now."""
    if not link.by.is_active or link.level.removed_at:
        return False
    leads = link.level.memberships.filter(user=link.by, role=Membership.Role.LEAD).exists()
    if not (leads or link.by.is_superuser):
        return False
    if link.person is None:
        return True
    there = link.level.memberships.filter(user=link.person).exists()
    return there and link.person.is_active and _may_reset(link.by, link.person)


def link_of(token: str) -> OneTimeLink:
    """A link that can be used: it is worth what its maker may do now.

    Raises: HttpError 404 when there is none, it has been used or has ended, or who made it may no longer
    make it."""
    row = OneTimeLink.objects.select_related("level", "by", "person")
    link = row.filter(digest=_digest(token), used=False, until__gt=timezone.now()).first()
    if link is None or not _still_holds(link):
        raise HttpError(404, "This link has been used or has ended: ask a lead for another.")
    return link


def _use(link: OneTimeLink) -> None:
    """Use a link up, inside the transaction that does what it is for."""
    now = OneTimeLink.objects.select_for_update().get(pk=link.pk)
    if now.used or not _still_holds(now):
        raise HttpError(404, "This link has just been used or has ended.")
    OneTimeLink.objects.filter(pk=link.pk).update(used=True)


@transaction.atomic
def join(link: OneTimeLink, user: User) -> None:
    """Make somebody a member by an invitation.

    Raises: Refused when they are one already, or the link is for something else.
    """
    if link.person is not None:
        raise Refused("This link is for a new password.")
    if link.level.memberships.filter(user=user).exists():
        raise Refused(f"You are a member of {link.level.name} already; the link can be given to another.")
    _use(link)
    Membership.objects.create(user=user, level=link.level, role=link.role)


@transaction.atomic
def sign_up(link: OneTimeLink, name: str, password: str) -> User:
    """An account for who has an invitation, as a member of its level.

    Raises: Refused when the name is taken; NotAllowed when the installation takes nobody new.
    """
    if Installation.now().sign_up == Installation.SignUp.CLOSED:
        raise NotAllowed(
            "No new accounts are made here at the moment: ask who looks after this installation."
        )
    if User.objects.filter(username__iexact=name).exists():
        raise Refused("name: there is an account of that name already; sign in to it, or take another")
    user = User.objects.create_user(name, password=password)
    join(link, user)
    return user


@transaction.atomic
def set_password(link: OneTimeLink, password: str) -> User:
    """Give the link's person a new password; wherever they are signed in, that ends.

    Raises: Refused when the link is an invitation.
    """
    if link.person is None:
        raise Refused("This link is an invitation.")
    _use(link)
    link.person.set_password(password)
    link.person.save(update_fields=["password"])
    return link.person
