"""Trying an action: a request under `X-Try` does everything but store it, and is answered alike."""

from __future__ import annotations

from collections.abc import Callable
from contextvars import ContextVar

from django.http import HttpRequest, HttpResponse

PARTS = frozenset({"own", "places", "standing", "suitability"})
trying: ContextVar[frozenset[str]] = ContextVar("trying", default=frozenset())
"""What is asked of an action that is only tried: nothing where it is to be kept."""


class Trying:
    """Has an action on a level whose request says `X-Try` only tried; what is no action takes no notice of
    it. The header says what is asked, by commas: `1` for what every try gives; `own`, the stands that it is
    about alone, none that follow from them; `places`, where plants come and go; `standing`, the plants on the
    placed meshes that it puts; `suitability`, that of the uppermost of its stands."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        parts = {part.strip() for part in request.headers.get("X-Try", "").split(",")}
        known = parts & (PARTS | {"1"})
        token = trying.set(frozenset(known if request.path.startswith("/api/levels/") else ()))
        try:
            return self.get_response(request)
        finally:
            trying.reset(token)
