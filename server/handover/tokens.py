"""Tokens by which build machines hand levels over for a person."""

from __future__ import annotations

import hashlib
import secrets

from django.contrib.auth.models import User
from django.db import IntegrityError, transaction
from django.http import HttpRequest
from django.utils import timezone
from ninja.security import HttpBearer

from server.handover.models import BuildToken
from thicket.refused import Refused

TOKENS = 20
"""A person has so many tokens at the most."""


def _digest(token: str) -> str:
    # A token is random and long: unlike a password, a plain digest of it cannot be guessed back.
    return hashlib.sha256(token.encode()).hexdigest()


def make(user: User, name: str) -> tuple[BuildToken, str]:
    """A new token; it is kept as a digest, so this is the only time that it is known.

    Raises: Refused when there is one of that name, or there are too many.
    """
    if user.build_tokens.count() >= TOKENS:
        raise Refused(f"name: at most {TOKENS} tokens are kept; end one first")
    token = f"thicket-{secrets.token_urlsafe(32)}"
    try:
        with transaction.atomic():
            return BuildToken.objects.create(user=user, name=name, digest=_digest(token)), token
    except IntegrityError:
        raise Refused(f"name: you have a token called {name!r} already") from None


class TokenAuth(HttpBearer):
    """Lets in who sends a token as `Authorization: Bearer TOKEN`, in place of a session."""

    openapi_scheme = "bearer"

    def authenticate(self, request: HttpRequest, token: str) -> User | None:
        """The person whose token it is."""
        digest = _digest(token)
        found = BuildToken.objects.select_related("user").filter(digest=digest, user__is_active=True).first()
        if found is None:
            return None
        now = timezone.now().replace(minute=0, second=0, microsecond=0)
        if found.used != now:
            BuildToken.objects.filter(pk=found.pk).update(used=now)
        request.user = found.user
        return found.user
