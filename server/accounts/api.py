"""Sign in, sign out, who am I."""

from __future__ import annotations

import hmac
import os
from typing import Annotated

from axes.handlers.proxy import AxesProxyHandler
from django.contrib.auth import authenticate, login, logout, update_session_auth_hash
from django.contrib.auth.models import User
from django.db import transaction
from django.http import HttpRequest
from django.middleware.csrf import get_token
from ninja import Field, Router, Schema
from ninja.errors import HttpError
from ninja.utils import check_csrf
from pydantic import field_validator

from server.accounts.hashing import turn_to_hash
from server.accounts.limits import SENTENCE, ByAddress
from server.accounts.models import Profile, profile_of
from server.audit.recording import record
from server.team.access import may_make_level
from server.team.models import Installation
from thicket.document.settings import Strict
from thicket.refused import Refused

router = Router(tags=["session"])
BY_ADDRESS = ByAddress()


class SignIn(Schema):
    name: str = Field(min_length=1, max_length=150, pattern=r"^[^\x00]*$")
    password: str = Field(min_length=1, max_length=200)


class SessionOut(Schema):
    """Who is signed in, `name` null for nobody; that person's own keys by action, mark on the plan, and what
    they may do outside levels."""

    name: str | None
    keys: dict[str, str] = {}
    mark: str = "diamond"
    installation: str = ""
    may_make: bool = Field(default=False, description="may begin levels")
    looks_after: bool = Field(default=False, description="may change the installation's settings")
    first: bool = Field(
        default=False, description="there is no account yet: the first is made with the code that kt printed"
    )


class KeysIn(Strict):
    """A person's own keys, by action: single characters, each for one action."""

    keys: dict[
        Annotated[str, Field(pattern=r"^[a-z]{1,20}$")], Annotated[str, Field(pattern=r"^[^\s0-9?]$")]
    ] = Field(max_length=80)

    @field_validator("keys")
    @classmethod
    def apart(cls, keys: dict[str, str]) -> dict[str, str]:
        for action, key in keys.items():
            other = next(a for a, k in keys.items() if k == key)
            if other != action:
                raise Refused(f"{key!r} is given to both {other} and {action}")
        return keys


def who_is(user: User) -> dict:
    """What `SessionOut` shows of a person, also one who is not signed in."""
    profile = profile_of(user)
    return {
        "name": user.get_username() or None,
        "keys": profile.keys,
        "mark": profile.mark,
        "installation": Installation.now().name,
        "may_make": bool(user.pk) and may_make_level(user),
        "looks_after": user.is_superuser,
        "first": not user.pk and not User.objects.exists(),
    }


def check_page(request: HttpRequest) -> None:
    """For what is open to everybody: whether the page it comes from is ours.

    Raises: HttpError 403.
    """
    if check_csrf(request):
        raise HttpError(403, "Your page is out of date: reload it and try again.")


class FirstIn(SignIn):
    """The first account of an installation, by the code that `kt` printed."""

    password: str = Field(min_length=10, max_length=200)
    code: str = Field(min_length=1, max_length=40)


@router.post("/session/first", auth=None, response=SessionOut, throttle=[BY_ADDRESS])
def make_first(request: HttpRequest, data: FirstIn):
    """Make the first account, which may do everything, and sign in with it."""
    check_page(request)
    with transaction.atomic():
        if User.objects.select_for_update().exists():
            raise HttpError(409, "There is an account already: sign in, or ask a lead.")
        code = os.environ.get("KT_FIRST_CODE", "")
        if not code or not hmac.compare_digest(code.encode(), data.code.strip().lower().encode()):
            BY_ADDRESS.count(request)
            raise HttpError(403, "code: that is not the code that ./kt printed when it was started.")
        user = User.objects.create_superuser(data.name, password=data.password)
    login(request, user, backend="django.contrib.auth.backends.ModelBackend")
    record("sign-in", request, "with the first account")
    return who_is(user)


@router.get("/session", auth=None, response=SessionOut)
def who(request: HttpRequest):
    """Who is signed in. Sets the CSRF cookie that every change must send back."""
    get_token(request)
    return who_is(request.user)


@router.post("/session", auth=None, response=SessionOut, throttle=[BY_ADDRESS])
def sign_in(request: HttpRequest, data: SignIn):
    """Sign in. Too many wrong passwords for a name lock it for some minutes, except for who is signed in
    under it already."""
    check_page(request)
    credentials = {"username": data.name}
    if not AxesProxyHandler.is_allowed(request, credentials):
        raise HttpError(429, SENTENCE)
    with turn_to_hash():
        user = authenticate(request, username=data.name, password=data.password)
    if user is None:
        BY_ADDRESS.count(request)
        record("refused", request, person=data.name)
        raise HttpError(401, "That name and password do not belong together.")
    login(request, user)
    record("sign-in", request)
    get_token(request)
    return who_is(user)


@router.delete("/session", response=SessionOut)
def sign_out(request: HttpRequest):
    """Sign out."""
    record("sign-out", request)
    logout(request)
    return who_is(request.user)


class PasswordIn(Strict):
    """A person's password, and the one that it is to be."""

    old: str = Field(min_length=1, max_length=200)
    new: str = Field(min_length=10, max_length=200)


@router.put("/session/password", response=SessionOut, throttle=[BY_ADDRESS])
def change_password(request: HttpRequest, data: PasswordIn):
    """Change one's own password. Wherever else this person is signed in, that ends."""
    user = request.user
    with turn_to_hash():
        known = user.check_password(data.old)
    if not known:
        BY_ADDRESS.count(request)
        raise Refused("old: this is not your password")
    user.set_password(data.new)
    user.save(update_fields=["password"])
    update_session_auth_hash(request, user)
    record("sign-in", request, "with a new password")
    return who_is(user)


@router.put("/session/keys", response=SessionOut)
def keep_keys(request: HttpRequest, data: KeysIn):
    """Keep one's own keys, in place of those before."""
    Profile.objects.update_or_create(user=request.user, defaults={"keys": data.keys})
    return who_is(request.user)


class MarkIn(Strict):
    mark: Profile.Mark


@router.put("/session/mark", response=SessionOut)
def keep_mark(request: HttpRequest, data: MarkIn):
    """Choose the mark that shows one on the plan of others."""
    Profile.objects.update_or_create(user=request.user, defaults={"mark": data.mark})
    return who_is(request.user)
