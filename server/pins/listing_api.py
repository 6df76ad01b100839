"""Single plants as a list."""

from __future__ import annotations

from typing import Annotated

from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from server.cache import CACHE
from server.document.planted import numbers_of, planted_of
from server.levels.access import level_for
from server.pins.api import PlantId
from server.pins.many_api import SelectedOut, selected_out
from server.sight.costing import items_of, seen
from server.sight.schemas import ViewIn
from server.stands.access import stand_for
from thicket.document.settings import Number, Strict, shown
from thicket.hashing import digest
from thicket.planted.listing import Column, GroupedBy, Wanted, listed
from thicket.refused import Refused

router = Router(tags=["pins"])
Height = Annotated[float, Field(allow_inf_nan=False, ge=0, le=1000), shown(0.5, "m")]
PAGE = 200


class ListIn(Strict):
    """Which single plants, as `thicket.planted.listing.Wanted` has it, seen from a view; all stands when
    there are none. The rows from `first` on, or from about where a plant is, by its id."""

    stands: list[int] = Field(default=[], max_length=200)
    outline: list[tuple[Number, Number]] = Field(default=[], max_length=2000)
    item: Annotated[str, Field(max_length=60)] = ""
    by_hand: bool = False
    in_sight: bool = False
    height: tuple[Height, Height] | None = None
    sort: Column = "far"
    descending: bool = False
    grouped: GroupedBy = ""
    group: Annotated[str, Field(max_length=60)] | None = None
    view: ViewIn
    first: Annotated[int, Field(ge=0, le=10**8)] = 0
    around: PlantId | None = None


class ListedOut(SelectedOut):
    """A plant in a list: its height and its distance from the eye in m, and the triangles it is drawn by."""

    tall: float
    far: float
    triangles: int


class GroupOut(Schema):
    """Plants of a list that belong together: by stand (its id), item, drawing cell ("x z", its corner in m)
    or area (its id, empty for outside of any); how many, and their triangles."""

    key: str
    count: int
    triangles: int


class ListOut(Schema):
    rows: list[ListedOut]
    first: int
    total: int
    groups: list[GroupOut] = Field(description="the dearest 500")
    at: int | None = Field(description="the row of the plant that was looked for")


@router.post("/levels/{slug}/plants", response=ListOut)
def plants(request: HttpRequest, slug: str, data: ListIn):
    """A page of the level's single plants as a list."""
    level = level_for(request, slug)
    if data.outline and len(data.outline) < 3:
        raise Refused("outline: it needs three corners or more")
    planted, ids = planted_of(level), {number: pk for pk, number in numbers_of(level).items()}
    numbers = [stand_for(level, pk).number for pk in dict.fromkeys(data.stands)]
    given = data.model_dump(exclude={"stands", "view", "first", "around"})
    group = data.group
    if group and data.grouped == "stand":
        group = str(stand_for(level, int(group)).number) if group.isdigit() else ""
    wanted = Wanted(
        stands=tuple(numbers or [stand.number for stand in planted.level.in_order]),
        **{**given, "outline": tuple(data.outline), "group": group},
    )
    view = seen(level, data.view)
    key = digest(level.slug, level.version, repr(wanted), data.view.model_dump(mode="json"))
    found = CACHE.get(("plants listed", key), lambda: listed(planted, wanted, view, items_of(level)))
    at = None
    if data.around is not None:
        hits = (found.id == int(data.around)).nonzero()[0]
        at = int(hits[0]) if len(hits) else None
    first = max(at - PAGE // 2, 0) if at is not None else data.first
    rows = list(range(first, min(first + PAGE, len(found))))
    groups = sorted(found.groups.items(), key=lambda one: (-one[1][1], -one[1][0], one[0]))[:500]
    named = (lambda k: str(ids[int(k)])) if data.grouped == "stand" else str
    form = found.form[rows].astype(float)
    ground = planted.ground.height_at(form[:, 0], form[:, 2])
    named = (lambda k: str(ids[int(k)])) if data.grouped == "stand" else str
    return {
        "rows": [
            selected_out(
                ids[int(found.stand[k])],
                int(found.id[k]),
                str(found.item[k]),
                form[n].tolist(),
                float(ground[n]),
                bool(found.by_hand[k]),
            )
            | {"tall": found.height[k], "far": found.far[k], "triangles": int(found.triangles[k])}
            for n, k in enumerate(rows)
        ],
        "first": first,
        "total": len(found),
        "groups": [{"key": named(k), "count": n, "triangles": t} for k, (n, t) in groups],
        "at": at,
    }
