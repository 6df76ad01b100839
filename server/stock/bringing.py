"""Bringing things in: files read by the worker, looked at, and put on the shelf or dropped."""

from __future__ import annotations

import shutil
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path, PurePosixPath
from typing import Any
from uuid import UUID, uuid4

from django.conf import settings
from django.contrib.auth.models import User
from django.db import transaction
from django.utils import timezone
from ninja.errors import HttpError

from server.document.files import clear_files
from server.jobs import starting
from server.jobs.models import Job
from server.jobs.running import Progress, work
from server.stock.models import MADE, BroughtItem, Described, ShelfItem
from server.stock.shelf import put_on_shelf, slug_for
from thicket.formats.bounded import Bounds, bounded
from thicket.formats.mesh_files import unpacked
from thicket.refused import Refused
from thicket.stock.bringing import Options, Thing, bring, meshes_in, pictures_in
from thicket.stock.cards import Cards
from thicket.stock.making import Made, mended_item
from thicket.stock.traits import Traits

MOST = 60
"""So many things are brought in together at the most."""
BOUNDS = Bounds(memory=3_000_000_000, seconds=150, patience=300.0)


def folder_of(batch: UUID) -> Path:
    """Where a batch's files lie."""
    return Path(settings.VAR_DIR) / "stock" / str(batch)


def key_of(batch: UUID) -> str:
    return f"stock {batch}"


def open_batch(user: User, files: Iterable, given: dict) -> UUID:
    """Take files in and begin to read them; what the user brought in before, and did not keep, is dropped."""
    _drop_old(user)
    batch = uuid4()
    folder_of(batch).mkdir(parents=True)
    _write(batch, files)
    read(user, batch, given)
    return batch


def _drop_old(user: User) -> None:
    old = BroughtItem.objects.filter(user=user) | BroughtItem.objects.filter(
        at__lt=timezone.now() - timedelta(days=1)
    )
    for batch in set(old.values_list("batch", flat=True)):
        drop(batch)


def _write(batch: UUID, files: Iterable) -> None:
    for k, file in enumerate(files):
        name = "/".join(p for p in PurePosixPath(file.name.replace("\\", "/")).parts if p not in ("..", "/"))[
            -120:
        ]
        (folder_of(batch) / f"{k:03d}").write_text(name)
        with (folder_of(batch) / f"{k:03d}.data").open("wb") as out:
            for chunk in file.chunks():
                out.write(chunk)


def open_mended(user: User, item: ShelfItem, what: str) -> UUID:
    """Begin to do what a finding of an item offers, to be looked at beside it before it is kept."""
    _drop_old(user)
    batch = uuid4()
    starting.start("mend stock", key_of(batch), user, batch=str(batch), item=item.pk, mend=what)
    return batch


def read(user: User, batch: UUID, given: dict) -> None:
    """Begin to read a batch's files under what a person says of them."""
    starting.start("bring stock", key_of(batch), user, batch=str(batch), options=given)


def drop(batch: UUID) -> None:
    """Stop reading a batch, and remove it with its files."""
    starting.stop(key_of(batch))
    BroughtItem.objects.filter(batch=batch).delete()
    shutil.rmtree(folder_of(batch), ignore_errors=True)


def files_of(batch: UUID) -> dict[str, bytes]:
    """A batch's files by the path they came under."""
    names = sorted(p for p in folder_of(batch).glob("*") if not p.suffix)
    return {name.read_text(): name.with_suffix(".data").read_bytes() for name in names}


@dataclass(frozen=True)
class Failed:
    """One thing that could not be read, and why: a sentence."""

    name: str
    why: str


def read_things(
    files: Mapping[str, bytes], options: Options, progress: Progress
) -> Iterable[tuple[Sequence[str], Thing | Failed]]:
    """Each thing among files: its paths, and what was read or why it was not.

    Raises: Refused when there is none, or there are too many.
    """
    files = bounded("the files", unpacked, files, bounds=BOUNDS, tick=progress.check)
    things = pictures_in(files) if options.cards else meshes_in(files)
    if len(things) > MOST:
        raise Refused(
            f"files: there are {len(things)} things among them; at most {MOST} are brought in together"
        )
    for k, paths in enumerate(things):
        name = PurePosixPath(paths[0]).name
        progress.report(
            k / len(things),
            f"Reading {name}" if options.cards else f"Reading {name}, making LODs and a billboard",
        )
        try:
            for thing in bounded(
                name, bring, files, paths, "item", options, bounds=BOUNDS, tick=progress.check
            ):
                yield paths, thing
        except Refused as error:
            yield paths, Failed(PurePosixPath(paths[0]).stem, f"{str(error).rstrip('.')}.")


