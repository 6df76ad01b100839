"""Room: what stands of a planting, what keeps it away, and which of its plants find room."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from server.stands.claims import Claim, Parts, claims_of_pins, radii_of, reaches, taken_by_stands
from server.stands.seating import followed
from server.stands.sheets import Box, Sheet, Sheets
from thicket.cache import ContentCache
from thicket.ground.shapes import kept_clear
from thicket.planting.pins import Pins, Uprooted, inside_uprooted
from thicket.planting.room import Discs, crowded, near, standing, taken, together
from thicket.planting.stands import Plants
from thicket.planting.stands import Stand as CoreStand

if TYPE_CHECKING:
    from server.stands.engine import Planting
    from thicket.document.settings import StandSettings

_discs = ContentCache(20_000)


class Rooming(Sheets):
    """What a planting knows of footprints: its own, those that stand above it, those of pins."""

    settings: StandSettings
    core: CoreStand
    pins: Pins
    host: int

    @cached_property
    def radii(self) -> np.ndarray:
        """Crown and trunk radius in m of each item, (n, 2)."""
        return radii_of(self)

    @cached_property
    def _reaches(self) -> tuple[float, float]:
        return reaches(self)

    @property
    def footprint(self) -> float:
        """Radius in m of the thickest trunk that can stand."""
        return self._reaches[1]

    @property
    def widest(self) -> float:
        """Radius in m of the widest crown, or trunk, that can stand."""
        return self._reaches[0]

    def discs(self, box: Box, room: float, crowns: bool) -> Discs:
        """The footprints of this stand's plants that come within `room` m of a box: crowns or trunks."""
        return together([near(self.discs_of(sheet, crowns), box, room) for sheet in self.sheets_reaching(box, room, crowns)])

    def sheets_reaching(self, box: Box, room: float, crowns: bool) -> list[Sheet]:
        """The sheets whose plants can come within `room` m of a box with their crowns or their trunks."""
        reach = room + (self.widest if crowns else self.footprint)
        return list(self.sheets_in((box[0] - reach, box[1] - reach, box[2] + reach, box[3] + reach)))

    @cached_property
    def above(self) -> list[Planting]:
        """The plantings that claim room before this one, but for the host it stands on."""
        return [other for other in self.scene.above(self.stand) if other.stand.number != self.host]

    @cached_property
    def pinned_below(self) -> list[Planting]:
        """The plantings of this stand and those below it that have pins standing."""
        return self.scene.pinned_from(self.stand)

    def discs_of(self, sheet: Sheet, crowns: bool) -> Discs:
        """The footprints of a sheet's plants."""

        def make() -> Discs:
            plants = self.plants(sheet)
            return standing(plants.form, plants.item, self.radii.max(axis=1) if crowns else self.radii[:, 1])

        return _discs.get((self.key(sheet), crowns), make)

    def taken(self, box: Box) -> Discs:
        """What stands above leave no room for, near a box."""
        if box not in self._taken_up:
            around = self._window_around(box)
            if around is not None and around != box:
                return near(self.taken(around), box, self.room)
            self._taken_up[box] = together([part.discs for part in self.taken_parts(box).values()])
        return self._taken_up[box]

    def taken_parts(self, box: Box) -> Parts:
        """The same in parts, by stand and sheet."""
        if box not in self._parts:
            keep = box == self.everywhere or box == self._window_around(box)
            waiting = self._parts_before.pop(box, None)
            if waiting:
                before, changed = waiting
                parts = {part: said for part, said in before.items() if part[0] not in changed}
                self._parts[box] = parts | taken_by_stands(self, box, keep, changed)
            else:
                self._parts[box] = taken_by_stands(self, box, keep)
        return self._parts[box]

    @cached_property
    def room(self) -> float:
        """How near, in m, a footprint of a stand above can come to a place before it is in the way there."""
        return self.settings.gap + (0.0 if self.stand.sward else self.footprint)

    def _window_around(self, box: Box) -> Box | None:
        """The window of the sheet that a box lies in, when it lies in one."""
        size = self.sheet_size
        x0, z0, x1, z1 = window = self.window((int(box[0] // size), int(box[1] // size)))
        return window if x0 <= box[0] and z0 <= box[1] and x1 >= box[2] and z1 >= box[3] else None

    @cached_property
    def _parts(self) -> dict[Box, Parts]:
        return {}

    @cached_property
    def _parts_before(self) -> dict[Box, tuple[Parts, frozenset[int]]]:
        """Parts as they were before a change, and the stands, by number, of which they are to be found again."""
        return {}

    def claims(self, box: Box) -> list[Claim]:
        """What pins claim before this stand's own plants, near a box."""
        if box not in self._claimed:
            self._claimed[box] = claims_of_pins(self, box)
        return self._claimed[box]

    @cached_property
    def _claimed(self) -> dict[Box, list[Claim]]:
        return {}

    @cached_property
    def _taken_up(self) -> dict[Box, Discs]:
        return {}

    def _has_room(self, plants: Plants, thresholds: np.ndarray, box: Box) -> np.ndarray:
        """Which plants inside a box stand in no other's footprint."""
        x, z = plants.form[:, 0].astype(float), plants.form[:, 2].astype(float)
        crown, trunk = self.radii.max(axis=1), self.radii[:, 1]
        r, wide = (np.zeros(len(plants)) if self.stand.sward else column[plants.item] * plants.form[:, 7].astype(float)
                   for column in (trunk, crown))
        free = ~taken(self.taken(box), x, z, r, self.settings.gap) & ~kept_clear(self.clearing(box), r, x, z)
        for claim in self.claims(box):
            free &= ~taken(claim.discs, x, z, wide if claim.crowns else r, claim.gap)
        if self.pins.uprooted:
            free &= ~inside_uprooted(self.uprooted(box), x, z)
        if len(self.pins.replaced):
            free &= ~np.isin(plants.id, self.pins.replaced)
        if self.may_crowd:
            free &= ~crowded(x, z, r, thresholds, self.settings.gap)
        return free

    @cached_property
    def may_crowd(self) -> bool:
        """Whether the stand's own footprints can overlap at its spacing."""
        if self.stand.sward or not self.footprint + self.settings.gap:
            return False
        return self.settings.layout.kind != "free" or 2 * self.footprint + self.settings.gap > self.core.spacing

    @cached_property
    def _gaps(self) -> Discs:
        """What the trunks of stands above, with the gap, take from a sward anywhere."""
        above = self.taken(self.everywhere)
        parts = [Discs(above.x, above.z, above.r + self.settings.gap)]
        parts += [Discs(c.discs.x, c.discs.z, c.discs.r + c.gap) for c in self.claims(self.everywhere)]
        return together(parts)

    @cached_property
    def crowding(self) -> float:
        """How far apart, in m, two of its own plants can give way to each other."""
        return 2 * self.footprint + self.settings.gap if self.may_crowd else 0.0

    def grown(self, box: Box) -> Box:
        """A box with as much around it as its own plants can give way to."""
        by = self.crowding
        return box[0] - by, box[1] - by, box[2] + by, box[3] + by

    def uprooted(self, box: Box) -> list[Uprooted]:
        """The places in a box where the stand was uprooted."""
        return [place for place in self.pins.uprooted
                if all(place.box[k] < box[k + 2] and place.box[k + 2] > box[k] for k in (0, 1))]

    def clearing(self, box: Box) -> list:
        """The shapes that keep plants away from somewhere in a box."""
        own = [self.scene.shapes[n] for n in followed(self)] if self.settings.layout.kind == "path" else []
        return [s for s in self.scene.clearing(self.settings.clear_of) if s not in own
                and all(s.box[k] - s.clear - self.footprint < box[k + 2] and s.box[k + 2] + s.clear + self.footprint > box[k]
                       for k in (0, 1))]
