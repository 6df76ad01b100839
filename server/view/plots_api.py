"""Plots and their allotments: kept by leads, shares asked for and granted by owners."""

from __future__ import annotations

from datetime import timedelta
from typing import Literal

from django.http import HttpRequest
from django.utils import timezone
from ninja import Router, Schema

from server.journal.models import Entry
from server.journal.schemas import EntryOut, entry_out
from server.levels.access import level_for
from server.requests import KeyIn
from server.steps import ChangedOut, changed_out
from server.view.plots import change_plots
from thicket.document.plots import Plots, Request

router = Router(tags=["plots"])


class PlotsIn(KeyIn):
    plots: Plots


class RequestIn(KeyIn):
    request: Request


@router.put("/levels/{slug}/plots", response=ChangedOut)
def set_plots(request: HttpRequest, slug: str, data: PlotsIn):
    """Keep the level's plots, all of them in order, with their allotments; leads only. Open requests stay."""
    level = level_for(request, slug, to="lead")
    given = data.plots.model_dump(mode="json")
    return changed_out(request, level, change_plots(request.user, level, data.key, "set", given))


class PlotWeek(Schema):
    """What was done in a plot in the last seven days and not taken back: actions, who did them, plants gained
    and lost, and the ms that they add, each to the dearest view that it reaches."""

    plot: str
    actions: int
    people: list[str]
    gained: int
    lost: int
    ms: float


class WeekOut(Schema):
    """The last seven days: what was done by plot, and how plots and their shares were changed."""

    plots: list[PlotWeek]
    changes: list[EntryOut]


@router.get("/levels/{slug}/plots/week", response=WeekOut)
def week(request: HttpRequest, slug: str):
    """What was done in the plots in the last seven days."""
    level = level_for(request, slug)
    recent = Entry.objects.filter(level=level, at__gte=timezone.now() - timedelta(days=7), undone=False)
    found: dict[str, dict] = {}
    nothing = {"actions": 0, "gained": 0, "lost": 0, "ms": 0.0}
    for plot, who, gained, lost, worst in recent.exclude(plot="").values_list(
        "plot", "user__username", "gained", "lost", "worst"
    ):
        one = found.setdefault(plot, {"plot": plot, "people": set(), **nothing})
        one["actions"] += 1
        one["people"].add(who)
        one["gained"] += gained
        one["lost"] += lost
        one["ms"] += (worst or {}).get("ms", 0.0)
    changes = recent.filter(kind="plots").select_related("user")[:50]
    return {
        "plots": [{**found[plot], "people": sorted(found[plot]["people"])} for plot in sorted(found)],
        "changes": [entry_out(entry) for entry in changes],
    }


@router.post("/levels/{slug}/plots/{how}", response=ChangedOut)
def share(request: HttpRequest, slug: str, how: Literal["ask", "grant", "drop"], data: RequestIn):
    """Ask another plot for a part of its share, grant that, or drop it. A plot's owner asks for it and drops
    what they asked for; the owner of the plot that is asked grants it or drops it; leads may do all."""
    level = level_for(request, slug, to="plant")
    given = data.request.model_dump(mode="json")
    return changed_out(request, level, change_plots(request.user, level, data.key, how, given))
