"""The atmosphere of a level: sun, sky, fog and water levels."""

from __future__ import annotations

from typing import Annotated, Any, Self

import numpy as np
from pydantic import Field, model_validator

from thicket.document.settings import Bearing, Colour, Share, Strict, shown
from thicket.refused import Refused
from thicket.sight.fog import Air, FogKind
from thicket.sight.fog import Fog as CoreFog

Metres = Annotated[float, Field(allow_inf_nan=False, ge=0, le=1e5), shown(10, "m")]
Altitude = Annotated[float, Field(allow_inf_nan=False, ge=-1e5, le=1e5), shown(5, "m")]
WATERS = 4
"""A level has so many water surfaces at the most."""


class Sun(Strict):
    """bearing clockwise from north and height above the horizon, in degrees; strength 1 for a clear day."""

    bearing: Bearing = 225
    elevation: Annotated[float, Field(allow_inf_nan=False, ge=1, le=90), shown(1, "°")] = 40
    colour: Colour = "#fff6e3"
    strength: Annotated[float, Field(allow_inf_nan=False, ge=0, le=3), shown(0.05, "%")] = 1

    @property
    def toward(self) -> tuple[float, float, float]:
        """The unit vector toward it: x to the east, y up, z to the south."""
        b, e = np.radians(self.bearing), np.radians(self.elevation)
        return float(np.sin(b) * np.cos(e)), float(np.sin(e)), float(-np.cos(b) * np.cos(e))


class Sky(Strict):
    """Its colours at the horizon and overhead, and how much of it is clouded."""

    horizon: Colour = "#d4d5d0"
    zenith: Colour = "#89a6be"
    clouds: Share = 0.5


class FogSettings(Strict):
    """See `thicket.sight.fog.Fog`; colour, empty for the sky's at the horizon; hides, whether what it hides
    is not drawn."""

    kind: FogKind = "exponential"
    density: Annotated[float, Field(allow_inf_nan=False, ge=0, le=1), shown(0.0001, "a m")] = 0.0008
    start: Metres = 0
    end: Metres = 1000
    thinning: Metres = 0
    level: Annotated[Altitude, shown(5, "m")] = 0
    colour: Annotated[str, Field(pattern=r"^(#[0-9a-f]{6})?$")] = ""
    hides: bool = False

    @model_validator(mode="after")
    def check(self) -> Self:
        if self.kind == "linear" and self.end <= self.start:
            raise Refused(f"end: fog ends at {self.end:g} m, before it starts at {self.start:g} m")
        return self

    def core(self) -> CoreFog:
        """The fog as the core takes it."""
        return CoreFog(self.kind, self.density, self.start, self.end, self.thinning, self.level)

    def air(self, top: float) -> Air:
        """The fog over a level whose highest ground lies at an altitude in m."""
        return Air(self.core(), top, self.hides)


class Water(Strict):
    """A level surface of water over a box x0, z0, x1, z1 in level metres."""

    altitude: Annotated[Altitude, shown(0.5, "m")]
    box: tuple[Altitude, Altitude, Altitude, Altitude]

    @model_validator(mode="after")
    def check(self) -> Self:
        if self.box[2] <= self.box[0] or self.box[3] <= self.box[1]:
            raise Refused("box: a water surface needs a width and a length")
        return self


class Atmosphere(Strict):
    """All of it. Nothing of it moves a plant."""

    sun: Sun = Sun()
    sky: Sky = Sky()
    fog: FogSettings = FogSettings()
    waters: Annotated[list[Water], Field(max_length=WATERS)] = []


def atmosphere_for(width: float, length: float, low: float, high: float) -> Atmosphere:
    """That of a new level: from end to end of it, three quarters of what is seen are lost in the fog, however
    large it is; the fog lies in the lowest sixth of the relief and thins over the rest. All in m."""
    density = round(float(min(1.4 / np.hypot(width, length), 0.0014)), 6)
    thinning = round(max((high - low) * 1.3, 20.0), 1)
    level = round(low + (high - low) / 6, 1)
    return Atmosphere(fog=FogSettings(density=density, thinning=thinning, level=level))


def from_before(view: dict[str, Any], low: float, high: float) -> dict[str, Any]:
    """What is kept of a level as versions before the atmosphere kept it (sun, fog and waters each by itself)
    as it is kept now; low and high are the altitudes of the ground in m."""
    rest = {name: value for name, value in view.items() if name not in ("sun", "fog", "waters")}
    if "atmosphere" in rest or len(rest) == len(view):
        return rest
    fog = FogSettings(
        density=view.get("fog", 0.0008),
        thinning=round(max((high - low) * 1.3, 20.0), 1),
        level=round(low + (high - low) / 6, 1),
    )
    sun = Sun(**{name: view["sun"][name] for name in ("bearing", "elevation") if name in view.get("sun", {})})
    waters = [Water.model_validate(water) for water in view.get("waters", [])]
    return rest | {"atmosphere": Atmosphere(sun=sun, fog=fog, waters=waters).model_dump(mode="json")}
