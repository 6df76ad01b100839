"""What a change of a level adds to the dearest frame that it reaches, by a survey."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import reduce

import numpy as np

from thicket.planted.costs import reach_of, settled, stand_cost
from thicket.planted.level import PlantedLevel
from thicket.planted.sheets import Box, around_both
from thicket.planted.survey import Survey, differing
from thicket.sight.cost import Cost, Item
from thicket.sight.devices import Device
from thicket.sight.drawing import Drawing
from thicket.sight.pops import ASPECT, FOV
from thicket.sight.views import View


@dataclass(frozen=True)
class Drawn:
    """A level as it is drawn: its plants, the stock as the cost model sees it, how all of it is drawn, and
    the device that draws it."""

    level: PlantedLevel
    stock: Mapping[str, Item]
    drawing: Drawing
    device: Device

    def frame(self, eye: tuple[float, float, float], heading: float) -> View:
        """The level's view from a place in m, along a heading in degrees."""
        view = View(*eye, heading, 0.0, FOV, ASPECT, drawing=self.drawing, device=self.device)
        return settled(view, self.level.plantings(), self.stock)


@dataclass(frozen=True)
class Change:
    """What a change adds to a frame: the eye's place in m after the change, its heading in degrees, and the
    milliseconds more."""

    x: float
    y: float
    z: float
    heading: float
    ms: float


def change_at_dearest(found: Survey, before: Drawn, after: Drawn, box: Box | None = None) -> Change | None:
    """What a change adds to the dearest frame, by a survey, that looks toward what it changes; None where it
    changes nothing that is drawn, or no frame of the survey looks there.

    Parameters: found, a survey of the level some time before; the level before and after the change; box, in
    level metres, outside of which no plant has changed, if that is known. The eye stands as high above the
    ground after as before.
    """
    ground = before.level.level.heights.key != after.level.level.heights.key
    whole = ground or (before.drawing, before.device) != (after.drawing, after.device)
    places = _differing(before, after, box) if not whole else {}
    if not whole and not places:
        return None
    numbers = before.level.stands.keys() | after.level.stands.keys() if whole else places.keys()
    pairs = [[s.level.planting(n) for n in numbers if n in s.level.stands] for s in (before, after)]
    near = None if whole else box or reduce(around_both, places.values())
    reach = max((reach_of(p, s.drawing) for s, ps in zip((before, after), pairs) for p in ps), default=0.0)
    everywhere = 0.0, 0.0, before.level.width, before.level.length
    at = found.dearest_toward(before.device, near or everywhere, reach)
    if at is None:
        return None
    x, y, z = found.eyes[at[0]].tolist()
    heading, ms = float(found.headings[at[1]]), []
    above = y - _height(before.level, x, z)
    for state, plantings in zip((before, after), pairs):
        y = _height(state.level, x, z) + above
        view = state.frame((x, y, z), heading)
        cost = sum((stand_cost(p, state.stock, view, near=near) for p in plantings), Cost())
        if whole:
            cost += state.level.ground_cost(view)
        ms.append(cost.ms)
    return Change(x, y, z, heading, ms[1] - ms[0])


def _height(level: PlantedLevel, x: float, z: float) -> float:
    return float(level.ground.height_at(np.array([x]), np.array([z]))[0])


def _differing(before: Drawn, after: Drawn, box: Box | None) -> dict[int, Box]:
    """The stands, by number, of which anything that is drawn differs, and the box of level metres that it
    differs in; looked for in a box alone if one is given."""
    found, everywhere = {}, (0.0, 0.0, after.level.width, after.level.length)
    for number in before.level.stands.keys() | after.level.stands.keys():
        if number not in before.level.stands or number not in after.level.stands:
            found[number] = everywhere
            continue
        was, now = before.level.planting(number), after.level.planting(number)
        restocked = any(before.stock.get(slug) != after.stock.get(slug) for slug in now.items)
        sheets = None if restocked else differing(was, now, box)
        if sheets is None:
            found[number] = everywhere
        elif sheets:
            found[number] = reduce(around_both, map(now.window, sheets))
    return found
