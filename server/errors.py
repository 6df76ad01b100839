"""Errors as sentences: every refusal of the API is `{"detail": "…"}` and names the field."""

from __future__ import annotations

import logging
import random
import sys
import time
from collections.abc import Callable, Mapping, Sequence
from typing import Any

from django.conf import settings
from django.core.exceptions import ObjectDoesNotExist, RequestDataTooBig
from django.db import IntegrityError, InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse, JsonResponse
from ninja import NinjaAPI
from ninja.errors import HttpError, Throttled, ValidationError
from pydantic import ValidationError as SchemaError

from server.accounts.limits import ADDRESS
from thicket.refused import Conflict, Missing, Refused

log = logging.getLogger(__name__)

MOST_ERRORS = 8
"""So many wrong fields of one request are named."""


GAVE_WAY = {1205, 1213}
"""MariaDB's numbers for a lock that was waited for too long, and for a deadlock: the same, asked again,
will do."""


class AskAgain:
    """Has a read asked again, up to three times, that the database made give way to a transaction."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_view(
        self, request: HttpRequest, view: Callable[..., HttpResponse], args: tuple, kwargs: dict
    ) -> HttpResponse | None:
        if request.method not in ("GET", "HEAD"):
            return None
        for k in range(3):
            try:
                return view(request, *args, **kwargs)
            except OperationalError as error:
                if error.args[0] not in GAVE_WAY:
                    raise
                time.sleep(random.uniform(0.5, 1.5) * 0.02 * 2**k)
        return None


class BodyLimit:
    """Refuses a request whose body is larger than we ever need, before reading it."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        size = request.META.get("CONTENT_LENGTH") or "0"
        if not size.isdigit() or int(size) > limit_of(request.path):
            return JsonResponse({"detail": too_large(request.path)}, status=413)
        return self.get_response(request)


def limit_of(path: str) -> int:
    """How many bytes a request's body may have at an address."""
    ends = (most for end, most in settings.FILE_LIMITS.items() if path.endswith(end))
    return next(ends, settings.BODY_LIMIT)


def too_large(path: str) -> str:
    """The message about a body beyond that."""
    limit = limit_of(path)
    most = f"{limit // 1024:,} KB" if limit < 1 << 20 else f"{limit >> 20:,} MB"
    return f"What was sent is too large: at most {most} are taken."


def _field(loc: tuple) -> str:
    """The field's name as a user of the API wrote it: the path without the names of our parameters."""
    parts = [str(part)[:60] for part in loc]
    if parts and parts[0] in ("body", "query", "path"):
        parts = parts[1:]
    if len(parts) > 1 and parts[0] in ("data", "payload"):
        parts = parts[1:]
    return ".".join(parts) or "body"


def sentences(errors: Sequence[Mapping[str, Any]]) -> str:
    """Validation errors as one text, a sentence for each field."""
    messages = []
    for error in errors[:MOST_ERRORS]:
        message = str(error.get("msg", "is not valid")).removeprefix("Value error, ").rstrip(".")[:300]
        messages.append(f"{_field(tuple(error.get('loc', ())))}: {message}.")
    if len(errors) > MOST_ERRORS:
        messages.append(f"And {len(errors) - MOST_ERRORS:,} more.")
    return " ".join(dict.fromkeys(messages))


NOT_SIGNED_IN = "You are not signed in."
AWAY = (
    "The database does not answer at the moment. What is on screen can still be looked at; what "
    "you do is kept and "
    "sent later."
)
FAILED = (
    "The server failed at this, and its log says why. Nothing was stored; try again, or tell "
    "whoever looks after it the "
    "number {id}."
)
GONE = "What this is about has been removed by somebody meanwhile: read the level again."
AGAIN = {"Retry-After": "2"}
_AWAY = {1040, 1053, 1152, 1205, 1213, 1927, 2002, 2003, 2006, 2013, 2026, 2055}
"""MariaDB's numbers for a server that is not there, is ending, has no room, or made a transaction give
way."""


def is_away(error: BaseException | None) -> bool:
    """Whether an error means that the database cannot be reached or is busy, not that it refused
    something."""
    busy = isinstance(error, OperationalError) and bool(error.args) and error.args[0] in _AWAY
    return busy or isinstance(error, InterfaceError)


def unreadable(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    """The answer to a request that is no proper one: a form that cannot be taken apart, a host that is not
    ours."""
    return JsonResponse(
        {"detail": "What was sent cannot be read: it is damaged, or its heads are too long."}, status=400
    )


def failed(request: HttpRequest) -> HttpResponse:
    """The answer when something failed that nobody foresaw; 503 when it is the database that is away. It must
    have been called while the error is handled."""
    if is_away(sys.exc_info()[1]):
        return JsonResponse({"detail": AWAY}, status=503, headers=AGAIN)
    return JsonResponse({"detail": FAILED.format(id=getattr(request, "id", ""))}, status=500)


def install(api: NinjaAPI) -> None:
    """Give the API our error answers. What is not named here is logged and answered by `failed`."""

    def answer(request: HttpRequest, status: int, detail: str, **more: object) -> HttpResponse:
        return api.create_response(request, {"detail": detail, **more}, status=status)

    @api.exception_handler(ValidationError)
    def invalid(request: HttpRequest, error: ValidationError) -> HttpResponse:
        fields = [_field(tuple(e.get("loc", ()))) for e in error.errors]
        return answer(request, 422, sentences(error.errors), fields=fields)

    @api.exception_handler(SchemaError)
    def misfit(request: HttpRequest, error: SchemaError) -> HttpResponse:
        return answer(
            request, 422, sentences(error.errors()), fields=[_field(e["loc"]) for e in error.errors()]
        )

    @api.exception_handler(Clash)
    def overtaken(request: HttpRequest, error: Clash) -> HttpResponse:
        return answer(request, 409, str(error), clashes=error.clashes)

    @api.exception_handler(Missing)
    def missing(request: HttpRequest, error: Missing) -> HttpResponse:
        return answer(request, 404, f"{str(error).rstrip('.')}.")

    @api.exception_handler(Conflict)
    def conflict(request: HttpRequest, error: Conflict) -> HttpResponse:
        return answer(request, 409, f"{str(error).rstrip('.')}.")

    @api.exception_handler(Refused)
    def refused(request: HttpRequest, error: Refused) -> HttpResponse:
        return answer(request, 422, f"{str(error).rstrip('.')}.")

    @api.exception_handler(Throttled)
    def throttled(request: HttpRequest, error: Throttled) -> HttpResponse:
        return answer(request, 429, ADDRESS)

    @api.exception_handler(ObjectDoesNotExist)
    def gone(request: HttpRequest, error: ObjectDoesNotExist) -> HttpResponse:
        return answer(request, 409, GONE)

    @api.exception_handler(IntegrityError)
    def crossed(request: HttpRequest, error: IntegrityError) -> HttpResponse:
        log.warning("two actions crossed", exc_info=error)
        return answer(request, 409, GONE)

    @api.exception_handler(RequestDataTooBig)
    def too_big(request: HttpRequest, error: RequestDataTooBig) -> HttpResponse:
        return answer(request, 413, "What was sent is too large.")


class NotAllowed(HttpError):
    """A refusal for want of a role."""

    def __init__(self, sentence: str) -> None:
        super().__init__(403, sentence)


class Clash(HttpError):
    """A change that another person's has overtaken. Each of `fields` holds name, was, theirs, yours and
    who."""

    def __init__(self, sentence: str, clashes: list[dict]) -> None:
        super().__init__(409, sentence)
        self.clashes = clashes
