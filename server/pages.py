"""The one page of the application, with this response's nonce for its styles, and who is signed in."""

from functools import cache

from django.conf import settings
from django.db import Error
from django.http import HttpRequest, HttpResponse
from django.utils.html import json_script
from django.views.decorators.csrf import ensure_csrf_cookie

from server.accounts.api import who_is


@cache
def _page() -> str:
    return (settings.WEB_DIST / "index.html").read_text(encoding="utf-8")


@ensure_csrf_cookie
def application(request: HttpRequest) -> HttpResponse:
    """The page that loads the front end."""
    try:
        page = _page()
    except FileNotFoundError:
        return HttpResponse(
            "The front end has not been built: run ./kt setup.", status=503, content_type="text/plain"
        )
    try:
        session = json_script(who_is(request.user), "session")
    except Error:  # the database is away: the page comes all the same, and asks again itself
        session = ""
    response = HttpResponse(
        page.replace("__CSP_NONCE__", str(request.csp_nonce)).replace("</body>", f"{session}</body>")
    )
    response["Cache-Control"] = "no-store"
    return response
