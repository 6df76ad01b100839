"""A planted level: everything worked out from a level, as it is asked for. It never changes; an edit gives
another that shares all that the edit cannot reach."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from functools import cache
from pathlib import Path
from typing import Any

from thicket.bands import THREADS
from thicket.cache import Cache
from thicket.document.atmosphere import FogSettings
from thicket.document.edits import Edit
from thicket.document.level import Level, Stand
from thicket.document.settings import StandSettings
from thicket.formats.recipe import PLAIN, Recipe
from thicket.ground.heights import Ground
from thicket.ground.shapes import Shape
from thicket.hashing import hash_of
from thicket.lazy import lazy
from thicket.planted.asking import check_order
from thicket.planted.comparing import Difference, difference
from thicket.planted.costs import fogged_in, ground_cost_of, items_in, settled, stand_cost
from thicket.planted.handover import Manifest, hand_over
from thicket.planted.masks import with_masks_made_again
from thicket.planted.parts import Standing
from thicket.planted.placed_meshes import PlacedMeshes
from thicket.planted.planting import Planting, host_of
from thicket.planted.reach import alike_stands, ground_box
from thicket.planted.sheets import Box, around_any
from thicket.planted.step import Step
from thicket.planted.suitability import SiteRasters
from thicket.planted.surface import Surroundings
from thicket.planting.stands import Plants
from thicket.progress import Report, quietly
from thicket.sight.cost import Cost, Item
from thicket.sight.fog import Air
from thicket.sight.views import View


def _nothing_baked(key: str) -> Plants | None:
    return None


def _claims(stand: Stand) -> bool:
    """Whether a stand's plants claim room."""
    return not stand.off and not stand.settings.overlap


