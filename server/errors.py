"""Errors as sentences: every refusal of the API is `{"detail": "…"}` and names the field."""

from __future__ import annotations

from collections.abc import Callable

from django.conf import settings
from django.http import HttpRequest, HttpResponse, JsonResponse
from ninja import NinjaAPI
from ninja.errors import HttpError, ValidationError
from pydantic import ValidationError as SchemaError

FILES = ("/drafts", "/masks", "/shapes.geojson")
"""Where files are sent to, which may be larger."""


class BodyLimit:
    """Refuses a request whose body is larger than we ever need, before reading it."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        size = request.META.get("CONTENT_LENGTH") or "0"
        limit = settings.FILE_LIMIT if request.path.endswith(FILES) else settings.BODY_LIMIT
        if not size.isdigit() or int(size) > limit:
            most = f"{limit // 1024:,} KB" if limit < 1 << 20 else f"{limit >> 20:,} MB"
            return JsonResponse({"detail": f"What was sent is too large: at most {most} are taken."}, status=413)
        return self.get_response(request)


def _field(loc: tuple) -> str:
    """The field's name as a user of the API wrote it: the path without the names of our parameters."""
    parts = [str(part) for part in loc]
    if parts and parts[0] in ("body", "query", "path"):
        parts = parts[1:]
    if len(parts) > 1 and parts[0] in ("data", "payload"):
        parts = parts[1:]
    return ".".join(parts) or "body"


def sentences(errors: list[dict]) -> str:
    """Validation errors as one text, a sentence for each field."""
    said = []
    for error in errors:
        message = str(error.get("msg", "is not valid")).removeprefix("Value error, ").rstrip(".")
        said.append(f"{_field(tuple(error.get('loc', ())))}: {message}.")
    return " ".join(dict.fromkeys(said))


def install(api: NinjaAPI) -> None:
    """Give the API our error answers."""

    @api.exception_handler(ValidationError)
    def invalid(request: HttpRequest, error: ValidationError) -> HttpResponse:
        fields = [_field(tuple(e.get("loc", ()))) for e in error.errors]
        return api.create_response(request, {"detail": sentences(error.errors), "fields": fields}, status=422)

    @api.exception_handler(SchemaError)
    def misfit(request: HttpRequest, error: SchemaError) -> HttpResponse:
        fields = [_field(e["loc"]) for e in error.errors()]
        return api.create_response(request, {"detail": sentences(error.errors()), "fields": fields}, status=422)

    @api.exception_handler(Clash)
    def overtaken(request: HttpRequest, error: Clash) -> HttpResponse:
        return api.create_response(request, {"detail": str(error), "clashes": error.clashes}, status=409)

    @api.exception_handler(ValueError)
    def refused(request: HttpRequest, error: ValueError) -> HttpResponse:
        return api.create_response(request, {"detail": f"{str(error).rstrip('.')}."}, status=422)


class NotAllowed(HttpError):
    """A refusal for want of a role."""

    def __init__(self, sentence: str) -> None:
        super().__init__(403, sentence)


class Clash(HttpError):
    """A change that another person's has overtaken. Each of `fields` holds name, was, theirs, yours and who."""

    def __init__(self, sentence: str, clashes: list[dict]) -> None:
        super().__init__(409, sentence)
        self.clashes = clashes
