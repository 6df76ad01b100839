"""The bare endpoint that `stroke` is measured against: sign-in, lock, rewrite blobs of 8 KB, one journal row;
and the page of bare three.js that `stage` is measured against."""

from __future__ import annotations

import os
import uuid

from django.conf import settings
from django.db import transaction
from django.http import HttpRequest
from django.urls import path
from django.views.static import serve
from ninja import NinjaAPI, Schema
from ninja.security import django_auth

from server.journal.models import Entry
from server.stands.models import TouchTile
from server.urls import urlpatterns as application

api = NinjaAPI(
    title="reference", urls_namespace="reference", auth=django_auth, docs_url=None, openapi_url=None
)


class Blobs(Schema):
    stand: int
    level: int
    tiles: list[tuple[int, int]]


@api.post("/blobs")
def blobs(request: HttpRequest, data: Blobs):
    """Lock and rewrite as many blobs as the stroke has tiles, and add one journal row."""
    with transaction.atomic():
        xs, zs = {t[0] for t in data.tiles}, {t[1] for t in data.tiles}
        for tile in TouchTile.objects.select_for_update().filter(stand=data.stand, tx__in=xs, tz__in=zs):
            tile.data, tile.revision = os.urandom(8192), tile.revision + 1
            tile.save(update_fields=["data", "revision"])
        entry = Entry.objects.create(
            level_id=data.level,
            user=request.user,
            kind="paint",
            key=uuid.uuid4(),
            what="reference",
        )
    return {"entry": entry.pk}


urlpatterns = [
    path("reference/page/<path:path>", serve, {"document_root": settings.BASE_DIR / "var" / "bench-web"}),
    path("reference/", api.urls),
    *application,
]
