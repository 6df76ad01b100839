"""Plots of a level and their shares: how they are changed."""

from __future__ import annotations

from collections.abc import Callable
from uuid import UUID

from django.contrib.auth.models import User

from server.document.own_ground import plots_of
from server.errors import NotAllowed
from server.journal.action import Done, action
from server.journal.commit import commit_made
from server.levels.models import Level, Membership
from thicket.document.edits import Edit, SetPlots
from thicket.document.plots import REQUESTS, Plots, Request
from thicket.refused import Refused


def _set(level: Level, now: Plots, user: User, given: dict) -> tuple[Plots, str]:
    """All plots again, by a lead; requests between plots that are still there stay."""
    plots = Plots.model_validate(given)
    names = set(level.memberships.values_list("user__username", flat=True))
    areas = {shape.number: shape.name for shape in level.shapes.filter(kind="area")}
    used: dict[int, str] = {}
    for name, plot in plots.plots.items():
        if plot.owner and plot.owner not in names:
            raise Refused(f"owner: {plot.owner} is not a member of {level.name}")
        if plot.area not in areas:
            raise Refused(f"area: the area of {name} is not there any more; choose another")
        if plot.area in used:
            raise Refused(f"area: {used[plot.area]} and {name} have the same area; choose another for one")
        used[plot.area] = name
    left = [r for r in now.requests if r.plot in plots.plots and r.giver in plots.plots]
    return plots.model_copy(update={"requests": left}), "Plots and allotments"


def _check_owner(level: Level, plots: Plots, name: str, user: User) -> None:
    """Raises: Refused when there is no such plot, NotAllowed when it is another's."""
    if name not in plots.plots:
        raise Refused(f"plot: {level.name} has no plot {name[:60]!r} any more")
    leads = level.memberships.filter(user=user, role=Membership.Role.LEAD).exists()
    if not leads and plots.plots[name].owner != user.get_username():
        raise NotAllowed(f"Only who owns {name}, or a lead, may do this.")


def _words(request: Request) -> str:
    unit = {"ms": " ms", "memory": " bytes"}.get(request.line, f" {request.line.replace('_', ' ')}")
    return f"{request.amount:,.10g}{unit} in {request.tier}"


def _ask(level: Level, now: Plots, user: User, given: dict) -> tuple[Plots, str]:
    request = Request.model_validate(given)
    _check_owner(level, now, request.plot, user)
    if request.giver not in now.plots or request.giver == request.plot:
        raise Refused("giver: choose another plot to ask")
    if request.tier not in level.tiers:
        raise Refused(f"tier: {level.name} has no tier {request.tier[:60]!r}")
    if len(now.requests) >= REQUESTS:
        raise Refused(f"There are {REQUESTS} open requests: grant or drop some first.")
    what = f"{request.plot} asks {request.giver} for {_words(request)}"
    return now.model_copy(update={"requests": [*now.requests, request]}), what


def _without(now: Plots, request: Request) -> list[Request]:
    """The open requests but one.

    Raises: Refused when that is not open.
    """
    if request not in now.requests:
        raise Refused("That request is not open any more: somebody has granted or dropped it.")
    left = list(now.requests)
    left.remove(request)
    return left


def _grant(level: Level, now: Plots, user: User, given: dict) -> tuple[Plots, str]:
    request = Request.model_validate(given)
    _check_owner(level, now, request.giver, user)
    left = _without(now, request)
    taker, giver = now.plots[request.plot], now.plots[request.giver]
    has = giver.shares.get(request.tier, {}).get(request.line)
    if has is None or has < request.amount:
        raise Refused(f"amount: {request.giver} has no {_words(request)} to give")
    fresh = now.model_copy(update={"requests": left}, deep=True)
    for name, plot, step in (
        (request.plot, taker, request.amount),
        (request.giver, giver, -request.amount),
    ):
        share = plot.shares.get(request.tier, {}).get(request.line, 0.0)
        fresh.plots[name].shares.setdefault(request.tier, {})[request.line] = share + step
    return fresh, f"{request.giver} gives {request.plot} {_words(request)}"


def _drop(level: Level, now: Plots, user: User, given: dict) -> tuple[Plots, str]:
    request = Request.model_validate(given)
    left = _without(now, request)
    own = now.plots[request.plot].owner == user.get_username()
    if not own:
        _check_owner(level, now, request.giver, user)
    what = f"{request.plot}: request for {_words(request)} dropped"
    return now.model_copy(update={"requests": left}), what


CHANGES: dict[str, Callable[[Level, Plots, User, dict], tuple[Plots, str]]] = {
    "set": _set,
    "ask": _ask,
    "grant": _grant,
    "drop": _drop,
}


@action
def change_plots(user: User, level: Level, key: UUID, how: str, given: dict) -> Done:
    """Change a level's plots in one of the ways of `CHANGES`, as one journal entry.

    Raises: Refused or NotAllowed with a sentence.
    """

    def make(row: Level) -> tuple[Edit, str]:
        fresh, what = CHANGES[how](row, plots_of(row), user, given)
        return SetPlots(put=fresh.model_dump(mode="json")), what

    return commit_made(user, level, key, make)
