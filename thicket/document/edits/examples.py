"""An example of every kind of edit that applies to Hobbin Delph, the demo level, as it is built."""

from __future__ import annotations

import numpy as np

from thicket.document.atmosphere import FogSettings
from thicket.document.drawing import DrawingSettings, Marks, Tier
from thicket.document.edits import (
    AddStand,
    ChangeLayerLooks,
    ChangeMasks,
    ChangePins,
    ChangeRecipes,
    ChangeSettings,
    ChangeShapes,
    ChangeSurfaces,
    ChangeTiers,
    ChangeUprooted,
    ChangeViews,
    ChangeWalks,
    Edit,
    GoBack,
    HoldItem,
    LeaveItem,
    OrderStands,
    Paint,
    Painted,
    PaintedMesh,
    PaintLayers,
    PaintMask,
    RaiseGround,
    RemoveSnapshot,
    RemoveStand,
    Rename,
    RenameLayer,
    RenameMask,
    SetAtmosphere,
    SetDrawing,
    SetHeights,
    SetLayers,
    SetMarks,
    SetPlanting,
    SetPlots,
    SetStand,
    SetTouchCell,
    SetWind,
    Several,
    TakeItem,
    TakeSnapshot,
    VersionItem,
)
from thicket.document.edits.snapshots import Saved
from thicket.document.level_file import ItemFile, ShapeFile, StandFile
from thicket.document.pin_rows import PinRow
from thicket.document.settings import DistanceSettings, MixEntry, StandSettings
from thicket.document.surface_settings import MadeMesh, PlacedMesh
from thicket.document.views import LayerAppearance, SavedView
from thicket.document.walks import Walk
from thicket.formats.recipe import Recipe
from thicket.formats.stock import to_glb
from thicket.stock.stand_ins import stand_in

BIRCH, GORSE, SLATE, BOULDER_MOSS = 5, 8, 1, 16
"""Numbers of stands of Hobbin Delph."""


def _settings(item: str) -> StandSettings:
    return StandSettings(
        mix=[MixEntry(item=item, weight=1)],
        spacing=6,
        fullness=0.3,
        distances=DistanceSettings(steps=[30], billboard=90, gone=400, fade=10, shadow=50),
    )


def _stand(number: int, slug: str, item: str) -> StandFile:
    return StandFile(
        number=number,
        slug=slug,
        name=slug.replace("-", " ").capitalize(),
        stratum="Shrub",
        place=9,
        sward=False,
        seed=7,
        settings=_settings(item),
    )


def _item(slug: str) -> tuple[ItemFile, bytes]:
    mesh = to_glb(stand_in("cone", 3.0, 1.5, (120, 140, 90), slug))
    return ItemFile(slug=slug, name=slug.capitalize(), height=3, crown=0.75, trunk=0.1), mesh


def _take(slug: str) -> TakeItem:
    item, mesh = _item(slug)
    return TakeItem(item=item, mesh=mesh)


def _painted() -> Paint:
    delta = np.full((8, 8), 9000, np.int16)
    parts = (
        Painted(stand=BIRCH, box=(500, 500, 508, 508), delta=delta),
        Painted(stand=GORSE, box=(620, 300, 628, 308), delta=-delta),
    )
    top = PaintedMesh(
        stand=BOULDER_MOSS,
        surface=1,
        cell=1.0,
        cubes=np.array([[2, 0, 5, 0], [2, 1, 5, 0]], np.int16),
        delta=np.array([-200, -120], np.int16),
    )
    return Paint(cell=1.0, parts=parts, meshes=(top,))


