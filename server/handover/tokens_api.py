"""One's own tokens for build machines: made, named, ended."""

from __future__ import annotations

from datetime import datetime

from django.http import HttpRequest
from ninja import Router, Schema
from ninja.errors import HttpError
from pydantic import Field

from server.audit.recording import record
from server.handover import tokens
from thicket.document.settings import Name, Strict

router = Router(tags=["session"])


class TokenOut(Schema):
    """A token, and when it was last used, to the hour."""

    id: int
    name: str
    at: datetime
    used: datetime | None


class NewTokenOut(Schema):
    """A new token."""

    token: str = Field(description="the token itself, which is shown this once")
    tokens: list[TokenOut]


class TokenIn(Strict):
    name: Name


@router.get("/session/tokens", response=list[TokenOut])
def list_tokens(request: HttpRequest):
    """One's own tokens for build machines."""
    return list(request.user.build_tokens.all())


@router.post("/session/tokens", response=NewTokenOut)
def make(request: HttpRequest, data: TokenIn):
    """Make a token, by which a machine hands over the levels that one may see, and does nothing else."""
    row, token = tokens.make(request.user, data.name)
    record("token", request, f"made the token {row.name}")
    return {"token": token, "tokens": list(request.user.build_tokens.all())}


@router.delete("/session/tokens/{token}", response=list[TokenOut])
def end(request: HttpRequest, token: int):
    """End a token: it lets nobody in any longer."""
    row = request.user.build_tokens.filter(pk=token).first()
    if row is None:
        raise HttpError(404, "You have no such token any more.")
    row.delete()
    record("token", request, f"ended the token {row.name}")
    return list(request.user.build_tokens.all())
