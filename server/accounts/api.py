"""Sign in, sign out, who am I."""

from __future__ import annotations

from axes.handlers.proxy import AxesProxyHandler
from django.contrib.auth import authenticate, login, logout
from django.http import HttpRequest
from django.middleware.csrf import get_token
from ninja import Field, Router, Schema
from ninja.errors import HttpError
from ninja.utils import check_csrf

from server.accounts.lockout import SENTENCE

router = Router(tags=["session"])


class SignIn(Schema):
    name: str = Field(min_length=1, max_length=150)
    password: str = Field(min_length=1, max_length=200)


class SessionOut(Schema):
    """Who is signed in; `name` is null for nobody."""

    name: str | None


@router.get("/session", auth=None, response=SessionOut)
def who(request: HttpRequest):
    """Who is signed in. Sets the CSRF cookie that every change must send back."""
    get_token(request)
    return {"name": request.user.get_username() or None}


@router.post("/session", auth=None, response=SessionOut)
def sign_in(request: HttpRequest, data: SignIn):
    """Sign in. Too many wrong passwords for a name lock it for some minutes."""
    if check_csrf(request):
        raise HttpError(403, "Your page is out of date: reload it and sign in again.")
    credentials = {"username": data.name}
    if not AxesProxyHandler.is_allowed(request, credentials):
        raise HttpError(429, SENTENCE)
    user = authenticate(request, username=data.name, password=data.password)
    if user is None:
        raise HttpError(401, "That name and password do not belong together.")
    login(request, user)
    get_token(request)
    return {"name": user.get_username()}


@router.delete("/session", response=SessionOut)
def sign_out(request: HttpRequest):
    """Sign out."""
    logout(request)
    return {"name": None}
