"""Every change of a level, one class for each kind. An edit is an immutable value: `apply(level)` gives the
level after it, and `inverse(level)`, from the level before it, the edit that takes back its own difference.

    edit = ChangeSettings(put={3: {"fullness": 0.4}})
    back = edit.inverse(level)
    level = edit.apply(level)
    level = back.apply(level)

`thicket.document.edits.files` writes edits and reads them.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

from pydantic import Field

from thicket.document.edits.base import Edit
from thicket.document.edits.ground import RaiseGround, SetHeights, SetTouchCell
from thicket.document.edits.layers import PaintLayers, RenameLayer, SetLayers
from thicket.document.edits.level import (
    ChangeLayerLooks,
    ChangeRecipes,
    ChangeTiers,
    ChangeViews,
    ChangeWalks,
    Rename,
    SetAtmosphere,
    SetDrawing,
    SetMarks,
    SetPlots,
    SetWind,
)
from thicket.document.edits.masks import ChangeMasks, PaintMask, RenameMask
from thicket.document.edits.painting import Paint, Painted, PaintedMesh
from thicket.document.edits.plants import ChangePins, ChangeUprooted
from thicket.document.edits.shapes import ChangeShapes
from thicket.document.edits.snapshots import GoBack, RemoveSnapshot, SetPlanting, TakeSnapshot
from thicket.document.edits.stands import AddStand, ChangeSettings, OrderStands, RemoveStand, SetStand
from thicket.document.edits.stock import HoldItem, LeaveItem, TakeItem, VersionItem
from thicket.document.edits.surfaces import ChangeSurfaces
from thicket.document.level import Level


class Several(Edit):
    """Edits done one after another, as one: all of them or none."""

    kind: Literal["several"] = "several"
    edits: tuple[AnyEdit, ...] = Field(max_length=1000)

    @property
    def stands(self) -> set[int]:
        return set().union(*(edit.stands for edit in self.edits))

    def apply(self, level: Level) -> Level:
        for edit in self.edits:
            level = edit.apply(level)
        return level

    def inverse(self, level: Level) -> Several:
        back: list[Edit] = []
        for edit in self.edits:
            after = edit.apply(level)
            back.insert(0, edit.inverse(level))
            level = after
        return Several.model_construct(edits=tuple(back))


AnyEdit = Annotated[
    SetHeights
    | RaiseGround
    | PaintLayers
    | RenameLayer
    | SetLayers
    | ChangeMasks
    | PaintMask
    | RenameMask
    | ChangeLayerLooks
    | SetTouchCell
    | ChangeShapes
    | ChangeSurfaces
    | AddStand
    | RemoveStand
    | OrderStands
    | SetStand
    | ChangeSettings
    | Paint
    | ChangePins
    | ChangeUprooted
    | TakeItem
    | LeaveItem
    | VersionItem
    | HoldItem
    | SetAtmosphere
    | SetDrawing
    | ChangeTiers
    | SetMarks
    | ChangeWalks
    | ChangeRecipes
    | ChangeViews
    | SetPlots
    | SetWind
    | Rename
    | TakeSnapshot
    | RemoveSnapshot
    | GoBack
    | SetPlanting
    | Several,
    Field(discriminator="kind"),
]
"""Any of the kinds, as JSON distinguishes them."""
Several.model_rebuild()


def several(edits: Sequence[Edit]) -> Edit:
    """Edits as one; a single one as it is."""
    return edits[0] if len(edits) == 1 else Several.model_validate({"edits": tuple(edits)})


__all__ = [
    "AddStand",
    "AnyEdit",
    "ChangeLayerLooks",
    "ChangeMasks",
    "ChangePins",
    "ChangeSettings",
    "ChangeShapes",
    "ChangeSurfaces",
    "ChangeTiers",
    "ChangeUprooted",
    "ChangeViews",
    "ChangeRecipes",
    "ChangeWalks",
    "Edit",
    "GoBack",
    "HoldItem",
    "LeaveItem",
    "OrderStands",
    "Paint",
    "Painted",
    "PaintedMesh",
    "PaintLayers",
    "PaintMask",
    "RaiseGround",
    "RenameLayer",
    "RemoveSnapshot",
    "RemoveStand",
    "Rename",
    "RenameMask",
    "SetAtmosphere",
    "SetDrawing",
    "SetHeights",
    "SetLayers",
    "SetMarks",
    "SetPlanting",
    "SetPlots",
    "SetStand",
    "SetTouchCell",
    "SetWind",
    "Several",
    "TakeItem",
    "TakeSnapshot",
    "VersionItem",
    "several",
]
