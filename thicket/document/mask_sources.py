"""What mask images that are made here are made from."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from thicket.document.settings import Conditions, Number, Strict, shown
from thicket.refused import Refused
from thicket.site.kinds import OF_STANDS

MadeFrom = Literal["values", "suitability", "basins", "rivers", "river distance"]
FLOW = "basins", "rivers", "river distance"
"""What follows from how the ground drains."""


class MaskSource(Strict):
    """What a mask image is made from.

    `values`, those of one condition, black at `low` and white at `high`, or at their ends where these are
    null; `suitability`, what conditions give together; `basins`, drainage basins of at least `catchment`
    hectares, each with a grey of its own, black what drains to smaller ones; `rivers`, white where so many
    hectares drain through; `river distance`, black at rivers and white from `reach` m on. `cell`, the size of
    its values in m. `automatic` has it made again by itself whenever that changes; `key` stands for what it
    was made from.
    """

    made_from: MadeFrom
    conditions: Conditions = []
    low: Number | None = None
    high: Number | None = None
    catchment: Annotated[float, Field(allow_inf_nan=False, ge=0.01, le=1e6), shown(1, "ha")] = 5
    reach: Annotated[float, Field(allow_inf_nan=False, gt=0, le=20_000), shown(10, "m")] = 100
    cell: Annotated[float, Field(allow_inf_nan=False, ge=0.05, le=1000), shown(0.5, "m")] = 1
    automatic: bool = False
    key: Annotated[str, Field(max_length=40)] = ""

    @model_validator(mode="after")
    def check(self) -> Self:
        if self.made_from == "values" and len(self.conditions) != 1:
            raise Refused("conditions: a mask of values is made from one condition")
        if self.made_from == "suitability" and not self.conditions:
            raise Refused("conditions: a mask of suitability is made from one condition or more")
        if self.automatic and any(c.core().rule.needs in OF_STANDS for c in self.conditions):
            raise Refused("automatic: one that follows from a stand is made again by hand")
        if self.low is not None and self.high is not None and not self.low < self.high:
            raise Refused(f"high: white stands for {self.high:g}, which is not above black, {self.low:g}")
        return self


def check_no_circle(sources: Mapping[str, MaskSource]) -> None:
    """Raises: Refused when a mask image that is made again by itself would be made from itself."""
    follows = {
        name: {c.mask for c in source.conditions if c.mask}
        for name, source in sources.items()
        if source.automatic
    }
    for name in follows:
        found, front = set[str](), follows[name]
        while front:
            found |= front
            front = set[str]().union(*(follows.get(other, set()) for other in front)) - found
        if name in found:
            raise Refused(f"automatic: {name} would be made from itself; have one of them made again by hand")
