"""Plots: who plants where in a level, and what each plot may spend."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from thicket.document.settings import Name, Strict

PLOTS, REQUESTS = 30, 100
"""A level has so many plots, and so many open requests for shares, at the most."""
Line = Literal["ms", "triangles", "draw_calls", "shadow_triangles", "memory"]
Amount = Annotated[float, Field(allow_inf_nan=False, ge=0, le=1e12)]


class Plot(Strict):
    """One of the level's areas, by number, with the name of who plants there; its allotment: by tier, how
    much of a budget line it may spend in a frame. A line that is left out is not allotted."""

    owner: Annotated[str, Field(max_length=150)] = ""
    area: Annotated[int, Field(ge=1)]
    shares: Annotated[dict[Name, dict[Line, Amount]], Field(max_length=20)] = {}


class Request(Strict):
    """A plot's owner asks another plot for a part of its share."""

    plot: Name
    giver: Name
    tier: Name
    line: Line
    amount: Annotated[float, Field(allow_inf_nan=False, gt=0, le=1e12)]


class Plots(Strict):
    """A level's plots by name: where two overlap, the earlier one has the ground. Whether artists who plant
    outside their plots are warned or refused. Requests for shares that are open."""

    plots: Annotated[dict[Name, Plot], Field(max_length=PLOTS)] = {}
    outside: Literal["warned", "refused"] = "warned"
    requests: Annotated[list[Request], Field(max_length=REQUESTS)] = []
