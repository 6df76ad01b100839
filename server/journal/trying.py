"""Trying an action: a request under `X-Try` does everything but store it, and is answered alike."""

from __future__ import annotations

from collections.abc import Callable
from contextvars import ContextVar

from django.http import HttpRequest, HttpResponse

trying: ContextVar[bool] = ContextVar("trying", default=False)
"""Whether what is asked for is only tried."""


class Trying:
    """Has an action on a level whose request says `X-Try: 1` only tried; what is no action takes no notice of
    it."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        asked = request.headers.get("X-Try") == "1" and request.path.startswith("/api/levels/")
        token = trying.set(asked)
        try:
            return self.get_response(request)
        finally:
            trying.reset(token)
