"""Links that work once, for who has one: looked at, and used."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from django.contrib.auth import login
from django.http import HttpRequest
from django.middleware.csrf import get_token
from ninja import Field, Router, Schema
from ninja.errors import HttpError

from server.accounts.api import BY_ADDRESS, SessionOut, check_page, who_is
from server.accounts.hashing import turn_to_hash
from server.audit.recording import record
from server.team import links
from server.team.models import Installation, OneTimeLink
from thicket.document.settings import Strict

router = Router(tags=["team"])
BACKEND = "django.contrib.auth.backends.ModelBackend"
Password = Annotated[str, Field(min_length=10, max_length=200)]
PersonName = Annotated[str, Field(min_length=1, max_length=60, pattern=r"^[^\s\x00](?:[^\x00]*[^\s\x00])?$")]


class LinkOut(Schema):
    """What a link is for: an invitation to a level in a role, or a new password for a person."""

    kind: Literal["invitation", "password"]
    level: str
    role: str
    person: str | None
    by: str
    until: datetime
    new_accounts: bool = Field(description="whether who has no account may make one")


class AccountIn(Strict):
    name: PersonName
    password: Password


class NewPasswordIn(Strict):
    password: Password


class Joined(Schema):
    slug: str


def _link(request: HttpRequest, token: str) -> OneTimeLink:
    """The link of a token; a wrong one counts as a wrong password does."""
    try:
        return links.link_of(token)
    except HttpError:
        BY_ADDRESS.count(request)
        raise


@router.get("/links/{token}", auth=None, response=LinkOut, throttle=[BY_ADDRESS])
def look(request: HttpRequest, token: str):
    """What a link is for."""
    link = _link(request, token)
    get_token(request)
    return {
        "kind": "password" if link.person else "invitation",
        "level": link.level.name,
        "role": link.role,
        "person": link.person and link.person.get_username(),
        "by": link.by.get_username(),
        "until": link.until,
        "new_accounts": Installation.now().sign_up != Installation.SignUp.CLOSED,
    }


@router.post("/links/{token}/join", response=Joined, throttle=[BY_ADDRESS])
def join(request: HttpRequest, token: str):
    """Become a member by an invitation, with the account one has."""
    link = _link(request, token)
    links.join(link, request.user)
    return link.level


@router.post("/links/{token}/account", auth=None, response=SessionOut, throttle=[BY_ADDRESS])
def sign_up(request: HttpRequest, token: str, data: AccountIn):
    """Make an account by an invitation, become a member, and sign in."""
    check_page(request)
    link = _link(request, token)
    with turn_to_hash():
        user = links.sign_up(link, data.name, data.password)
    login(request, user, backend=BACKEND)
    record("sign-in", request, f"with a new account, invited by {link.by.get_username()}", link.level)
    return who_is(user)


@router.post("/links/{token}/password", auth=None, response=SessionOut, throttle=[BY_ADDRESS])
def set_password(request: HttpRequest, token: str, data: NewPasswordIn):
    """Give oneself the new password that a lead's link is for, and sign in."""
    check_page(request)
    with turn_to_hash():
        user = links.set_password(_link(request, token), data.password)
    login(request, user, backend=BACKEND)
    record("sign-in", request, "with a new password, by a lead's link")
    return who_is(user)
