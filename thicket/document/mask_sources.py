"""What mask images that are made here are made from."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from thicket.document.settings import Conditions, Number, Strict, shown
from thicket.refused import Refused

MadeFrom = Literal["values", "suitability", "basins", "rivers", "river distance"]
FLOW = "basins", "rivers", "river distance"
"""What follows from how the ground drains."""


class MaskSource(Strict):
    """What a mask image is made from.

    `values`, those of one condition, black at `low` and white at `high`, or at their ends where these are
    null; `suitability`, what conditions give together; `basins`, drainage basins of at least `catchment`
    hectares, each with a grey of its own, black what drains to smaller ones; `rivers`, white where so many
    hectares drain through; `river distance`, black at rivers and white from `reach` m on. `cell`, the size of
    its values in m. `key` stands for what it was made from.
    """

    made_from: MadeFrom
    conditions: Conditions = []
    low: Number | None = None
    high: Number | None = None
    catchment: Annotated[float, Field(allow_inf_nan=False, ge=0.01, le=1e6), shown(1, "ha")] = 5
    reach: Annotated[float, Field(allow_inf_nan=False, gt=0, le=20_000), shown(10, "m")] = 100
    cell: Annotated[float, Field(allow_inf_nan=False, ge=0.05, le=1000), shown(0.5, "m")] = 1
    key: Annotated[str, Field(max_length=40)] = ""

    @model_validator(mode="after")
    def check(self) -> Self:
        if self.made_from == "values" and len(self.conditions) != 1:
            raise Refused("conditions: a mask of values is made from one condition")
        if self.made_from == "suitability" and not self.conditions:
            raise Refused("conditions: a mask of suitability is made from one condition or more")
        if self.low is not None and self.high is not None and not self.low < self.high:
            raise Refused(f"high: white stands for {self.high:g}, which is not above black, {self.low:g}")
        return self
