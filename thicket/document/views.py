"""What people keep of a level to look at: views under names, how ground layers are drawn, and the wind."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field

from thicket.document.settings import Colour, Name, Share, Strict, shown
from thicket.ground.heights import Ground
from thicket.limits import STOCK
from thicket.sight.wind import Wind

Place = Annotated[float, Field(allow_inf_nan=False, ge=-1e6, le=1e6)]
LayerName = Annotated[
    str, Field(min_length=1, max_length=40, pattern=r"^[^\x00-\x1f\x7f]*[^\s\x00-\x1f\x7f][^\x00-\x1f\x7f]*$")
]


class SavedView(Strict):
    """A view under a name: the eye's place in m, its heading, pitch and field of view in degrees, and what
    it shows, small, as the address of a JPEG."""

    name: Name
    x: Place
    y: Place
    z: Place
    heading: Place
    pitch: Annotated[float, Field(allow_inf_nan=False, ge=-90, le=90)]
    fov: Annotated[float, Field(allow_inf_nan=False, ge=10, le=120)]
    picture: Annotated[
        str, Field(max_length=40_000, pattern=r"^(data:image/jpeg;base64,[A-Za-z0-9+/=]+)?$")
    ] = ""


def overlook(ground: Ground) -> SavedView:
    """A view over the ground from its southern edge."""
    x, z = ground.width / 2, ground.length * 0.95
    y = float(ground.height_at(np.array([x]), np.array([z]))[0])
    above = min(max(2.0, 0.06 * ground.length, float(ground.heights.max()) - y + 0.02 * ground.length), 150.0)
    return SavedView(
        name="From the south",
        x=round(x, 1),
        y=round(y + above, 2),
        z=round(z, 1),
        heading=0,
        pitch=-16,
        fov=55,
    )


class LayerAppearance(Strict):
    """How a ground layer is drawn; `texture`, the digest of a picture, or empty."""

    name: LayerName
    colour: Colour = "#8d9460"
    look: Literal["soil", "rock", "turf"] | None = None
    texture: Annotated[str, Field(pattern=r"^[0-9a-f]{0,32}$")] = ""


class WindSettings(Strict):
    """The wind that the preview shows and the handover writes: see `thicket.sight.wind.Wind`. `stiffness` of
    stock items by slug: 0 bends with every breath, 1 stands still; stone does. `tint`, the colour that leaves
    take on as a gust turns them, and how much of it, 0–1."""

    bearing: Annotated[float, Field(allow_inf_nan=False, ge=0, le=360), shown(5, "°")] = Wind.bearing
    speed: Annotated[float, Field(allow_inf_nan=False, ge=0, le=40), shown(0.5, "m/s")] = Wind.speed
    strength: Share = Wind.strength
    wavelength: Annotated[float, Field(allow_inf_nan=False, ge=1, le=500), shown(1, "m")] = Wind.wavelength
    turbulence: Share = Wind.turbulence
    loop: Annotated[float, Field(allow_inf_nan=False, ge=1, le=120), shown(1, "s")] = Wind.loop
    tint: Colour = "#fff6d8"
    tinting: Share = 0
    stiffness: dict[Annotated[str, Field(max_length=60)], Share] = Field(default={}, max_length=STOCK)


STIFF = {"Stone": 1.0, "Canopy": 0.45, "Understorey": 0.4, "Shrub": 0.35, "Field": 0.1, "Moss": 0.8}
"""How stiff an item is until somebody says otherwise, by the first stratum it is planted in."""


def wind_for(
    given: Any, planted: Iterable[tuple[str, Iterable[str]]], traits: Mapping[str, Mapping[str, Any]]
) -> WindSettings:
    """A level's wind with a stiffness for every stock item.

    Parameters: given, what is kept of it; planted, stratum and items of every stand in its order; traits of
    the stock by slug.
    """
    wind = WindSettings.model_validate(given or {})
    first: dict[str, float] = {}
    for stratum, items in planted:
        for item in items:
            first.setdefault(item, STIFF[stratum])
    every = {slug: of.get("stiffness", first.get(slug, 0.5)) for slug, of in traits.items()}
    chosen = {slug: stiff for slug, stiff in wind.stiffness.items() if slug in every}
    return wind.model_copy(update={"stiffness": every | chosen})
