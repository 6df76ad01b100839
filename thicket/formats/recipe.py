"""How a level is handed over: which files, in which axes, unit and origin, whole or in cells."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Annotated, Any, Literal, get_args

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator

from thicket.limits import STANDS
from thicket.planting.stands import Plants
from thicket.refused import Refused, first_error

Format = Literal["csv", "parquet", "glb", "maps", "ground", "geojson", "level"]
Axes = Literal["y-up-right", "z-up-right", "y-up-left", "z-up-left"]
LEAST_CELL = 16.0
METRE = {"m": 1.0, "cm": 100.0}
"""How many of a unit make a metre."""
AXES: dict[str, tuple[str, tuple[int, int, int], tuple[float, float, float]]] = {
    "y-up-right": ("x east, y up, z south; right-handed", (0, 1, 2), (1.0, 1.0, 1.0)),
    "z-up-right": ("x east, y north, z up; right-handed", (0, 2, 1), (1.0, -1.0, 1.0)),
    "y-up-left": ("x east, y up, z north; left-handed", (0, 1, 2), (1.0, 1.0, -1.0)),
    "z-up-left": ("x east, y south, z up; left-handed", (0, 2, 1), (1.0, 1.0, 1.0)),
}
"""What the axes of a handover are: which of a level's own (x east, y up, z south) each is, and its sign."""


class Recipe(BaseModel):
    """What a handover holds.

    Axes, unit and origin are those of plants in tables; glTF has its own axes and metres. `cell` is how many
    metres of the level one table of plants covers, 0 for all in one. `stands`: the stands by their slugs
    whose plants and densities are in it; none for all.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    formats: tuple[Format, ...] = Field(default=("csv",), min_length=1)
    axes: Axes = "y-up-right"
    unit: Literal["m", "cm"] = "m"
    origin: Literal["corner", "centre"] = "corner"
    cell: Annotated[
        float, Field(ge=0, le=20_000, allow_inf_nan=False, json_schema_extra={"step": 1, "unit": "m"})
    ] = 0.0
    stands: tuple[Annotated[str, Field(min_length=1, max_length=60)], ...] = Field(
        default=(), max_length=STANDS, description="slugs of stands; none for all"
    )

    @field_validator("cell")
    @classmethod
    def check_cell(cls, cell: float) -> float:
        """Refuse cells of which a level would have too many."""
        if 0 < cell < LEAST_CELL:
            raise ValueError(f"it is 0, for one table, or at least {LEAST_CELL:g} m")
        return cell

    def has(self, stand: str) -> bool:
        """Whether the plants of a stand, by its slug, are in it."""
        return not self.stands or stand in self.stands

    @property
    def alike(self) -> dict[str, object]:
        """What two handovers have in common when their files can be told apart by their bytes alone."""
        return self.model_dump(include={"axes", "unit", "origin", "cell"})

    def form(self, plants: Plants, width: float, length: float) -> np.ndarray:
        """Plants as the recipe has them, float64 (n, 11): place, unit quaternion x, y, z, w, size along the
        three axes as multiples of the mesh, and tint.

        Parameters: width and length of the level in m. A mesh is to be brought into the same axes.
        """
        _, order, sign = AXES[self.axes]
        form, axes = plants.form.astype(float), list(order)
        middle = [width / 2, 0.0, length / 2] if self.origin == "centre" else [0.0, 0.0, 0.0]
        place = (form[:, :3] - middle)[:, axes] * sign * METRE[self.unit]
        # A turn goes the other way round in mirrored axes.
        mirrored = -1.0 if self.axes.endswith("left") else 1.0
        turn = form[:, 3:6][:, axes] * sign * mirrored
        size = form[:, [7, 8, 7]][:, axes]
        return np.column_stack([place, turn, form[:, 6], size, form[:, 9]])


PLAIN = Recipe()
"""All plants in one table, in a level's own axes."""


def add_flags(
    command: argparse.ArgumentParser, recipe: str = "a file with a recipe as JSON, in place of these:"
) -> None:
    """Let a command be given a recipe, and where the handover goes."""
    command.add_argument("--recipe", type=Path, help=recipe)
    command.add_argument("--formats", default="csv", help=f"some of {','.join(get_args(Format))}")
    command.add_argument("--axes", default="y-up-right", choices=get_args(Axes), help="of plants in tables")
    command.add_argument("--unit", default="m", choices=list(METRE))
    command.add_argument("--origin", default="corner", choices=["corner", "centre"])
    command.add_argument("--cell", type=float, default=0.0, metavar="M", help="a table for each so many m")
    command.add_argument("--since", type=Path, metavar="DIR", help="an earlier handover: only what differs")
    command.add_argument("--out", type=Path, required=True, metavar="DIR")


def recipe_of(options: argparse.Namespace | dict[str, Any]) -> Recipe:
    """The recipe that a command was given. Raises: Refused when it is none."""
    given = options if isinstance(options, dict) else vars(options)
    try:
        if given["recipe"]:
            return Recipe.model_validate_json(given["recipe"].read_bytes())
        named = {name: given[name] for name in ("axes", "unit", "origin", "cell")}
        return Recipe(formats=tuple(given["formats"].split(",")), **named)
    except OSError as error:
        raise Refused(f"recipe: {given['recipe']} cannot be read: {error.strerror}") from error
    except ValidationError as error:
        where = "recipe: " if given["recipe"] else ""
        raise Refused(where + first_error(error)) from error
