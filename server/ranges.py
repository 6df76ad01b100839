"""Files sent whole or in part, so that a download that broke off goes on (RFC 9110, section 14)."""

from __future__ import annotations

import mimetypes
import re
import zlib
from collections.abc import Iterator
from pathlib import Path

from django.http import FileResponse, HttpRequest, HttpResponse, StreamingHttpResponse
from ninja.errors import HttpError

_RANGE = re.compile(r"bytes=(\d{0,15})-(\d{0,15})")
_PIECE = 1 << 18


def ranged(
    request: HttpRequest, path: Path, name: str
) -> HttpResponse | FileResponse | StreamingHttpResponse:
    """A file that never changes, as a download under a name; where a part of it is asked for, that part.

    Raises: HttpError 404 when it is not there.
    """
    if not path.is_file():
        raise HttpError(404, "That file is not there: hand the level over again.")
    size = path.stat().st_size
    kind = mimetypes.guess_type(name)[0] or "application/octet-stream"
    etag = f'"{zlib.crc32(str(path).encode()):x}-{size:x}"'
    part = _part(request, size, etag)
    response: HttpResponse | FileResponse | StreamingHttpResponse
    if part is None:
        response = FileResponse(path.open("rb"), as_attachment=True, filename=name, content_type=kind)
    elif len(part) == 0:
        response = HttpResponse(status=416, headers={"Content-Range": f"bytes */{size}"})
    else:
        response = StreamingHttpResponse(_read(path, part), status=206, content_type=kind)
        response["Content-Length"] = str(len(part))
        response["Content-Range"] = f"bytes {part.start}-{part.stop - 1}/{size}"
    response["Accept-Ranges"] = "bytes"
    response["ETag"] = etag
    return response


def _part(request: HttpRequest, size: int, etag: str) -> range | None:
    """Which bytes are asked for: all for None, nothing that there is for an empty range. Several ranges at
    once, and a range of a file that is another by now, are answered by all of it."""
    asked = _RANGE.fullmatch(request.headers.get("Range", ""))
    if not asked or asked.groups() == ("", "") or request.headers.get("If-Range", etag) != etag:
        return None
    first, last = asked.groups()
    if not first:
        return range(max(size - int(last), 0), size)
    return range(int(first), min(int(last) + 1, size) if last else size)


def _read(path: Path, part: range) -> Iterator[bytes]:
    with path.open("rb") as file:
        file.seek(part.start)
        left = len(part)
        while left and (piece := file.read(min(_PIECE, left))):
            left -= len(piece)
            yield piece
