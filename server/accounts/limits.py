"""Limits on signing in: tries by address, wrong passwords by name, each apart from the other."""

from __future__ import annotations

import time

from django.http import HttpRequest, HttpResponse, JsonResponse
from ninja.throttling import SimpleRateThrottle

SENTENCE = (
    "Too many wrong passwords for this name: wait five minutes and try again. "
    "Whoever is signed in already can go on."
)
ADDRESS = "Too many sign-ins from this address: wait a minute and try again."


class ByAddress(SimpleRateThrottle):
    """Thirty wrong passwords a minute from one address, under whatever names; who has a session open is let
    through."""

    scope = "sign-in"

    def __init__(self) -> None:
        super().__init__("30/min")

    def allow_request(self, request: HttpRequest) -> bool:
        return request.user.is_authenticated or super().allow_request(request)

    def throttle_success(self) -> bool:
        """A try counts only once it was wrong; see `count`."""
        return True

    def count(self, request: HttpRequest) -> None:
        """Count a wrong password."""
        key = self.get_cache_key(request)
        self.cache.set(key, [time.time(), *self.cache.get(key, [])][: self.num_requests], self.duration)

    def get_cache_key(self, request: HttpRequest) -> str:
        return self.cache_format % {"scope": self.scope, "ident": request.META.get("REMOTE_ADDR", "")}


def is_own_session(request: HttpRequest, credentials: dict | None = None) -> bool:
    """Whether somebody signs in again who is signed in under that name: others' wrong passwords do not keep
    them out."""
    user = getattr(request, "user", None)
    return bool(user and user.is_authenticated and user.get_username() == (credentials or {}).get("username"))


def locked_out(request: HttpRequest, *args, **kwargs) -> HttpResponse:
    """The answer of django-axes while a name is locked."""
    return JsonResponse({"detail": SENTENCE}, status=429)
