"""The brush: strokes kept and tried, and the tips it may have."""

from __future__ import annotations

import base64
import io
from collections.abc import Sequence
from dataclasses import asdict
from typing import Annotated, Literal

import numpy as np
from django.http import HttpRequest, HttpResponse
from ninja import File, Router, Schema, UploadedFile
from PIL import Image
from pydantic import Field

from server.document.own_ground import regions_of
from server.document.planted import planted_of
from server.levels.access import check_may_change, check_may_make, level_for, may_change
from server.locks import level_lock
from server.requests import KeyIn
from server.sight.costing import items_of, seen
from server.sight.schemas import PlotCostOut
from server.stands.access import stand_for
from server.stands.models import BrushTip
from server.stands.painting import attempt, paint
from server.stands.payload import encode
from server.steps import ChangedOut, changed_out
from thicket.document.settings import Degrees, Number, Share, Strict, shown
from thicket.formats.bounded import Bounds, bounded
from thicket.formats.pictures import read_grey
from thicket.planted.brush_limits import Limits
from thicket.planted.brushing import Brush
from thicket.planted.costs import region_cost
from thicket.planted.sheets import apart
from thicket.planting.strokes import Stroke
from thicket.planting.tips import MADE, SIDE, made_tip, tip_of_picture
from thicket.refused import Refused

router = Router(tags=["brush"])
Touch = Annotated[float, Field(allow_inf_nan=False, ge=-1, le=1), shown(0.05, "%")]
TIPS, PICTURE = 40, 2 << 20
SMALL = Bounds(memory=400_000_000, seconds=5, patience=45.0)


Altitude = Annotated[Number, shown(1, "m")]


class LimitsIn(Strict):
    """Where alone the brush works; see `thicket.planted.brush_limits.Limits`."""

    layer: Annotated[str, Field(max_length=40)] = ""
    slope: tuple[Degrees, Degrees] | None = None
    altitude: tuple[Altitude, Altitude] | None = None
    area: int | None = None
    present: bool = False


Cosine = Annotated[float, Field(allow_inf_nan=False, ge=-1.01, le=1.01)]
OnMesh = tuple[int, Number, Cosine, Cosine, Cosine]
"""A place on a placed mesh beside its x and z: the mesh's id, the altitude, and the way it faces there."""


class BrushIn(KeyIn):
    """A drag of a brush: see `thicket.planting.strokes.Stroke`. The key makes a repeat count once. `tip` is a
    made tip's name or the number of one's own."""

    path: list[tuple[Number, Number]] = Field(min_length=1, max_length=4000)
    pressure: list[Share] | None = Field(default=None, max_length=4000)
    radius: Annotated[float, Field(allow_inf_nan=False, ge=0.25, le=500), shown(0.5, "m")]
    soft: Share
    strength: Share
    tip: Annotated[str, Field(max_length=20)] = ""
    turn: Literal["still", "along", "random"] = "still"

    def stroke(self, verb: str, toward: float = 0.0, on: Sequence[OnMesh] = ()) -> Stroke:
        """The stroke as the core works with it."""
        return Stroke(
            verb,
            self.path,
            self.radius,
            self.soft,
            self.strength,
            toward,
            self.pressure,
            tip_of(self.tip),
            self.turn,
            on,
        )


class StrokeIn(BrushIn):
    """A drag of the brush over one stand, and `also` over others. `fill` works everywhere in the level, or in
    the area of the limits. Over placed meshes `on` has, for each point of the path, the mesh's id, the
    altitude and the direction that the surface faces; stands that grow elsewhere are left alone."""

    stand: int
    also: list[int] = Field(default=[], max_length=200)
    verb: Literal["thicken", "thin", "ease", "level"]
    on: list[OnMesh] = Field(default=[], max_length=4000)
    toward: Touch = 0
    fill: Literal["", "area", "level"] = ""
    limits: LimitsIn = LimitsIn()

    def brush(self) -> Brush:
        """The brush as the server works with it."""
        return Brush(
            self.stroke(self.verb, self.toward, self.on), Limits(**self.limits.model_dump()), self.fill
        )


class TipOut(Schema):
    """A brush tip: its picture as the address of a PNG of `SIDE` × `SIDE` grey values; whether one may
    remove it."""

    key: str
    name: str
    picture: str
    own: bool


