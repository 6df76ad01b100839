"""Where a person is signed in: what each session notes of itself, listed and ended."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Any

from django.contrib.auth import HASH_SESSION_KEY, SESSION_KEY
from django.contrib.auth.models import User
from django.contrib.auth.signals import user_logged_in
from django.contrib.sessions.models import Session
from django.http import HttpRequest
from django.utils import timezone

from server.accounts.sliding import seen_at

FROM = "from"


def _note(sender: Any, request: HttpRequest, **more: Any) -> None:
    request.session[FROM] = {
        "at": timezone.now().timestamp(),
        "address": request.META.get("REMOTE_ADDR", "")[:45],
        "program": request.META.get("HTTP_USER_AGENT", "")[:200],
    }


def note_sign_ins() -> None:
    """Have every session note when, from where and with what it was begun."""
    user_logged_in.connect(_note, weak=False, dispatch_uid="session-from")


def _id_of(key: str) -> str:
    """What a session is called outside: its key alone would sign in."""
    return hashlib.sha256(key.encode()).hexdigest()[:16]


def _own(user: User) -> Iterator[tuple[Session, dict]]:
    current = user.get_session_auth_hash()
    for row in Session.objects.filter(expire_date__gt=timezone.now()):
        data = row.get_decoded()
        if data.get(SESSION_KEY) == str(user.pk) and data.get(HASH_SESSION_KEY) == current:
            yield row, data


def sessions_of(user: User, here: str | None) -> list[dict]:
    """All sessions of a person, the newest first; `here` is the key of the one that asks."""
    sessions = []
    for row, data in _own(user):
        noted = data.get(FROM, {})
        sessions.append(
            {
                "id": _id_of(row.session_key),
                "here": row.session_key == here,
                "since": datetime.fromtimestamp(noted["at"], UTC) if noted else None,
                "seen": seen_at(data),
                "address": noted.get("address", ""),
                "program": noted.get("program", ""),
            }
        )
    return sorted(sessions, key=lambda one: (not one["here"], -(one["since"] or one["seen"]).timestamp()))


def end(user: User, id: str | None, here: str | None) -> int:
    """End one session of a person, or all but the one that asks; how many."""
    ended = [
        row.session_key
        for row, _ in _own(user)
        if (_id_of(row.session_key) == id if id else row.session_key != here)
    ]
    Session.objects.filter(session_key__in=ended).delete()
    return len(ended)
