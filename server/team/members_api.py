"""The members of a level: listed, invited by a link, given roles, removed."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from django.http import HttpRequest
from django.utils import timezone
from ninja import Router, Schema

from server.accounts.models import Profile
from server.errors import NotAllowed
from server.levels.access import level_for
from server.levels.models import Level, Membership
from server.team import links, members
from server.team.models import Installation, OneTimeLink
from server.team.presence import AWAY
from thicket.document.settings import Id, Strict

router = Router(tags=["team"])
RoleName = Literal["lead", "artist", "viewer"]


class MemberOut(Schema):
    """A member: role, mark on the plan, and whether they are in the level at the moment."""

    name: str
    role: RoleName
    mark: str
    here: bool


class InvitationOut(Schema):
    """An open invitation: what it makes of who uses it, who made it, and until when it works."""

    id: int
    role: RoleName
    by: str
    until: datetime


class MembersOut(Schema):
    """A level's members by name, and for leads the invitations that are open."""

    members: list[MemberOut]
    invitations: list[InvitationOut]


class RoleIn(Strict):
    role: RoleName


class LinkMade(Schema):
    """A link that works once: the token for its address, which is shown only now; the installation's address,
    where that is known; and until when it works."""

    token: str
    address: str
    until: datetime


def _invitation(link: OneTimeLink) -> dict:
    return {"id": link.pk, "role": link.role, "by": link.by.get_username(), "until": link.until}


def _made(link: OneTimeLink, token: str) -> dict:
    return {"token": token, "address": Installation.now().address, "until": link.until}


def _members(level: Level) -> dict:
    here = set(level.present.filter(at__gt=timezone.now() - AWAY).values_list("user", flat=True))
    marks = dict(Profile.objects.filter(user__memberships__level=level).values_list("user", "mark"))
    rows = level.memberships.select_related("user").order_by("user__username")
    open_links = links.open_links(level).select_related("by") if level.role == Membership.Role.LEAD else ()
    return {
        "members": [
            {
                "name": row.user.get_username(),
                "role": row.role,
                "mark": marks.get(row.user_id, Profile.Mark.DIAMOND),
                "here": row.user_id in here,
            }
            for row in rows
        ],
        "invitations": [_invitation(link) for link in open_links],
    }


@router.get("/levels/{slug}/members", response=MembersOut)
def list_members(request: HttpRequest, slug: str):
    """Who is a member of the level."""
    return _members(level_for(request, slug))


@router.put("/levels/{slug}/members/{name}", response=MembersOut)
def give_role(request: HttpRequest, slug: str, name: str, data: RoleIn):
    """Give a member another role; leads only. The only lead stays one."""
    level = level_for(request, slug, to="lead")
    members.give_role(level, name, data.role)
    return _members(level_for(request, slug))


@router.delete("/levels/{slug}/members/{name}", response={204: None})
def remove(request: HttpRequest, slug: str, name: str):
    """Take a member out of the level; leads do so with anybody, others leave it themselves. The only lead
    stays."""
    level = level_for(request, slug)
    if level.role != Membership.Role.LEAD and name != request.user.get_username():
        raise NotAllowed(f"Only a lead may take somebody out of {level.name}.")
    members.remove(level, name)
    return 204, None


@router.post("/levels/{slug}/members/{name}/password", response=LinkMade)
def reset(request: HttpRequest, slug: str, name: str):
    """A link by which a member gives themselves a new password, for a day; leads only, and only for who
    works in no level that the lead does not lead."""
    level = level_for(request, slug, to="lead")
    return _made(*links.reset(request.user, level, members.member(level, name).user))


@router.post("/levels/{slug}/invitations", response=LinkMade)
def invite(request: HttpRequest, slug: str, data: RoleIn):
    """An invitation to the level, for a week; leads only."""
    return _made(*links.invite(request.user, level_for(request, slug, to="lead"), data.role))


@router.delete("/levels/{slug}/invitations/{pk}", response=MembersOut)
def withdraw(request: HttpRequest, slug: str, pk: Id):
    """End an invitation that nobody has used; leads only."""
    level = level_for(request, slug, to="lead")
    links.open_links(level).filter(pk=pk).delete()
    return _members(level)