class PlantedLevel:
    """A level with its plants.

    Parameters: level; cache where results are kept by what they follow from, which levels may share; threads
    that rasters are made by; baked, finds the plants of a sheet that was made beforehand by its key.
    """

    def __init__(
        self,
        level: Level,
        cache: Cache | None = None,
        threads: int = THREADS,
        baked: Callable[[str], Plants | None] = _nothing_baked,
    ) -> None:
        self.level, self.threads, self.baked = level, threads, baked
        self.cache = Cache() if cache is None else cache  # an empty one is one all the same
        self.meshes = PlacedMeshes(level, self.cache)
        self.rasters = SiteRasters(level, self.cache, threads, self.planting, lambda: self.meshes)
        self._plantings: dict[int, Planting] = {}
        self.regions: dict[int, Box | None] = {}
        """By stand, the ground outside of which it is planted as in the level that this was edited from; None
        for one that is planted alike everywhere."""

    @property
    def ground(self) -> Ground:
        """The terrain."""
        return self.level.heights.ground

    @property
    def cell(self) -> float:
        """The side of the terrain's cells, in m."""
        return self.ground.cell

    @property
    def width(self) -> float:
        """Its extent east, in m."""
        return self.ground.width

    @property
    def length(self) -> float:
        """Its extent south, in m."""
        return self.ground.length

    @property
    def stands(self) -> Mapping[int, Stand]:
        return self.level.stands

    @property
    def shapes(self) -> Mapping[int, Shape]:
        """Paths, areas and obstacles by number."""
        return self.level.shapes

    def __getitem__(self, slug: str) -> Planting:
        """The planting of the stand of this slug. Raises: KeyError when there is none."""
        for stand in self.level.stands.values():
            if stand.slug == slug:
                return self.planting(stand.number)
        raise KeyError(slug)

    def planting(self, number: int) -> Planting:
        """The planting of a stand. Raises: KeyError when there is none of this number."""
        if number not in self._plantings:
            made = Planting(self._around(self.level.stands[number]), self.level.stands[number])
            self._plantings.setdefault(number, made)
        return self._plantings[number]

    def trying(self, stand: Stand, checked: bool = True) -> Planting:
        """The planting of a stand that the level does not have, or has under other settings. `checked` has
        one refused that would have too many plants."""
        return Planting(self._around(stand), stand, checked)

    def plantings(self) -> list[Planting]:
        """The plantings of all stands, first those that claim room first."""
        return [self.planting(stand.number) for stand in self.level.in_order]

    def above(self, stand: Stand) -> list[Planting]:
        """The plantings of the stands of single plants that claim room before a stand, first those that claim
        it first: of one on the terrain those on the terrain, of one on placed meshes those on meshes. None
        where the stand may overlap with others."""
        if stand.settings.overlap:
            return []
        return [
            self.planting(s.number)
            for s in self.level.singles
            if s.order < stand.order and bool(s.settings.on) == bool(stand.settings.on) and _claims(s)
        ]

    def pinned_from(self, stand: Stand) -> list[Planting]:
        """The plantings of a stand and those below it, of those that have pins standing."""
        return [
            self.planting(s.number)
            for s in self.level.in_order
            if s.order >= stand.order
            and (s.number == stand.number or _claims(s) and not stand.settings.overlap)
            and len(self.level.pins_of(s.number).id)
            and bool(s.settings.on) == bool(stand.settings.on)
        ]

    def _around(self, stand: Stand) -> Surroundings:
        host = self.level.stands.get(host_of(stand.settings))
        return Surroundings(
            self.level,
            self.rasters,
            self.meshes,
            list[Standing](self.above(stand)),
            lambda: list(self.pinned_from(stand)),
            None if host is None else self.planting(host.number),
            self.cache,
            self.baked,
        )

    def counts(self) -> dict[str, int]:
        """Plants of every stand by its slug; tufts for a sward."""
        out = {}
        for planting in self.plantings():
            out[planting.stand.slug] = planting.count()
            planting.release()
        return out

    def release(self) -> None:
        """Drop the rasters of all plantings and what they know of each other, which is found again when it is
        asked for."""
        for planting in list(self._plantings.values()):
            planting.release()

    def export(
        self,
        folder: str | Path,
        recipe: Recipe = PLAIN,
        since: str | Path | None = None,
        report: Report = quietly,
    ) -> Manifest:
        """Hand the level over as files for engines and other tools; see `hand_over`. The format glb needs the
        meshes of the stock."""
        return hand_over(self, recipe, Path(folder), Path(since) if since else None, report)

    def compare(self, after: PlantedLevel) -> dict[str, Difference]:
        """What changes from this level to another, by the slugs of stands that both have."""
        slugs = {s.slug for s in after.level.stands.values()}
        return {
            s.slug: difference(self[s.slug], after[s.slug]) for s in self.level.in_order if s.slug in slugs
        }

    @lazy
    def items(self) -> dict[str, Item]:
        """The stock as the cost model sees it, by slug; needs its meshes."""
        return self.cache.get(
            ("items", *(f"{item.slug} {hash_of(item.glb).hex()}" for item in self.level.stock.values())),
            lambda: items_in(self.level),
        )

    def cost(self, view: View, items: Mapping[str, Item] | None = None) -> dict[str, Cost]:
        """What the plants in a view cost, by stand's slug; needs the meshes of the stock, or its items."""
        stock = self.items if items is None else items
        view = settled(view, self.plantings(), stock)
        return {planting.stand.slug: stand_cost(planting, stock, view) for planting in self.plantings()}

    def air(self, fog: FogSettings) -> Air:
        """A fog over this level's ground, as its drawing goes by it."""
        heights = self.level.heights
        return fog.air(self.cache.get(("top", heights.key), lambda: float(heights.ground.heights.max())))

    def fogged(self, view: View) -> float:
        """Megapixels of a view that lie in the level's fog."""
        return fogged_in(self.level.heights, view)

    def ground_cost(self, view: View) -> Cost:
        """What the ground in a view costs, with the meshes that are placed on it."""
        return ground_cost_of(self.level.heights, view, self.cache) + self.meshes.cost(view)

    def clearing(self, settings: StandSettings) -> list[Shape]:
        """The shapes that keep plants of these settings away."""
        return self.rasters.clearing(settings)

    def changed(self, **parts: Any) -> PlantedLevel:
        """The level with some parts of its document replaced; see `edited`."""
        return self.edited(replace(self.level, **parts))

    def edited(self, level: Level) -> PlantedLevel:
        """This level under another document. What `thicket.planted.reach` finds alike is shared, from the
        first stand to the first whose settings differ; the rest is found again by its content, where it was
        made before."""
        after = PlantedLevel(level, self.cache, self.threads, self.baked)
        moved: dict[int, Box] = {}
        wet = cache(lambda: self.rasters.wet_box(after.rasters))
        read = {number for stand in level.in_order for number in stand.settings.painting_read}
        alike = list(alike_stands(self.level, level))
        changed = ground_box(self.level, level) if alike else None
        if changed and self.meshes.outlines != after.meshes.outlines:
            return after
        for old, new, painted in alike:
            was = self._plantings.get(new.number)
            if was is None:
                if painted or moved or changed:
                    break
                continue
            region = was.reached_by(moved)
            if changed:
                region = around_any(region, was.ground_reach(changed, wet))
            if painted:
                region = around_any(region, was.touch_reach(painted))
            if old is new and region is None and not moved:
                after._plantings[new.number] = was
                after.regions[new.number] = None
                continue
            facts = was.facts if old is new and not changed else None
            now = Planting(after._around(new), new, facts=facts)
            now.take_over(was, region, set(moved), bool(changed))
            after._plantings[new.number] = now
            after.regions[new.number] = region
            if region is not None and (not new.sward or new.number in read):
                moved[new.number] = region
        return after

    def followed(self, edit: Edit) -> PlantedLevel:
        """This level after an edit, with the masks made again that are made so by themselves.

        Raises: Refused when it cannot be done.
        """
        after = self.edited(edit.apply(self.level))
        document = with_masks_made_again(after)
        return after if document is after.level else self.edited(document)

    def after(self, edit: Edit) -> Step[PlantedLevel]:
        """What an edit does to the level.

        Raises: Refused when it cannot be done, or a stand whose settings it changes could not be planted.
        """
        after = self.followed(edit)
        if after.stands is not self.stands:
            check_order(self, after)
        for number in after.level.stands:
            if after.level.stands[number] is not self.level.stands.get(number):
                after.planting(number)
        return Step(self, after, edit)
