"""Bringing things in: files read by the worker, looked at, and put on the shelf or dropped."""

from __future__ import annotations

import shutil
from collections.abc import Iterable, Mapping, Sequence
from datetime import timedelta
from pathlib import Path, PurePosixPath
from uuid import UUID, uuid4

from django.conf import settings
from django.contrib.auth.models import User
from django.db import transaction
from django.utils import timezone
from ninja.errors import HttpError

from server.jobs import starting
from server.jobs.models import Job
from server.jobs.running import Progress, work
from server.stock.models import BroughtItem, ShelfItem
from server.stock.shelf import free_slug, put_on_shelf
from thicket.formats.bounded import Bounds, bounded
from thicket.formats.mesh_files import unpacked
from thicket.refused import Refused
from thicket.stock.bringing import Wish, brought, meshes_in
from thicket.stock.making import Made

MOST = 60
"""So many things are brought in together at the most."""
BOUNDS = Bounds(memory=3_000_000_000, seconds=150, patience=300.0)
MADE = ("height", "crown", "trunk", "anchors", "glb", "silhouette", "distances", "picture", "scale", "states", "texture_bytes",
        "findings")


def folder_of(batch: UUID) -> Path:
    """Where a batch's files lie."""
    return Path(settings.VAR_DIR) / "stock" / str(batch)


def key_of(batch: UUID) -> str:
    return f"stock {batch}"


def open_batch(user: User, files: Iterable, said: dict) -> UUID:
    """Take files in and begin to read them; what the user brought in before, and did not keep, is dropped."""
    old = BroughtItem.objects.filter(user=user) | BroughtItem.objects.filter(at__lt=timezone.now() - timedelta(days=1))
    for batch in set(old.values_list("batch", flat=True)):
        drop(batch)
    batch = uuid4()
    folder_of(batch).mkdir(parents=True)
    for k, file in enumerate(files):
        name = "/".join(p for p in PurePosixPath(file.name.replace("\\", "/")).parts if p not in ("..", "/"))[-120:]
        (folder_of(batch) / f"{k:03d}").write_text(name)
        with (folder_of(batch) / f"{k:03d}.data").open("wb") as out:
            for chunk in file.chunks():
                out.write(chunk)
    read(user, batch, said)
    return batch


def read(user: User, batch: UUID, said: dict) -> None:
    """Begin to read a batch's files under what a person says of them."""
    starting.start("bring stock", key_of(batch), user, batch=str(batch), said=said)


def drop(batch: UUID) -> None:
    """Stop reading a batch, and remove it with its files."""
    starting.stop(key_of(batch))
    BroughtItem.objects.filter(batch=batch).delete()
    shutil.rmtree(folder_of(batch), ignore_errors=True)


def files_of(batch: UUID) -> dict[str, bytes]:
    """A batch's files by the path they came under."""
    names = sorted(p for p in folder_of(batch).glob("*") if not p.suffix)
    return {name.read_text(): name.with_suffix(".data").read_bytes() for name in names}


def read_things(files: Mapping[str, bytes], wish: Wish, progress: Progress) -> Iterable[tuple[Sequence[str], Made | None, tuple]]:
    """Each thing among files: its paths; what the shelf would keep, None when it was refused; and name, unit, notes or the reason.

    Raises: Refused when there is none, or there are too many.
    """
    files = bounded("the files", unpacked, files, bounds=BOUNDS, tick=progress.check)
    things = meshes_in(files)
    if len(things) > MOST:
        raise Refused(f"files: there are {len(things)} things among them; at most {MOST} are brought in together")
    for k, paths in enumerate(things):
        name = PurePosixPath(paths[0]).name
        progress.tell(k / len(things), f"Reading {name}, making LODs and a billboard")
        try:
            *told, item = bounded(name, brought, files, paths, "item", wish, bounds=BOUNDS, tick=progress.check)
            yield paths, item, tuple(told)
        except Refused as error:
            yield paths, None, (PurePosixPath(paths[0]).stem, "", [], f"{str(error).rstrip('.')}.")


def wish_of(said: dict) -> Wish:
    """What a person says of files, for the core."""
    shares = tuple(0.35 * 0.3**k for k in range(said.get("lods", 2)))
    return Wish(said.get("unit"), said.get("up", "y"), said.get("height"), shares, said.get("billboard", True))


@work("bring stock")
def _read(job: Job, progress: Progress) -> None:
    batch = UUID(job.arguments["batch"])
    rows = []
    for paths, item, told in read_things(files_of(batch), wish_of(job.arguments["said"]), progress):
        row = BroughtItem(batch=batch, user=job.user, paths=list(paths), name=told[0][:80])
        if item is None:
            row.refused, row.height, row.crown, row.trunk = told[3][:500], 0, 0, 0
        else:
            row.unit, row.notes = told[1], told[2]
            for name in MADE:
                setattr(row, name, getattr(item, name))
        rows.append(row)
    newest = starting.newest(job.key)
    if newest and newest.pk == job.pk:
        with transaction.atomic():
            BroughtItem.objects.filter(batch=batch).delete()
            BroughtItem.objects.bulk_create(rows)


def keep(user: User, batch: UUID, chosen: Sequence[dict]) -> list[ShelfItem]:
    """Put things of a batch on the shelf: all of them or none.

    Parameters: chosen, of each its id, name, group, tags and note.
    Raises: HttpError 404 when one is no longer there; Refused when it could not be read, or a name is taken or comes twice.
    """
    names = [said["name"].strip() for said in chosen]
    if len(set(names)) < len(names):
        raise Refused("name: two things cannot have the same name")
    with transaction.atomic():
        out = []
        for said in chosen:
            row = BroughtItem.objects.filter(batch=batch, user=user, pk=said["id"]).first()
            if row is None:
                raise HttpError(404, "What was brought in is no longer waiting: bring it in again.")
            if row.refused:
                raise Refused(row.refused)
            item = Made(**{name: getattr(row, name) for name in MADE})
            name = said["name"].strip()
            out.append(put_on_shelf(item, free_slug(name), name, said["group"], user, said["tags"], said["note"]))
    drop(batch)
    return out
