"""One's own account: its name, and where one is signed in."""

from __future__ import annotations

from datetime import datetime

from django.http import HttpRequest
from ninja import Router, Schema
from ninja.errors import HttpError

from server.accounts.api import SessionOut, who_is
from server.audit.recording import record
from server.team import sessions
from server.team.links_api import PersonName
from server.team.members import rename
from thicket.document.settings import Strict

router = Router(tags=["session"])


class SignedInOut(Schema):
    """A place where one is signed in: since when and from where, last used (to the hour), and whether it is
    this one."""

    id: str
    here: bool
    since: datetime | None
    seen: datetime
    address: str
    program: str


class NameIn(Strict):
    name: PersonName


@router.put("/session/name", response=SessionOut)
def change_name(request: HttpRequest, data: NameIn):
    """Take another name, under which one signs in from then on."""
    before = request.user.get_username()
    rename(request.user, data.name)
    record("role", request, f"was called {before} before")
    return who_is(request.user)


@router.get("/sessions", response=list[SignedInOut])
def signed_in(request: HttpRequest):
    """Where one is signed in."""
    return sessions.sessions_of(request.user, request.session.session_key)


@router.delete("/sessions/{id}", response=list[SignedInOut])
def end(request: HttpRequest, id: str):
    """End one of one's sessions."""
    if not sessions.end(request.user, id, None):
        raise HttpError(404, "You are not signed in there any more.")
    return sessions.sessions_of(request.user, request.session.session_key)


@router.delete("/sessions", response=list[SignedInOut])
def end_others(request: HttpRequest):
    """End all of one's sessions but this one."""
    sessions.end(request.user, None, request.session.session_key)
    return sessions.sessions_of(request.user, request.session.session_key)
