"""Plots and their allotments: kept by leads, shares asked for and granted by owners."""

from __future__ import annotations

from typing import Literal

from django.http import HttpRequest
from ninja import Router
from pydantic import UUID4

from server.journal.schemas import EntryOut, entry_out
from server.levels.access import level_for
from server.levels.plots import change_plots
from thicket.document.plots import Plots, Request
from thicket.document.settings import Strict

router = Router(tags=["plots"])


class PlotsIn(Strict):
    key: UUID4
    plots: Plots


class RequestIn(Strict):
    key: UUID4
    request: Request


@router.put("/levels/{slug}/plots", response=EntryOut)
def set_plots(request: HttpRequest, slug: str, data: PlotsIn):
    """Keep the level's plots, all of them in order, with their allotments; leads only. Open requests stay."""
    level = level_for(request, slug, to="lead")
    said = data.plots.model_dump(mode="json")
    return entry_out(change_plots(request.user, level, data.key, "set", said), request.user)


@router.post("/levels/{slug}/plots/{how}", response=EntryOut)
def share(request: HttpRequest, slug: str, how: Literal["ask", "grant", "drop"], data: RequestIn):
    """Ask another plot for a part of its share, grant that, or drop it. A plot's owner asks for it and drops
    what they asked for; the owner of the plot that is asked grants it or drops it; leads may do all."""
    level = level_for(request, slug, to="plant")
    said = data.request.model_dump(mode="json")
    return entry_out(change_plots(request.user, level, data.key, how, said), request.user)
