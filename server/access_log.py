"""What is logged: a line for each request, as JSON, with who asked for what, in which level, and how it
went."""

from __future__ import annotations

import json
import logging
import time
import uuid
from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any

from django.http import HttpRequest, HttpResponse

log = logging.getLogger("server.access")
FIELDS = ("request", "person", "operation", "level_slug", "status", "ms")


class JsonLines(logging.Formatter):
    """A log record as one line of JSON."""

    def format(self, record: logging.LogRecord) -> str:
        at = datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds")
        line: dict[str, Any] = {
            "at": at,
            "kind": record.levelname.lower(),
            "logger": record.name,
            "message": record.getMessage(),
        }
        line |= {name: getattr(record, name) for name in FIELDS if getattr(record, name, None) is not None}
        if isinstance(line.get("request"), HttpRequest):  # Django's own records carry the request itself
            line["request"] = getattr(line["request"], "id", None)
        if record.exc_info:
            line["trace"] = self.formatException(record.exc_info)
        return json.dumps(line, ensure_ascii=False)


class AccessLog:
    """Gives each request an id, sends it with the answer, and logs the request when it has been answered."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        request.id = uuid.uuid4().hex[:12]
        began = time.perf_counter()
        response = self.get_response(request)
        response["X-Request-Id"] = request.id
        if log.isEnabledFor(logging.INFO):
            log.info(
                "%s %s", request.method, request.path[:200], extra=self._fields(request, response, began)
            )
        return response

    def _fields(self, request: HttpRequest, response: HttpResponse, began: float) -> dict:
        match = request.resolver_match
        user = request.__dict__.get("_cached_user")
        return {
            "request": request.id,
            "status": response.status_code,
            "ms": round((time.perf_counter() - began) * 1e3, 1),
            "operation": match.view_name if match else None,
            "level_slug": match.kwargs.get("slug") if match else None,
            "person": user.get_username() or None if user else None,
        }
