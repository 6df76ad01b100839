"""Drafts: files brought in, read in the background, looked at, and kept or dropped."""

from __future__ import annotations

import shutil
from collections.abc import Iterable
from datetime import timedelta
from pathlib import Path
from typing import Any
from uuid import UUID

import numpy as np
from django.conf import settings
from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import Q
from django.utils import timezone

from server.ground import importing
from server.ground.importing import NewGround
from server.ground.models import Draft
from server.jobs import starting
from server.jobs.models import Job
from server.jobs.running import RESTARTED, Progress, Stopped, work
from server.levels.models import Level
from thicket.formats.bounded import Bounds, bounded
from thicket.formats.ground_pictures import layers_picture, relief_picture
from thicket.formats.heights_in import MESH_SUFFIXES, HeightsFile, Reading, read_heights
from thicket.formats.layers_in import proposed_frame, read_named_channels, suggested_names
from thicket.ground.made import check_size, flat_ground, rolling_ground
from thicket.ground.rasters import resample
from thicket.refused import Refused
from thicket.site.conditions import histogram

MESH = Bounds(memory=1_000_000_000, seconds=6, patience=45.0)
STOPPED = "You stopped it; nothing was changed."


def folder_of(draft: Draft) -> Path:
    """Where a draft's files lie."""
    return Path(settings.VAR_DIR) / "imports" / str(draft.pk)


def open_draft(user: User, level: Level | None, kind: str, options: dict, files: Iterable) -> Draft:
    """Take files in and begin to read them; the user's older drafts, and all of yesterday's, are dropped."""
    old = Draft.objects.filter(Q(user=user) | Q(at__lt=timezone.now() - timedelta(days=1)))
    for draft in old.exclude(state=Draft.State.KEEPING):
        drop(draft)
    files = list(files)
    draft = Draft.objects.create(
        user=user, level=level, kind=kind, options=options, names=[Path(f.name).name[:120] for f in files]
    )
    folder = folder_of(draft)
    folder.mkdir(parents=True)
    for k, file in enumerate(files):
        with (folder / f"file-{k}").open("wb") as out:
            for chunk in file.chunks():
                out.write(chunk)
    read(draft)
    return draft


def open_made(user: User, given: dict) -> Draft:
    """Begin to make ground for a new level: see `server.ground.schemas.MadeIn`; the user's older drafts are
    dropped.

    Raises: Refused when it has too many or too few heights.
    """
    check_size(given["width"], given["length"], given["cell"])
    for draft in Draft.objects.filter(user=user).exclude(state=Draft.State.KEEPING):
        drop(draft)
    draft = Draft.objects.create(
        user=user, kind=Draft.Kind.HEIGHTS, names=[f"{given['form']} ground"], made=given
    )
    folder_of(draft).mkdir(parents=True)
    read(draft)
    return draft


def _make(draft: Draft) -> tuple[NewGround | None, dict]:
    """The ground that was asked for, and what was found of it."""
    given = draft.made
    size = given["width"], given["length"], given["cell"]
    hills = given["height"], given["wavelength"], given["seed"]
    ground = flat_ground(*size) if given["form"] == "flat" else rolling_ground(*size, *hills)
    heights = ground.heights
    low, high = float(heights.min()), float(heights.max())
    np.save(folder_of(draft) / "heights.npy", heights)
    relief_picture(heights, ground.cell).save(folder_of(draft) / "preview.png")
    found = {
        "kind": f"{given['form']} ground",
        "rows": heights.shape[0],
        "columns": heights.shape[1],
        "cell": ground.cell,
        "low": low,
        "high": high,
        "lowest": low,
        "highest": high,
        "says": ["cell", "low", "high"],
    }
    return NewGround(heights, ground.cell), found


def _key(draft: Draft) -> str:
    return f"draft {draft.pk}"


def read(draft: Draft) -> None:
    """Begin to read a draft's files under its present options."""
    with transaction.atomic():  # so that nobody sees a draft that is read and no job that reads it
        Draft.objects.filter(pk=draft.pk).update(
            state=Draft.State.READING, trouble="", forecast=None, found={}
        )
        starting.start("read draft", _key(draft), draft.user, draft.level, draft=str(draft.pk))


def drop(draft: Draft) -> None:
    """Stop what is under way for a draft, and remove it with its files."""
    stop(draft)
    shutil.rmtree(folder_of(draft), ignore_errors=True)
    draft.delete()


def stop(draft: Draft) -> None:
    """Stop reading or keeping; nothing of it stays."""
    starting.stop(_key(draft))


