"""Mask images made from a level: from conditions, and from how its ground drains."""

from __future__ import annotations

from collections.abc import Mapping
from contextlib import suppress
from typing import Protocol, Self, cast

import numpy as np
from scipy.ndimage import distance_transform_edt

from thicket.document.edits import ChangeMasks
from thicket.document.level import Level, Stand
from thicket.document.mask_sources import FLOW, MaskSource
from thicket.document.rasters import Mask
from thicket.ground.heights import Ground
from thicket.ground.rasters import resample
from thicket.ground.wetness import basins, catchments
from thicket.hashing import digest
from thicket.limits import MASK_SIDE
from thicket.planted.planting import Planting
from thicket.planted.suitability import SiteRasters
from thicket.refused import Refused

WHITE = 65535


class Planted(Protocol):
    """What a mask needs of a planted level."""

    level: Level
    rasters: SiteRasters

    @property
    def ground(self) -> Ground: ...

    @property
    def cell(self) -> float: ...

    @property
    def stands(self) -> Mapping[int, Stand]: ...

    def planting(self, number: int) -> Planting: ...

    def edited(self, level: Level) -> Self: ...


def source_key(level: Planted, source: MaskSource) -> str:
    """What a mask from this source follows from in a level: equal as long as it would come out the same."""
    rasters, given = level.rasters, source.model_dump(mode="json", exclude={"key", "automatic"})
    if source.made_from in FLOW:
        return digest(given, level.level.heights.key)
    return digest(given, [rasters.field_key(c.core(), rasters.whole) for c in source.conditions])


def made_mask(level: Planted, source: MaskSource) -> Mask:
    """The mask image, of 16 bits, that a source gives in a level.

    Raises: Refused where it asks for what the level does not have, or would be too large.
    """
    ground = level.ground
    shape = max(round(ground.length / source.cell), 1), max(round(ground.width / source.cell), 1)
    if max(shape) > MASK_SIDE:
        raise Refused(
            f"cell: at {source.cell:g} m the mask would have {shape[1]:,} × {shape[0]:,} values; "
            f"at most {MASK_SIDE:,} a side are taken"
        )
    greys = np.rint(_shares(level, source, shape) * np.float32(WHITE)).astype(np.uint16)
    return Mask.of(greys, source.model_copy(update={"key": source_key(level, source)}))


def is_current(level: Planted, mask: Mask) -> bool:
    """Whether a mask that is made here would come out the same now; True of others, and where it follows from
    plants that are not at hand."""
    if mask.source is None:
        return True
    hosts = [c.stand for c in mask.source.conditions if c.core().rule.needs == "plants"]
    if not all(level.planting(number).at_hand for number in hosts if number in level.stands):
        return True
    return mask.source.key == source_key(level, mask.source)


def with_masks_made_again(level: Planted) -> Level:
    """A level's document with those masks made again that are made so by themselves; one whose source the
    level no longer has stays as it is."""
    wanted = [n for n, mask in level.level.masks.items() if mask.source and mask.source.automatic]
    for _ in range(len(wanted)):  # one may be made from another
        stale = [n for n in wanted if not is_current(level, level.level.masks[n])]
        made: dict[str, Mask] = {}
        for name in stale:
            source = level.level.masks[name].source
            with suppress(Refused):
                made[name] = made_mask(level, cast(MaskSource, source))
        if not made:
            break
        put = ChangeMasks(
            put={n: mask.base for n, mask in made.items()},
            sources={n: mask.source for n, mask in made.items() if mask.source},
        )
        level = level.edited(put.apply(level.level))
    return level.level


def _shares(level: Planted, source: MaskSource, shape: tuple[int, int]) -> np.ndarray:
    """What it gives, float32 0–1 of a shape."""
    match source.made_from:
        case "basins":
            return _nearest(_basin_greys(level.ground, source.catchment), shape)
        case "rivers":
            return resample(_rivers(level.ground, source.catchment).astype(np.float32), shape)
        case "river distance":
            far = distance_transform_edt(~_rivers(level.ground, source.catchment)) * (
                level.cell / source.reach
            )
            return resample(np.minimum(far, 1).astype(np.float32), shape)
    conditions = [c.core() for c in source.conditions]
    for c in conditions:
        if why := level.rasters.lacks(c):
            raise Refused(f"conditions: {why[0].lower()}{why[1:]}")
    if source.made_from == "suitability":
        return resample(level.rasters.suitability(conditions).array, shape)
    values = level.rasters.whole_values(conditions[0])
    low = float(values.min()) if source.low is None else source.low
    high = float(values.max()) if source.high is None else source.high
    return resample(np.clip((values - low) / max(high - low, 1e-9), 0, 1).astype(np.float32), shape)


def _rivers(ground: Ground, hectares: float) -> np.ndarray:
    """Cells through which so many hectares drain; bool."""
    found = catchments(ground.heights)[:-1, :-1]
    rivers = found * (ground.cell**2 / 1e4) >= hectares
    if not rivers.any():
        raise Refused(f"catchment: nowhere do {hectares:,.7g} hectares drain through one place")
    return rivers


def _basin_greys(ground: Ground, hectares: float) -> np.ndarray:
    """The basins of at least so many hectares, the largest white and each other with a grey of its own, the
    smaller ones black; float32 0–1."""
    numbers, which, sizes = np.unique(
        basins(ground.heights)[:-1, :-1], return_inverse=True, return_counts=True
    )
    order = np.lexsort((numbers, -sizes))
    wide = order[sizes[order] * (ground.cell**2 / 1e4) >= hectares]
    if not len(wide):
        raise Refused(f"catchment: no drainage basin has {hectares:,.7g} hectares")
    greys = np.zeros(len(numbers), np.float32)
    greys[wide] = 1 - np.arange(len(wide), dtype=np.float32) / max(len(wide), 1)
    return greys[which].reshape(ground.cells)


def _nearest(values: np.ndarray, shape: tuple[int, int]) -> np.ndarray:
    rows, columns = (
        np.minimum(((np.arange(n) + 0.5) * (have / n)).astype(int), have - 1)
        for n, have in zip(shape, values.shape)
    )
    return values[np.ix_(rows, columns)]
