"""What a hand did to single plants, a row each: as files and edits have it, and as the core plants it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Annotated, Self

import numpy as np
from pydantic import Field, model_validator

from thicket.document.settings import Multiple, Number, Share, Strict
from thicket.planting.pins import Pins, Uprooted
from thicket.refused import Refused

Turn = Annotated[float, Field(allow_inf_nan=False, ge=-1.001, le=1.001)]
Plant = Annotated[int, Field(ge=0, lt=2**64)]
OnMesh = tuple[Annotated[int, Field(ge=1, lt=2**22)], Number, Number, Number, Turn, Turn, Turn]
"""A point of a placed mesh: see `thicket.planting.pins.Uprooted`."""
VALUES = ("qx", "qy", "qz", "qw", "width", "height", "tint")


class PinRow(Strict):
    """A plant that was set by hand; lengths in m, its turn as a quaternion, width and height as multiples of
    its mesh. `home` is where the rule has it; None for one that no rule planted. On a placed mesh, by its
    number in `surface`, x, lift and z are its place in the mesh's own space, and its turn is from the
    mesh's."""

    item: Annotated[str, Field(max_length=60)]
    x: Number
    z: Number
    lift: Number
    qx: Turn
    qy: Turn
    qz: Turn
    qw: Turn
    width: Multiple
    height: Multiple
    tint: Share
    home: tuple[Number, Number] | None = None
    surface: Annotated[int, Field(ge=0, lt=2**22)] = 0

    @model_validator(mode="after")
    def check(self) -> Self:
        if not self.surface and not -50 <= self.lift <= 500:
            raise Refused(
                f"lift: {self.lift:g} m; a plant stands from 50 m below the ground to 500 m above it"
            )
        return self


class GoneRow(Strict):
    """A plant that was removed by hand, and where the rule has it."""

    home: tuple[Number, Number]


Row = PinRow | GoneRow
PinRows = dict[Plant, Row]
"""What a hand did to a stand's plants, by their ids."""


def rows_of(pins: Pins) -> PinRows:
    """A stand's pins by plant, in the order of their ids."""
    homes = dict(zip(pins.replaced.tolist(), map(tuple, pins.home.tolist())))
    found: PinRows = {}
    surface = pins.surface.tolist() or [0] * len(pins.id)
    columns = pins.item, pins.x.tolist(), pins.z.tolist(), pins.lift.tolist(), pins.rest.tolist(), surface
    for plant, item, x, z, lift, rest, on in zip(pins.id.tolist(), *columns):
        values = dict(zip(VALUES, rest))
        found[plant] = PinRow.model_construct(
            item=item, x=x, z=z, lift=lift, home=homes.pop(plant, None), surface=on, **values
        )
    found.update({plant: GoneRow.model_construct(home=home) for plant, home in homes.items()})
    return dict(sorted(found.items()))


def pins_from(rows: Mapping[int, Row], uprooted: Iterable[Uprooted] = ()) -> Pins:
    """Pins as the core plants them, in the order of their ids."""
    ordered = sorted(rows.items())
    standing = [(plant, row) for plant, row in ordered if isinstance(row, PinRow)]
    homes = [(plant, row.home) for plant, row in ordered if row.home is not None]
    x, z, lift = (np.array([getattr(row, n) for _, row in standing], float) for n in ("x", "z", "lift"))
    rest = np.array([[getattr(row, n) for n in VALUES] for _, row in standing], np.float32).reshape(-1, 7)
    return Pins(
        np.array([plant for plant, _ in standing], np.uint64),
        x,
        z,
        lift.astype(np.float32),
        rest,
        tuple(row.item for _, row in standing),
        np.array([plant for plant, _ in homes], np.uint64),
        np.array([home for _, home in homes], float).reshape(-1, 2),
        tuple(uprooted),
        np.array([row.surface for _, row in standing], np.int64),
    )