def look(draft: Draft) -> dict:
    """A draft's state with its progress."""
    draft.refresh_from_db()
    job = starting.newest(_key(draft))
    if draft.busy and not (job and job.busy):
        draft.refresh_from_db()  # it may have ended in between
        if draft.busy:
            _cut_off(draft, STOPPED if job and job.state == Job.State.STOPPED else RESTARTED)
    at_work = job if job and job.busy else None
    return {
        "id": draft.pk,
        "kind": draft.kind,
        "state": draft.state,
        "names": draft.names,
        "options": draft.options,
        "found": draft.found or None,
        "forecast": draft.forecast,
        "trouble": draft.trouble,
        "level": draft.level.slug if draft.level else None,
        "step": at_work.step if at_work else "",
        "share": at_work.share if at_work else 0.0,
    }


def _cut_off(draft: Draft, trouble: str) -> None:
    """A draft whose work ended before its time: what was read can still be kept, what was not read has
    failed."""
    draft.state = Draft.State.READY if draft.state == Draft.State.KEEPING else Draft.State.FAILED
    draft.trouble = trouble
    Draft.objects.filter(pk=draft.pk).update(state=draft.state, trouble=trouble)  # it may be dropped by now


def _report(job: Job, **fields: object) -> None:
    """Write down what a job has found of its draft, unless a newer one is to read it, under other options."""
    newest = starting.newest(job.key)
    if newest and newest.pk == job.pk:
        Draft.objects.filter(pk=job.arguments["draft"]).update(**fields)


def _fail(job: Job, trouble: str) -> None:
    _report(job, state=Draft.State.FAILED, trouble=trouble[:500])


def _files(draft: Draft) -> list[tuple[Path, str]]:
    return [(folder_of(draft) / f"file-{k}", name) for k, name in enumerate(draft.names)]


@work("read draft")
def _read(job: Job, progress: Progress) -> None:
    draft = Draft.objects.select_related("level").filter(pk=job.arguments["draft"]).first()
    if draft is None:
        return
    try:
        progress.report(0.02, f"Reading {', '.join(draft.names)}")
        if draft.made:
            new, found = _make(draft)
        elif draft.kind == Draft.Kind.HEIGHTS:
            new, found = _read_heights(draft, progress)
        else:
            new, found = _read_layers(draft, progress)
        _report(
            job,
            found=found,
            state=Draft.State.READY if new else Draft.State.FAILED,
            trouble=found.get("wanted", ""),
        )
        if new and draft.level:
            forecast = importing.forecast(
                draft.level, new, lambda share, step: progress.report(0.4 + 0.6 * share, step)
            )
            _report(job, forecast=forecast)
    except Stopped:
        _fail(job, STOPPED)
    except Refused as error:
        _fail(job, f"{str(error).rstrip('.')}.")
    except Exception:
        _fail(job, f"{', '.join(draft.names)} could not be read; nothing was changed.")
        raise


def _heights_of(draft: Draft, progress: Progress) -> HeightsFile:
    o = draft.options
    path, name = _files(draft)[0]
    reading = Reading(o.get("width"), o.get("big_endian"), o.get("cell"))
    bounds = MESH if Path(name).suffix.lower() in MESH_SUFFIXES else Bounds()
    return bounded(name, read_heights, path, name, reading, bounds=bounds, tick=progress.check)


def _read_heights(draft: Draft, progress: Progress) -> tuple[NewGround | None, dict]:
    file = _heights_of(draft, progress)
    progress.report(0.2, "Shading the relief")
    rows, columns = file.shape
    o = draft.options
    found: dict[str, Any] = {
        "kind": file.kind,
        "rows": rows,
        "columns": columns,
        "filled": file.filled,
        "notes": file.notes,
        "cell": o.get("cell") or file.cell,
        "low": file.low if o.get("low") is None else o["low"],
        "high": file.high if o.get("high") is None else o["high"],
        "raw": file.kind == "16-bit raw",
        "width": file.reading.width,
        "big_endian": file.reading.big_endian,
        "says": [k for k in ("cell", "low", "high") if getattr(file, k) is not None],
        "steps": file.full or None,
    }
    wanted = [k for k in ("cell", "low", "high") if found[k] is None]
    shown = file.steps.astype(np.float32) if wanted and file.steps is not None else None
    new = None
    if not wanted:
        heights, cell = importing.chosen_heights(file, o.get("cell"), o.get("low"), o.get("high"))
        new, shown = NewGround(heights, cell), heights
        np.save(folder_of(draft) / "heights.npy", heights)
        found |= {"lowest": float(heights.min()), "highest": float(heights.max())}
    else:
        words = {"cell": "the cell size", "low": "the lowest altitude", "high": "the highest altitude"}
        found["wanted"] = f"Say {' and '.join(words[k] for k in wanted)}: the file does not."
    shown = file.metres if shown is None else shown
    assert shown is not None, "a heightmap has steps or metres"
    counts, edges = histogram(shown, float(shown.min()), float(shown.max()), 64)
    found["histogram"] = {"counts": counts.tolist(), "edges": edges.tolist()}
    relief_picture(shown, found["cell"], not wanted).save(folder_of(draft) / "preview.png")
    return new, found