def tip_of(key: str) -> np.ndarray | None:
    """A tip by its key; None for the round brush.

    Raises: Refused when there is none.
    """
    if not key:
        return None
    if key in MADE:
        return made_tip(key)
    tip = (
        BrushTip.objects.filter(pk=int(key)).first()
        if key.isascii() and key.isdigit() and len(key) < 19
        else None
    )
    if tip is None:
        raise Refused("tip: that brush tip is no longer there; take up another")
    return np.frombuffer(tip.data, np.uint8).reshape(SIDE, SIDE).astype(np.float32) / 255


def _tip_out(key: str, name: str, values: np.ndarray, own: bool) -> dict:
    out = io.BytesIO()
    Image.fromarray(values).save(out, "PNG")
    return {
        "key": key,
        "name": name,
        "own": own,
        "picture": "data:image/png;base64," + base64.b64encode(out.getvalue()).decode(),
    }


def _values(tip: BrushTip) -> np.ndarray:
    return np.frombuffer(tip.data, np.uint8).reshape(SIDE, SIDE)


@router.get("/tips", response=list[TipOut])
def tips(request: HttpRequest):
    """The brush tips: those that come with the application, then those that people have added."""
    made = [
        _tip_out(key, name, np.rint(made_tip(key) * 255).astype(np.uint8), False)
        for key, name in MADE.items()
    ]
    return made + [
        _tip_out(
            str(t.pk),
            t.name,
            np.frombuffer(t.data, np.uint8).reshape(SIDE, SIDE),
            may_change(request.user, t.by_id),
        )
        for t in BrushTip.objects.all()
    ]


@router.post("/tips", response=TipOut)
def add_tip(request: HttpRequest, file: File[UploadedFile]):
    """Add a tip from a picture: white is where the brush works."""
    check_may_make(request.user)
    if file.size > PICTURE:
        raise Refused(f"file: the picture has {file.size / 2**20:.1f} MB; at most {PICTURE >> 20} are taken")
    if BrushTip.objects.count() >= TIPS:
        raise Refused(f"file: there are {TIPS} tips already; remove one first")
    name = (file.name or "tip").rsplit(".", 1)[0][:60]
    grey = bounded(f"file: {name}", read_grey, file.read(), bounds=SMALL)
    data = np.rint(tip_of_picture(grey) * 255).astype(np.uint8)
    tip = BrushTip.objects.create(name=name, by=request.user, data=data.tobytes())
    return _tip_out(str(tip.pk), tip.name, data, True)


@router.delete("/tips/{tip}", response={204: None})
def remove_tip(request: HttpRequest, tip: int):
    """Remove a tip that one has added."""
    row = BrushTip.objects.filter(pk=tip).first()
    check_may_change(request.user, row.name if row else "", row.by if row else None)
    if row:
        row.delete()
    return 204, None


@router.post("/levels/{slug}/strokes", response=ChangedOut)
def stroke(request: HttpRequest, slug: str, data: StrokeIn):
    """Paint: one transaction, one journal entry."""
    level = level_for(request, slug, to="plant")
    rows = [stand_for(level, pk) for pk in dict.fromkeys([data.stand, *data.also])]
    with level_lock(slug):
        done = paint(request.user, rows, data.brush(), data.key)
    return changed_out(request, level, done, data.view)


@router.post("/levels/{slug}/strokes/spent", response=list[PlotCostOut])
def spent_with_stroke(request: HttpRequest, slug: str, data: StrokeIn):
    """What the plots that a stroke reaches would spend in its view with it; nothing is stored."""
    level = level_for(request, slug, to="plant")
    if data.view is None:
        raise Refused("view: say from where it is looked at")
    stock, view, brush = items_of(level), seen(level, data.view), data.brush()
    after = planted_of(level)
    box = brush.reach(after)
    numbers = {stand_for(level, pk).number for pk in [data.stand, *data.also]}
    after = after.after(brush.painting(after, numbers)).after
    return [
        {"plot": name, **asdict(region_cost(after.plantings(), stock, view, region))}
        for name, region in regions_of(level).items()
        if not apart(region.area.box, box)
    ]


@router.post("/levels/{slug}/strokes/try")
def try_stroke(request: HttpRequest, slug: str, data: StrokeIn):
    """The plants a stroke would leave of its first stand in its box: x0, z0, x1, z1 float32, then plants;
    nothing is stored."""
    level = level_for(request, slug, to="plant")
    box, left = attempt(stand_for(level, data.stand), data.brush())
    head = np.array(box, "<f4").tobytes()
    return HttpResponse(head + encode(left), content_type="application/octet-stream")
