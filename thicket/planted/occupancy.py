"""Who claims room where: the footprints that keep a stand's plants away, and what stands in them."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator
from typing import NamedTuple

import numpy as np

from thicket.cache import Cache
from thicket.ground.shapes import in_clearing
from thicket.hashing import digest_of, hash_of
from thicket.planted.facts import Facts, clearing_near, uprooted_in
from thicket.planted.parts import Standing
from thicket.planted.sheets import Box, Sheet, Sheets, apart
from thicket.planting.pins import inside_uprooted
from thicket.planting.room import Discs, concat_discs, crowded, near, taken
from thicket.planting.stands import Plants


class Occupied(NamedTuple):
    """The discs of one sheet of a stand above that come near a box, the sheet's key, and a hash of them where
    it is wanted."""

    key: str
    discs: Discs
    digest: bytes

    @property
    def nbytes(self) -> int:
        return self.discs.nbytes


Parts = dict[tuple[int, Sheet], Occupied]


class Claim(NamedTuple):
    """Discs that a stand's rule-made plants must keep `gap` m away from, with their crowns or their
    trunks."""

    discs: Discs
    crowns: bool
    gap: float


def may_stand_under(lower: Facts | Standing, upper: Facts | Standing) -> bool:
    """Whether the lower stand may stand under the upper one's crowns."""
    return lower.stand.sward or upper.stand.stratum in lower.settings.under