def _shape_for(draft: Draft) -> tuple[int, int]:
    return draft.level.rows, draft.level.columns


def _read_layers(draft: Draft, progress: Progress) -> tuple[NewGround | None, dict]:
    read = [
        bounded(name, read_named_channels, path, name, tick=progress.check) for path, name in _files(draft)
    ]
    channels = [group for group, _ in read]
    total = sum(map(len, channels))
    counts = [len(group) for group in channels]
    bands = [name for _, names in read for name in names]
    described = bands if len(bands) == total and all(bands) and len(set(bands)) == total else None
    names = draft.options.get("names") or described or suggested_names(draft.names, counts)
    found = {
        "kind": f"{total} layers",
        "rows": channels[0][0].shape[0],
        "columns": channels[0][0].shape[1],
        "names": names,
        "sources": [
            name if n == 1 else f"{name}, channel {k}"
            for name, n in zip(draft.names, counts)
            for k in range(1, n + 1)
        ],
    }
    flat, shape, stretch = (
        [c for group in channels for c in group],
        _shape_for(draft),
        bool(draft.options.get("stretch")),
    )
    proposed = next((p for c in flat if (p := proposed_frame(c.shape, shape))), None)
    frame = None if stretch else draft.options.get("frame") or proposed
    found |= {"other_form": proposed is not None, "frame": frame}
    progress.report(0.2, "Weighing the layers")
    if proposed:
        layers_picture(np.stack([resample(c, flat[0].shape) for c in flat], -1) * 255).save(
            folder_of(draft) / "whole.png"
        )
    Draft.objects.filter(pk=draft.pk).update(found=found)
    layers = importing.normalised(flat, names, shape, ", ".join(draft.names), frame, stretch)
    shares = layers.weights.reshape(-1, total).mean(axis=0) / 255
    found |= {
        "names": layers.names,
        "bare": layers.bare,
        "notes": layers.notes,
        "shares": [float(s) for s in shares],
    }
    np.save(folder_of(draft) / "layers.npy", layers.weights)
    layers_picture(layers.weights).save(folder_of(draft) / "preview.png")
    return NewGround(layers=layers), found


def preview(draft: Draft, whole: bool = False) -> bytes | None:
    """The draft's picture as PNG, when it has been drawn; of maps that a frame is laid over, of the whole of
    them if that is asked for."""
    path = folder_of(draft) / ("whole.png" if whole else "preview.png")
    return path.read_bytes() if path.exists() else None


def new_ground(draft: Draft) -> NewGround:
    """What a draft that is ready would keep."""
    folder = folder_of(draft)
    if draft.kind == Draft.Kind.HEIGHTS:
        return NewGround(np.load(folder / "heights.npy"), draft.found["cell"])
    found = draft.found
    return NewGround(
        layers=importing.Layers(found["names"], np.load(folder / "layers.npy"), found["bare"], found["notes"])
    )


def keep(draft: Draft, key: UUID, name: str, slug: str) -> None:
    """Begin to store a draft that is ready, as its level's ground or as a new level."""
    if draft.state != Draft.State.READY:
        raise Refused("the file is not ready to be kept: look at what it still needs")
    with transaction.atomic():
        Draft.objects.filter(pk=draft.pk).update(state=Draft.State.KEEPING)
        starting.start(
            "keep draft",
            _key(draft),
            draft.user,
            draft.level,
            draft=str(draft.pk),
            action=str(key),
            name=name,
            slug=slug,
        )


@work("keep draft")
def _keep(job: Job, progress: Progress) -> None:
    pk, key, name, slug = (job.arguments[k] for k in ("draft", "action", "name", "slug"))
    draft = Draft.objects.select_related("level", "user").filter(pk=pk).first()
    if draft is None:
        return
    back = {"state": Draft.State.READY}
    try:
        new = new_ground(draft)
        if draft.level:
            what = (
                f"{'Heights' if draft.kind == Draft.Kind.HEIGHTS else 'Ground layers'} from "
                f"{', '.join(draft.names)}"
            )
            forecast = draft.forecast or importing.forecast(
                draft.level, new, lambda s, step: progress.report(s / 2, step)
            )
            importing.keep(draft.user, draft.level, UUID(key), new, what, progress.report, forecast)
        else:
            draft.level = importing.create(draft.user, name, slug, new, progress.report)
        Draft.objects.filter(pk=pk).update(state=Draft.State.STORED, level=draft.level)
        shutil.rmtree(folder_of(draft), ignore_errors=True)
    except Stopped:
        _report(job, trouble=STOPPED, **back)
    except Refused as error:
        _report(job, trouble=f"{str(error).rstrip('.')}."[:500], **back)
    except Exception:
        _report(job, trouble="It could not be stored; nothing was changed.", **back)
        raise
