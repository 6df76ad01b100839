"""Views and costs as the API speaks of them."""

from __future__ import annotations

from typing import Annotated

from ninja import Schema
from pydantic import Field

from thicket.document.atmosphere import FogSettings
from thicket.document.drawing import DeviceSettings, DrawingSettings
from thicket.document.settings import Number, Strict
from thicket.sight.views import View


class ViewIn(Strict):
    """Where the eye is: level metres, degrees (heading clockwise from north, pitch up, vertical field of
    view); how the level is drawn there, through whichever tier and on which device; and a fog that is tried,
    null for the level's."""

    x: Number
    y: Number
    z: Number
    heading: Annotated[float, Field(allow_inf_nan=False, ge=-720, le=720)]
    pitch: Annotated[float, Field(allow_inf_nan=False, ge=-90, le=90)]
    fov: Annotated[float, Field(allow_inf_nan=False, gt=1, lt=170)]
    aspect: Annotated[float, Field(allow_inf_nan=False, gt=0.05, lt=20)]
    shadows: bool = True
    drawing: DrawingSettings = DrawingSettings()
    device: DeviceSettings | None = None
    fog: FogSettings | None = None

    def core(self) -> View:
        """The view as the core has it, not settled for a level yet."""
        rest = self.model_dump(exclude={"drawing", "device", "fog"})
        return View(**rest, drawing=self.drawing.core(), device=(self.device or DeviceSettings()).core())


class CostOut(Schema):
    """What is spent: counts, megapixels of cut-out cards, bytes, ms."""

    plants: int
    triangles: int
    draw_calls: int
    shadow_triangles: int
    shadow_calls: int
    alpha_mpx: float
    memory: int
    ms: float
    culled: int


class StandCostOut(CostOut):
    stand: int


class PlotCostOut(CostOut):
    """What the plants of a plot cost, by themselves."""

    plot: str


class LevelCostOut(Schema):
    """A view's cost by stand and by plot, on a device by name, and by how many ms a frame there may differ
    from it: null for a device that was not measured."""

    device: str
    margin: float | None
    total: CostOut
    ground: CostOut
    stands: list[StandCostOut]
    plots: list[PlotCostOut]
