"""Who claims room where: the footprints that keep a stand's plants away, and what stands in them."""

from __future__ import annotations

from collections.abc import Collection
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from server.stands.seating import host_reach
from thicket.cache import ContentCache
from thicket.hashing import hash_of
from thicket.planting.room import Discs, near

if TYPE_CHECKING:
    from server.stands.engine import Planting
    from server.stands.sheets import Box
    from thicket.site.conditions import Condition


_taken = ContentCache(100_000)


class Taken(NamedTuple):
    """The discs of one sheet of a stand above that come near a box, the sheet's key, and a hash of them where it is wanted."""

    key: str
    discs: Discs
    said: bytes

    @property
    def nbytes(self) -> int:
        return self.discs.nbytes


Parts = dict[tuple[int, tuple[int, int]], Taken]


class Claim(NamedTuple):
    """Discs that a stand's rule-made plants must keep `gap` m away from, with their crowns or their trunks."""

    discs: Discs
    crowns: bool
    gap: float


def radii_of(planting: Planting) -> np.ndarray:
    """Crown and trunk radius in m of each of the planting's items, (n, 2), the mix's footprint multiples included."""
    known = planting.scene.footprints
    by = {entry.item: entry.footprint for entry in planting.settings.mix}
    return np.array([np.multiply(known.get(slug, (0.0, 0.0)), by.get(slug, 1.0)) for slug in planting.items])


def reaches(planting: Planting) -> tuple[float, float]:
    """Radius in m of the widest crown and of the thickest trunk that can stand, pins included."""
    radii, many = planting.radii, len(planting.settings.mix)
    rule = radii[:many] * planting.core.largest[:, None] * planting.host_scale
    crown, trunk = max(float(rule.max()), 0.0), float(rule[:, 1].max())
    if len(planting.pins.id):
        wide = planting.pins.rest[:, 4].astype(float)[:, None] * radii[planting.pinned.item]
        crown, trunk = max(crown, float(wide.max())), max(trunk, float(wide[:, 1].max()))
    return crown, trunk


def _under(lower: Planting, upper: Planting) -> bool:
    """Whether the lower stand may stand under the upper one's crowns."""
    return lower.stand.sward or upper.stand.stratum in lower.settings.under


def taken_by_stands(planting: Planting, box: Box, keep: bool, only: frozenset[int] | None = None) -> Parts:
    """What the stands above leave no room for, near a box: crowns, or trunks where this stand may stand under; not the host
    it stands on. In parts, by stand and sheet. `keep` says that the box will be asked for again; `only` has just some stands
    looked at, by number."""
    room = planting.room
    parts: Parts = {}
    for other in planting.above:
        if only is not None and other.stand.number not in only:
            continue
        crowns = not _under(planting, other)
        for sheet in other.sheets_reaching(box, room, crowns):
            key = other.key(sheet)
            part = _taken.peek((key, crowns, box, room))
            if part is None:
                discs = near(other.discs_of(sheet, crowns), box, room)
                part = Taken(key, discs, hash_of(*discs) if keep else b"")
                if keep:
                    _taken.put((key, crowns, box, room), part)
            if len(part.discs.x):
                parts[other.stand.number, sheet] = part
    return parts


def claims_of_pins(planting: Planting, box: Box) -> list[Claim]:
    """What pins claim before this stand's rule-made plants, near a box: its own, and those of the stands below it."""
    out = []
    for other in planting.pinned_below:
        own = other.stand.number == planting.stand.number
        if other.host == planting.stand.number:
            continue
        crowns = not own and not planting.stand.sward and not _under(other, planting)
        gap = planting.settings.gap if own else other.settings.gap
        reach = 0.0 if planting.stand.sward else planting.widest if crowns else planting.footprint
        discs = near(_trunks(other), box, reach + gap)
        if len(discs.x):
            out.append(Claim(discs, crowns, gap))
    return out


def _trunks(planting: Planting) -> Discs:
    """The trunks of a stand's pins."""
    form = planting.pinned.form.astype(float)
    return Discs(form[:, 0], form[:, 2], planting.radii[planting.pinned.item, 1] * form[:, 7])


def asked_of(planting: Planting) -> list[Condition]:
    """All conditions of a planting, those that drive its mix too."""
    return [*planting.rules, *(e.drive.core() for e in planting.settings.mix if e.drive)]


def asks_for(planting: Planting, numbers: Collection[int]) -> bool:
    """Whether a planting's conditions measure to one of some stands, or it stands on one, by number."""
    return planting.host in numbers or any(c.kind == "stand" and c.stand in numbers for c in asked_of(planting))


def reached_by(planting: Planting, changed: dict[int, Box]) -> Box | None:
    """The ground on which a planting can change when plants of other stands, by number, change in these boxes: by the room they
    leave, by conditions that measure to them, and by standing on them. None when it cannot."""
    boxes = []
    own = planting.settings.gap + planting.crowding + (0.0 if planting.stand.sward else planting.footprint)
    for other in planting.above:
        if other.stand.number in changed:
            by = own + (other.footprint if _under(planting, other) else other.widest)
            boxes.append((changed[other.stand.number], by))
    for c in asked_of(planting):
        if c.kind == "stand" and c.stand in changed:
            boxes.append((changed[c.stand], c.reach + 4 * planting.scene.cell + own))
    if planting.host in changed:
        boxes.append((changed[planting.host], host_reach(planting) + own))
    if not boxes:
        return None
    sides = np.array([(b[0] - by, b[1] - by, b[2] + by, b[3] + by) for b, by in boxes])
    return (*sides[:, :2].min(0).tolist(), *sides[:, 2:].max(0).tolist())
