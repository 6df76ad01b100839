"""Measured frames, and the device that follows from them."""

from __future__ import annotations

from typing import Annotated

from django.http import HttpRequest
from ninja import File, Form, Router, Schema
from ninja.files import UploadedFile

from server.document.planted import planted_of
from server.levels.access import level_for
from server.sight.costing import drawing_of, items_of
from thicket.document.drawing import DeviceSettings
from thicket.document.settings import Name
from thicket.planted.captures import loads_in, views_at
from thicket.refused import Refused
from thicket.sight.devices import calibrate, read_captures

router = Router(tags=["sight"])
BY_PLACE = 120
"""So many frames that are given by the camera's place are computed while somebody waits."""
SHOWN = 1000
"""So many frames are given back to be drawn."""


class CalibrationOut(Schema):
    """A device that was fitted to measured frames. `error`, how far off it is on frames that were left out of
    the fit, relative; `frames`, measured and predicted ms of each, and whether it fits the others; `unclear`,
    groups of coefficients that these frames do not distinguish, or know nothing of."""

    device: DeviceSettings
    error: float
    frames: list[tuple[float, float, bool]]
    left_out: int
    unclear: list[list[str]]


@router.post("/levels/{slug}/devices/calibrate", response=CalibrationOut)
def calibrate_device(
    request: HttpRequest,
    slug: str,
    file: File[UploadedFile],
    name: Annotated[Name, Form()],
    tier: Annotated[str, Form(max_length=80)] = "",
):
    """The device that follows from measured frames, as CSV; those that are given by the camera's place are
    computed through a tier. Nothing is kept."""
    level = level_for(request, slug, to="lead")
    try:
        text = file.read().decode("utf-8")
    except UnicodeDecodeError:
        raise Refused("captures: this is no text in UTF-8") from None
    kind, frames, ms = read_captures(text)
    if kind == "places":
        if len(frames) > BY_PLACE:
            raise Refused(
                f"captures: at most {BY_PLACE} frames by the camera's place are computed here; "
                f"`./kt core calibrate` takes more"
            )
        frames = loads_in(planted_of(level), views_at(frames, drawing_of(level, tier)[0]), items_of(level))
    found = calibrate(name, frames, ms)
    rows = zip(ms.round(4).tolist(), found.predicted.round(4).tolist(), found.fits.tolist())
    return {
        "device": DeviceSettings.of(found.device, int(found.fits.sum())),
        "error": found.error,
        "frames": list(rows)[:SHOWN],
        "left_out": int((~found.fits).sum()),
        "unclear": found.unclear,
    }
