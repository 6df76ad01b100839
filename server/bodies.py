"""Which requests' bodies are taken off the network: small ones from everybody; larger ones only from who is
signed in and may send files there, and no more at once than the machine has room for."""

from __future__ import annotations

import json
import os
import re
import threading
from collections import defaultdict
from contextlib import suppress
from http import HTTPStatus
from importlib import import_module
from pathlib import Path
from typing import Annotated

from django.conf import settings
from django.contrib.auth import get_user
from django.contrib.auth.models import User
from django.db import Error, close_old_connections
from django.http import HttpRequest
from django.http.cookie import parse_cookie
from ninja import Router
from ninja.errors import HttpError
from pydantic import Field
from waitress.channel import HTTPChannel
from waitress.parser import HTTPRequestParser

from server.errors import AWAY, NOT_SIGNED_IN, limit_of, too_large
from server.levels.access import check_may_make, level_for
from server.team.access import check_may_make_level
from thicket.document.settings import Strict

EACH, ALL = 800 << 20, 3 << 30
"""Bytes of bodies that are being received: of one person, and of all together. Each of several server
processes has its part of them."""
WAITING = 8 << 30
"""Bytes of files that were sent and are still to be kept or dropped, of all together."""
HELD_IN = ("imports", "stock", "opening")
router = Router(tags=["files"])
_LEVEL = re.compile(r"^/api/levels/([^/]+)/(.+)$")


def check_may_send(user: User, path: str) -> None:
    """Refuse files that somebody may not send to an address of the API.

    Raises: HttpError.
    """
    in_level = _LEVEL.match(path)
    if in_level:
        request = HttpRequest()
        request.user = user
        level_for(request, in_level[1], to="lead" if in_level[2].startswith("devices") else "plant")
    elif path.endswith("/saved-levels"):
        check_may_make_level(user)
    else:
        check_may_make(user)


def waiting_bytes() -> int:
    """How much the files take that wait to be kept or dropped."""
    folders = (Path(settings.VAR_DIR) / name for name in HELD_IN)
    total = 0
    for folder in folders:
        for place, _, names in os.walk(folder):  # passes over what is removed meanwhile
            for name in names:
                with suppress(FileNotFoundError):
                    total += (Path(place) / name).stat().st_size
    return total


class Receiving:
    """How much of each person's bodies is being received in this process."""

    def __init__(self, processes: int = 1) -> None:
        self._each, self._all = EACH // processes, ALL // processes
        self._held: dict[int, int] = defaultdict(int)
        self._lock = threading.Lock()

    def has_room(self, person: int, size: int) -> bool:
        with self._lock:
            return self._held[person] + size <= self._each and sum(self._held.values()) + size <= self._all

    def take(self, person: int, size: int) -> None:
        with self._lock:
            self._held[person] += size

    def release(self, person: int, size: int) -> None:
        with self._lock:
            self._held[person] -= size


RECEIVING = Receiving()


class Problem:
    """Why a body is not taken: what waitress answers instead of asking the application."""

    def __init__(self, status: int, sentence: str) -> None:
        self.status, self.sentence = HTTPStatus(status), sentence

    def to_response(self, ident: str | None = None) -> tuple[str, list[tuple[str, str]], bytes]:
        body = json.dumps({"detail": self.sentence}).encode()
        kind = ("Content-Type", "application/json; charset=utf-8")
        return f"{self.status.value} {self.status.phrase}", [kind], body


def _who(cookies: str) -> User | None:
    """Who is signed in with a request's cookies."""
    request = HttpRequest()
    request.COOKIES = parse_cookie(cookies)
    store = import_module(settings.SESSION_ENGINE).SessionStore
    request.session = store(request.COOKIES.get(settings.SESSION_COOKIE_NAME))
    user = get_user(request)
    return user if user.is_authenticated and user.is_active else None


def check_body(user: User, path: str, size: int) -> None:
    """Refuse a body of so many bytes.

    Raises: HttpError.
    """
    if size > limit_of(path):
        raise HttpError(413, too_large(path))
    check_may_send(user, path)
    if waiting_bytes() + size > WAITING:
        raise HttpError(
            507, "The server holds too many files that nobody has kept or dropped: try again later."
        )
    if not RECEIVING.has_room(user.pk, size):
        raise HttpError(429, "Too much is being sent at once: wait until that has arrived.")


def problem_with(path: str, size: int, cookies: str) -> tuple[Problem | None, int]:
    """Why a body of so many bytes is not taken, None when it is; and whose it is, by primary key. Room is
    kept for one that is taken."""
    close_old_connections()
    try:
        user = _who(cookies)
        if user is None:
            return Problem(401, NOT_SIGNED_IN), 0
        check_body(user, path, size)
    except HttpError as error:
        return Problem(error.status_code, str(error)), 0
    except Error:
        return Problem(503, AWAY), 0
    RECEIVING.take(user.pk, size)
    return None, user.pk


class FileIn(Strict):
    """Files that are to be sent: where to, and how many bytes."""

    path: Annotated[str, Field(max_length=300)]
    size: Annotated[int, Field(ge=0)]


@router.post("/files/check", response={204: None})
def check_file(request: HttpRequest, data: FileIn):
    """Whether files may be sent, asked before they are: a refusal in their midst ends the connection, and its
    sentence may not arrive."""
    check_body(request.user, data.path, data.size)
    return 204, None


class Parser(HTTPRequestParser):
    """Looks at a request's headers before its body is taken."""

    taken: tuple[int, int] | None = None
    """Whose body it is, and its bytes, while room is kept for it."""

    def received(self, data: bytes) -> int:
        in_headers = not self.headers_finished
        consumed = super().received(data)
        if in_headers and self.headers_finished and not self.completed:
            self._look()
        elif self.chunked and self.body_bytes_received > settings.BODY_LIMIT and not self.error:
            self._refuse(Problem(413, too_large(self.path)))
        return consumed

    def _look(self) -> None:
        if self.content_length > settings.BODY_LIMIT:
            problem, person = problem_with(self.path, self.content_length, self.headers.get("COOKIE", ""))
            if problem:
                self._refuse(problem)
            else:
                self.taken = person, self.content_length

    def _refuse(self, problem: Problem) -> None:
        self.error, self.completed, self.expect_continue = problem, True, False

    def close(self) -> None:
        if self.taken:
            RECEIVING.release(*self.taken)
            self.taken = None
        super().close()


class Channel(HTTPChannel):
    """A connection; what was received of a request goes with it."""

    parser_class = Parser

    def handle_close(self) -> None:
        unfinished = self.request
        super().handle_close()
        if unfinished is not None and not unfinished.completed:
            unfinished.close()
