"""Sessions that slide: each hour of use makes them a fortnight long again."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import UTC, datetime, timedelta

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.utils import timezone

KEY = "until"
STEP = timedelta(hours=1)


def seen_at(session: Mapping) -> datetime:
    """When a session was last used, to the hour, by what it holds."""
    return datetime.fromtimestamp(max(session.get(KEY, 0) - settings.SESSION_COOKIE_AGE, 0), UTC)


class SlidingSession:
    """Stores a session again, with its whole age before it, when an hour of that has passed."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        if request.__dict__.get("_cached_user") is not None and request.user.is_authenticated:
            until = timezone.now() + timedelta(seconds=settings.SESSION_COOKIE_AGE)
            if request.session.get(KEY, 0) < (until - STEP).timestamp():
                request.session[KEY] = until.timestamp()
        return response