class Occupancy:
    """What leaves one stand's plants no room.

    Parameters: facts and sheets of the stand; above, the plantings that claim room before it; pinned, gives
    its own planting and those of the stands below it, of those that have pins standing; cache.
    """

    def __init__(
        self,
        facts: Facts,
        sheets: Sheets,
        above: list[Standing],
        pinned: Callable[[], list[Standing]],
        cache: Cache,
    ) -> None:
        self.facts, self.sheets, self.above, self._pinned, self.cache = facts, sheets, above, pinned, cache
        self._claims: dict[Box, list[Claim]] = {}
        self._claimed: dict[Box, Discs] = {}
        self._parts: dict[Box, Parts] = {}
        self._before: dict[Box, tuple[Parts, frozenset[int]]] = {}
        """Parts as they were before a change, and the stands, by number, of which they are to be found
        again."""

    def taken(self, box: Box) -> Discs:
        """What the stands above leave no room for, near a box: crowns, or trunks where this stand may stand
        under; not the host it stands on."""
        if box not in self._claimed:
            around = self.sheets.window_around(box)
            if around is not None and around != box:
                return near(self.taken(around), box, self.facts.room)
            self._claimed[box] = concat_discs([part.discs for part in self.parts(box).values()])
        return self._claimed[box]

    def parts(self, box: Box) -> Parts:
        """The same in parts, by stand and sheet."""
        if box not in self._parts:
            keep = box == self.sheets.everywhere or box == self.sheets.window_around(box)
            waiting = self._before.pop(box, None)
            if waiting:
                before, changed = waiting
                parts = {part: taken for part, taken in before.items() if part[0] not in changed}
                self._parts[box] = parts | self._find(box, keep, changed)
            else:
                self._parts[box] = self._find(box, keep)
        return self._parts[box]

    def _find(self, box: Box, keep: bool, only: frozenset[int] | None = None) -> Parts:
        """Look for what is taken near a box. `keep` says that the box will be asked for again; `only` has
        just some stands looked at, by number."""
        room = self.facts.room
        parts: Parts = {}
        for other in self.above:
            if only is not None and other.stand.number not in only:
                continue
            crowns = not may_stand_under(self.facts, other)
            for sheet in other.sheets_reaching(box, room, crowns):
                key = other.key(sheet)
                part = self.cache.peek(("taken", key, crowns, box, room))
                if part is None:
                    discs = near(other.discs_of(sheet, crowns), box, room)
                    part = Occupied(key, discs, hash_of(*discs) if keep else b"")
                    if keep:
                        self.cache.put(("taken", key, crowns, box, room), part)
                if len(part.discs.x):
                    parts[other.stand.number, sheet] = part
        return parts

    def claims(self, box: Box) -> list[Claim]:
        """What pins claim before this stand's rule-made plants, near a box: its own, and those of the stands
        below it."""
        if box not in self._claims:
            self._claims[box] = list(self._claims_near(box))
        return self._claims[box]

    def claim_keys(self, box: Box) -> list:
        """What distinguishes what pins claim near a box."""
        return [(c.crowns, c.gap, digest_of(np.stack(c.discs))) for c in self.claims(box)]

    def _claims_near(self, box: Box) -> Iterator[Claim]:
        facts = self.facts
        for other in self._pinned():
            own = other.stand.number == facts.stand.number
            if other.host == facts.stand.number:
                continue
            crowns = not own and not facts.stand.sward and not may_stand_under(other, facts)
            gap = facts.settings.gap if own else other.settings.gap
            reach = 0.0 if facts.stand.sward else facts.widest if crowns else facts.footprint
            discs = near(_trunks(other), box, reach + gap)
            if len(discs.x):
                yield Claim(discs, crowns, gap)

    def has_room(self, plants: Plants, thresholds: np.ndarray, box: Box) -> np.ndarray:
        """Which plants inside a box stand in no other's footprint."""
        facts, gap = self.facts, self.facts.settings.gap
        x, z = plants.form[:, 0].astype(float), plants.form[:, 2].astype(float)
        crown, trunk = facts.radii.max(axis=1), facts.radii[:, 1]
        r, wide = (
            np.zeros(len(plants))
            if facts.stand.sward
            else column[plants.item] * plants.form[:, 7].astype(float)
            for column in (trunk, crown)
        )
        free = ~taken(self.taken(box), x, z, r, gap) & ~in_clearing(clearing_near(facts, box), r, x, z)
        for claim in self.claims(box):
            free &= ~taken(claim.discs, x, z, wide if claim.crowns else r, claim.gap)
        if facts.pins.uprooted:
            free &= ~inside_uprooted(uprooted_in(facts, box), x, z)
        if len(facts.pins.replaced):
            free &= ~np.isin(plants.id, facts.pins.replaced)
        if facts.may_crowd:
            free &= ~crowded(x, z, r, thresholds, gap)
        return free

    def gaps(self, box: Box | None = None) -> Discs:
        """What the trunks of stands above, with the gap, take from a sward, in a box or anywhere."""
        box = box or self.sheets.everywhere
        above = self.taken(box)
        parts = [Discs(above.x, above.z, above.r + self.facts.settings.gap)]
        parts += [Discs(c.discs.x, c.discs.z, c.discs.r + c.gap) for c in self.claims(box)]
        return concat_discs(parts)

    def follows(self, numbers: Collection[int]) -> bool:
        """Whether more than the room of its plants follows from some stands, by number."""
        return False

    def release(self) -> None:
        """Drop what is taken near sheets, which is found again when it is asked for."""
        self._parts, self._claimed = {}, {}

    def take_over(self, was: Occupancy, region: Box | None, changed: Collection[int]) -> None:
        """Take over what cannot have changed from the occupancy of an earlier planting, which differs at most
        inside a region in the plants of some stands above, by number."""
        self._claims = was._claims.copy()
        if not changed:
            self._parts, self._claimed = was._parts.copy(), was._claimed.copy()
            return
        for box, parts in list(was._parts.items()):
            if region is None or apart(box, region):
                self._parts[box] = parts
            else:
                self._before[box] = parts, frozenset(changed)


def _trunks(planting: Standing) -> Discs:
    """The trunks of a stand's pins."""
    form = planting.pinned.form.astype(float)
    return Discs(form[:, 0], form[:, 2], planting.radii[planting.pinned.item, 1] * form[:, 7])