def examples() -> dict[str, list[Edit]]:
    """By kind, edits of which the last is the example, and those before it what it needs."""
    hills = 380 + 20 * np.sin(np.mgrid[0:17, 0:17][0] * 0.7).astype(np.float32)
    cover = np.full((16, 16, 2), (200, 55), np.uint8)
    rock = ShapeFile(
        number=9,
        kind="obstacle",
        name="Fallen wall",
        points=[(300, 300), (340, 300), (340, 320), (300, 320)],
        width=4,
        clear=1,
    )
    tank = PlacedMesh(
        name="Round tank",
        group="scrap",
        made=MadeMesh(form="cylinder", size=(8, 12, 8), divisions=8),
        at=(520, 415, 470),
        turn=30,
        pitch=80,
    )
    plant = PinRow(item="birch", x=520, z=430, lift=0, qx=0, qy=0, qz=0, qw=1, width=1, height=1.2, tint=0.5)
    marks = Marks(triangles=2e6, draw_calls=1500, shadow_triangles=3e5, memory=9e7, ms=7)
    view = SavedView(name="From the crest", x=420, y=421.5, z=610, heading=30, pitch=-12, fov=55)
    damp = np.arange(64, dtype=np.uint16).reshape(8, 8) * 1000
    gorse, mesh = _item("gorse")
    shot = TakeSnapshot(name="Before the wall")
    return {
        "heights": [SetHeights(heights=hills, cell=64)],
        "raise": [RaiseGround(box=(500, 480, 508, 486), delta=np.full((6, 8), 2048, np.int32))],
        "paint layers": [
            PaintLayers(
                names=("slate", "scree", "turf", "mud", "track"),
                box=(500, 480, 508, 486),
                delta=np.full((6, 8, 5), (40, 0, -40, 0, 0), np.int16),
            )
        ],
        "layer name": [RenameLayer(name="mud", to="wet mud")],
        "layers": [SetHeights(heights=hills, cell=64), SetLayers(names=("turf", "scree"), weights=cover)],
        "masks": [ChangeMasks(put={"Damp": damp})],
        "paint mask": [
            ChangeMasks(put={"Damp": damp}),
            PaintMask(
                name="Damp",
                shape=(8, 8),
                white=65535,
                box=(1, 2, 4, 4),
                delta=np.full((2, 3), 9000, np.int32),
            ),
        ],
        "mask name": [ChangeMasks(put={"Damp": damp}), RenameMask(name="Damp", to="Wet ground")],
        "looks": [ChangeLayerLooks(put={"turf": LayerAppearance(name="turf", colour="#7f8a58")})],
        "touch cell": [SetTouchCell(cell=2)],
        "shapes": [ChangeShapes(put={9: rock, 2: None})],
        "surfaces": [ChangeSurfaces(put={9: tank})],
        "add stand": [AddStand(stand=_stand(40, "new-gorse", "gorse"))],
        "remove stand": [RemoveStand(number=BIRCH)],
        "order stands": [OrderStands(put={GORSE: ("Understorey", 8)})],
        "stand": [SetStand(number=BIRCH, name="Tall birch", locked=True)],
        "settings": [
            ChangeSettings(put={BIRCH: {"fullness": 0.4}, GORSE: {"spacing": 2.5, "gap": 0.2}}),
        ],
        "paint": [_painted()],
        "pins": [ChangePins(put={BIRCH: {77: plant}})],
        "uprooted": [ChangeUprooted(number=BIRCH, put={0: (((500, 500), (520, 510)), 4)})],
        "take item": [_take("larch")],
        "leave item": [_take("larch"), LeaveItem(slug="larch")],
        "version item": [VersionItem(item=gorse, mesh=mesh)],
        "hold item": [HoldItem(slug="birch", held=True)],
        "atmosphere": [SetAtmosphere(put={"fog": FogSettings(density=0.002).model_dump(mode="json")})],
        "drawing": [SetDrawing(put={"distances": 0.8, "full_meshes": 200})],
        "tiers": [ChangeTiers(put={"Laptop": Tier(drawing=DrawingSettings(distances=0.7), marks=marks)})],
        "marks": [SetMarks(tier="Console", put={"ms": 11})],
        "walks": [ChangeWalks(put={"Over the tips": Walk(points=[(600, 300), (700, 420)], speed=4)})],
        "recipes": [ChangeRecipes(put={"For the build": Recipe(formats=("parquet",), axes="z-up-left")})],
        "views": [ChangeViews(put={view.name: view, "On the tips": None})],
        "plots": [SetPlots(put={"outside": "refused"})],
        "wind": [SetWind(put={"speed": 9, "bearing": 250})],
        "rename": [Rename(name="Hobbin Delph, spring")],
        "take snapshot": [shot],
        "remove snapshot": [shot, RemoveSnapshot(name=shot.name)],
        "go back": [shot, _painted(), GoBack(name=shot.name)],
        "planting": [
            SetPlanting(saved=Saved(touch_cell=1, stands=(_stand(SLATE, "boulders", "slate-block"),)))
        ],
        "several": [Several(edits=(_take("larch"), AddStand(stand=_stand(40, "larch", "larch"))))],
    }
