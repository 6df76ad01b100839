"""What follows from a stand's settings, its pins and the level's stock alone, and from no painting and no
other stand's plants."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from thicket.document.level import Level, Stand
from thicket.document.surfaces import lying
from thicket.ground.shapes import Shape
from thicket.lazy import lazy
from thicket.planted.sheets import Box
from thicket.planting.layouts import FOLLOWS
from thicket.planting.pins import NO_PINS, Pins, Uprooted, pinned_plants
from thicket.planting.stands import Plants
from thicket.site.conditions import Condition


class Facts:
    """Facts of one stand in a level. `host_scale` is the most that a host's size multiplies its own;
    `blocking` are the outlines of placed meshes that stand in the way."""

    def __init__(self, level: Level, stand: Stand, host_scale: float, blocking: Sequence[Shape] = ()) -> None:
        self.level, self.stand, self.settings, self.host_scale = level, stand, stand.settings, host_scale
        self.blocking = blocking
        core = stand.settings.core(stand.number, stand.seed)
        self.core = replace(core, fullness=0.0) if stand.off else core
        self.pins: Pins = NO_PINS if stand.off else lying(level, level.pins_of(stand.number))

    @lazy
    def rules(self) -> list[Condition]:
        """The stand's conditions as they are combined."""
        return self.settings.rules()

    @lazy
    def asked(self) -> list[Condition]:
        """All conditions, those that drive the mix too."""
        return [*self.rules, *(e.drive.core() for e in self.settings.mix if e.drive)]

    @lazy
    def items(self) -> list[str]:
        """The slugs that a plant's item counts through: the mix's, then those of pins that are no longer in
        it."""
        mix = [entry.item for entry in self.settings.mix]
        return mix + sorted(self.pins.slugs - set(mix))

    @lazy
    def pinned(self) -> Plants:
        """The pins as plants on the ground."""
        return pinned_plants(self.pins, self.items, self.level.heights.ground)

    @lazy
    def tallest(self) -> float:
        """The most that a mesh of this stand can be multiplied by in any direction."""
        rule = float(max(self.core.largest.max(), self.core.item_sizes[:, 1].max())) * self.host_scale
        return max(rule, float(self.pins.rest[:, 4:6].max(initial=0.0)))

    @lazy
    def radii(self) -> np.ndarray:
        """Crown and trunk radius in m of each item, (n, 2), the mix's footprint multiples included."""
        stock, by = self.level.stock, {entry.item: entry.footprint for entry in self.settings.mix}
        known = (
            (stock[slug].crown, stock[slug].trunk) if slug in stock else (0.0, 0.0) for slug in self.items
        )
        return np.array([np.multiply(radii, by.get(slug, 1.0)) for slug, radii in zip(self.items, known)])

    @lazy
    def _reaches(self) -> tuple[float, float]:
        radii, many = self.radii, len(self.settings.mix)
        rule = radii[:many] * self.core.largest[:, None] * self.host_scale
        crown, trunk = max(float(rule.max()), 0.0), float(rule[:, 1].max())
        if len(self.pins.id):
            wide = self.pins.rest[:, 4].astype(float)[:, None] * radii[self.pinned.item]
            crown, trunk = max(crown, float(wide.max())), max(trunk, float(wide[:, 1].max()))
        return crown, trunk

    @property
    def widest(self) -> float:
        """Radius in m of the widest crown, or trunk, that can stand, pins included."""
        return self._reaches[0]

    @property
    def footprint(self) -> float:
        """Radius in m of the thickest trunk that can stand, pins included."""
        return self._reaches[1]

    @lazy
    def room(self) -> float:
        """How near, in m, a footprint of a stand above can come to a place before it is in the way there."""
        return self.settings.gap + (0.0 if self.stand.sward else self.footprint)

    @lazy
    def may_crowd(self) -> bool:
        """Whether the stand's own footprints can overlap at its spacing."""
        if self.stand.sward or self.settings.overlap or not self.footprint + self.settings.gap:
            return False
        return (
            self.settings.layout.kind != "free" or 2 * self.footprint + self.settings.gap > self.core.spacing
        )

    @lazy
    def crowding(self) -> float:
        """How far apart, in m, two of its own plants can give way to each other."""
        return 2 * self.footprint + self.settings.gap if self.may_crowd else 0.0

    @lazy
    def followed(self) -> list[int]:
        """The shapes that the stand's layout follows, by number."""
        layout = self.settings.layout
        kind = FOLLOWS.get(layout.kind)
        return [
            n
            for n, s in self.level.shapes.items()
            if s.kind == kind and (not layout.shapes or n in layout.shapes)
        ]


def clearing_near(facts: Facts, box: Box) -> list:
    """The shapes that keep plants away from somewhere in a box."""
    own = [facts.level.shapes[n] for n in facts.followed] if facts.settings.layout.kind != "rows" else []
    return [
        s
        for s in (*facts.level.shapes.values(), *facts.blocking)
        if facts.settings.keeps_out_of(s)
        and s not in own
        and all(
            s.box[k] - (s.clear or 0.0) - facts.footprint < box[k + 2]
            and s.box[k + 2] + (s.clear or 0.0) + facts.footprint > box[k]
            for k in (0, 1)
        )
    ]


def uprooted_in(facts: Facts, box: Box) -> list[Uprooted]:
    """The places in a box where the stand was uprooted."""
    return [
        place
        for place in facts.pins.uprooted
        if place.on_meshes or all(place.box[k] < box[k + 2] and place.box[k + 2] > box[k] for k in (0, 1))
    ]