def options_of(given: dict) -> Options:
    """What a person says of files, for the core."""
    cards = given.get("cards")
    return Options(**{**given, "cards": Cards(**cards) if cards else None})


@work("bring stock")
def _read(job: Job, progress: Progress) -> None:
    batch = UUID(job.arguments["batch"])
    rows = []
    for paths, thing in read_things(files_of(batch), options_of(job.arguments["options"]), progress):
        row = BroughtItem(batch=batch, user=job.user, paths=list(paths), name=thing.name[:80])
        if isinstance(thing, Failed):
            row.refused, row.height, row.crown, row.trunk = thing.why[:500], 0, 0, 0
        else:
            row.unit, row.notes = thing.unit, thing.notes
            put_made(row, thing.made)
        rows.append(row)
    newest = starting.newest(job.key)
    if newest and newest.pk == job.pk:
        with transaction.atomic():
            BroughtItem.objects.filter(batch=batch).delete()
            BroughtItem.objects.bulk_create(rows)
    clear_files()


def mend_of(batch: UUID) -> str:
    """The name of what a batch's mended copy had done to it; empty when its files were brought in."""
    job = starting.newest(key_of(batch))
    return job.arguments.get("mend", "") if job else ""


@work("mend stock")
def _mend_copy(job: Job, progress: Progress) -> None:
    item = ShelfItem.objects.get(pk=job.arguments["item"])
    progress.report(0.1, f"Mending a copy of {item.name}")
    row = BroughtItem(batch=UUID(job.arguments["batch"]), user=job.user, paths=[], name=item.name, unit="m")
    put_made(row, mended(made_of(item), job.arguments["mend"]))
    progress.check()
    row.save()


def put_made(row: Described, made: Made) -> None:
    """Give a row all that was made of an item."""
    for name in MADE:
        setattr(row, name, getattr(made, name))


def made_of(row: Described) -> Made:
    """What was made of an item, from its row."""
    parts: dict[str, Any] = {
        name: bytes(value) if isinstance(value := getattr(row, name), memoryview) else value for name in MADE
    }
    return Made(**parts)


def mend(user: User, batch: UUID, thing: int, what: str) -> None:
    """Do what a finding of a thing offers.

    Raises: HttpError 404 when it is no longer there; Refused when there is nothing of that name to do.
    """
    row = brought_of(user, batch, thing)
    put_made(row, mended(made_of(row), what))
    row.save()


def mended(made: Made, what: str) -> Made:
    """An item after what a finding offers."""
    return bounded(
        "the item",
        mended_item,
        "item",
        made.glb,
        what,
        Traits(**made.traits),
        made.crown,
        made.trunk,
        bounds=BOUNDS,
    )


def brought_of(user: User, batch: UUID, thing: int) -> BroughtItem:
    """A thing that waits to be kept.

    Raises: HttpError 404 when it is no longer there; Refused when it could not be read.
    """
    row = BroughtItem.objects.filter(batch=batch, user=user, pk=thing).first()
    if row is None:
        raise HttpError(404, "What was brought in is no longer waiting: bring it in again.")
    if row.refused:
        raise Refused(row.refused)
    return row


def keep(user: User, batch: UUID, chosen: Sequence[dict]) -> list[ShelfItem]:
    """Put things of a batch on the shelf: all of them or none.

    Parameters: chosen, of each its id, name, group, tags and note. Raises: HttpError 404 when one is no
    longer there; Refused when it could not be read, or a name is taken or comes twice.
    """
    names = [given["name"].strip() for given in chosen]
    if len(set(names)) < len(names):
        raise Refused("name: two things cannot have the same name")
    with transaction.atomic():
        out = []
        for given in chosen:
            row, name = brought_of(user, batch, given["id"]), given["name"].strip()
            out.append(
                put_on_shelf(
                    made_of(row), slug_for(name), name, given["group"], user, given["tags"], given["note"]
                )
            )
    drop(batch)
    return out
