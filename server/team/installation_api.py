"""The installation's settings, and how much it holds."""

from __future__ import annotations

import os
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated

from django.conf import settings
from django.contrib.auth.models import User
from django.db import connection
from django.http import HttpRequest
from ninja import Field, Router, Schema
from pydantic import AfterValidator

from server.errors import NotAllowed
from server.levels.models import Level
from server.team.models import Installation
from thicket.document.settings import Strict
from thicket.refused import Refused

router = Router(tags=["team"])


def _address(text: str) -> str:
    if text and not text.startswith(("http://", "https://")):
        raise Refused("it begins with http:// or https://")
    return text.rstrip("/")


class InstallationIn(Strict):
    """The installation's name; the address under which people reach it, for links that are handed on; whether
    an invitation lets somebody make an account; who may begin levels."""

    name: Annotated[str, Field(max_length=60)]
    address: Annotated[str, Field(max_length=200), AfterValidator(_address)]
    sign_up: Installation.SignUp
    makers: Installation.Makers


class InstallationOut(Schema):
    """The settings; accounts and levels; bytes in the database and in files; when the last backup was
    written."""

    name: str
    address: str
    sign_up: Installation.SignUp
    makers: Installation.Makers
    people: int
    levels: int
    database_bytes: int
    file_bytes: int
    last_backup: datetime | None


def _check(request: HttpRequest) -> None:
    if not request.user.is_superuser:
        raise NotAllowed("Only who looks after the installation may see and change its settings.")


def _database_bytes() -> int:
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT SUM(data_length + index_length) FROM information_schema.tables "
            "WHERE table_schema = DATABASE()"
        )
        return int(cursor.fetchone()[0] or 0)


def _file_bytes() -> int:
    """Bytes of what is kept in files: bakes, handover files, files that wait to be kept."""
    return sum(
        (Path(folder) / name).stat().st_size
        for part in ("handover", "imports", "stock", "opening", "bakes")
        for folder, _, names in os.walk(Path(settings.VAR_DIR) / part)
        for name in names
    )


def _last_backup() -> datetime | None:
    mark = Path(settings.VAR_DIR) / "last-backup"
    return datetime.fromtimestamp(mark.stat().st_mtime, UTC) if mark.exists() else None


def _installation() -> dict:
    now = Installation.now()
    return {
        "name": now.name,
        "address": now.address,
        "sign_up": now.sign_up,
        "makers": now.makers,
        "people": User.objects.filter(is_active=True).count(),
        "levels": Level.objects.filter(removed_at=None).count(),
        "database_bytes": _database_bytes(),
        "file_bytes": _file_bytes(),
        "last_backup": _last_backup(),
    }


@router.get("/installation", response=InstallationOut)
def look(request: HttpRequest):
    """The installation's settings, for who looks after it."""
    _check(request)
    return _installation()


@router.put("/installation", response=InstallationOut)
def keep(request: HttpRequest, data: InstallationIn):
    """Keep the installation's settings."""
    _check(request)
    Installation.objects.update_or_create(pk=1, defaults=data.model_dump())
    return _installation()
