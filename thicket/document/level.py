"""A level as a value: everything that its plants follow from, and what is drawn and budgeted with them.
Nothing in it changes; a change makes another level that shares the rest."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from thicket.document.mesh_touch import NOT_PAINTED, MeshTouch
from thicket.document.rasters import Heights, LayerMaps, Mask
from thicket.document.settings import StandSettings
from thicket.document.surface_settings import PlacedMesh
from thicket.document.touch import TouchMap, unpainted
from thicket.ground.shapes import Shape
from thicket.hashing import digest
from thicket.lazy import lazy
from thicket.planting.companions import Anchors
from thicket.planting.pins import NO_PINS, Pins
from thicket.planting.stands import STRATA
from thicket.stock.traits import group_of


@dataclass(frozen=True, eq=False)
class Stand:
    """One layer of planting. `number` is its part of every plant's id, and what settings name it by; `place`
    orders it in its stratum."""

    number: int
    slug: str
    name: str
    stratum: str
    place: int
    sward: bool
    seed: int
    settings: StandSettings
    locked: bool = False
    colour: str = ""
    off: bool = False
    """Whether nothing of it stands in the level for now."""
    group: str = ""
    """What it is listed under, apart from its stratum; nothing follows from it."""

    @property
    def order(self) -> tuple[int, int, int]:
        """Sorts stands by who claims room first."""
        return STRATA.index(self.stratum), self.place, self.number

    @property
    def mapped(self) -> bool:
        """Whether its plants are known by a map of their density alone: a sward of the terrain. On placed
        meshes, which no map shows, the tufts of a sward are listed."""
        return self.sward and not self.settings.on

    @lazy
    def settings_key(self) -> str:
        """Equal for settings that differ at most in what moves no plant; conditions are distinguished by the
        ground they suit."""
        return digest(self.settings.model_dump(exclude={"distances", "tints", "conditions"}))

    @lazy
    def key(self) -> str:
        """Equal for stands that plant alike on equal ground under equal stands."""
        return digest(
            self.number, self.order, self.seed, self.sward, self.off, self.settings.model_dump(mode="json")
        )


@dataclass(frozen=True, eq=False)
class Item:
    """A stock item: height and radii of crown and trunk in m; its anchor points, of each name, at and up; its
    file, a binary glTF, where it is wanted; its traits; the distances in m at which its states are seen to
    differ; its picture from the side, a PNG, where that is wanted; whether the level keeps this version when
    the shelf has another; which of the shelf's versions it is; and what reads its file where that is not at
    hand."""

    slug: str
    name: str = ""
    height: float = 1.0
    crown: float = 0.0
    trunk: float = 0.0
    points: Sequence[Mapping] = ()
    glb: bytes = b""
    traits: Mapping = field(default_factory=dict)
    distances: Mapping = field(default_factory=dict)
    silhouette: bytes = b""
    held: bool = True
    version: int = 1
    stored: Callable[[], bytes] | None = None

    def file(self) -> bytes:
        """Its file, read where it is not at hand; empty where it has none."""
        return self.glb or (self.stored() if self.stored else b"")

    @lazy
    def anchors(self) -> Anchors | None:
        """The anchor points as companions stand on them; None when there are none."""
        if not self.points:
            return None
        return Anchors(
            np.array([a["at"] for a in self.points], float),
            np.array([a["up"] for a in self.points], float),
            tuple(group_of(a["name"]) for a in self.points),
        )


@dataclass(frozen=True, eq=False)
class Snapshot:
    """The planting of a level as it was: its stands, their touch in cells of `touch_cell` m and on placed
    meshes, and their pins, all by the stands' numbers."""

    touch_cell: float
    stands: Mapping[int, Stand]
    touch: Mapping[int, TouchMap]
    pins: Mapping[int, Pins]
    mesh_touch: Mapping[int, MeshTouch] = field(default_factory=dict)


@dataclass(frozen=True, eq=False)
class Level:
    """A level. Lengths in m. Stands, shapes, surfaces and pins go by their
    numbers, masks, items and snapshots by name;
    touch that is not there is unpainted. `details` is what no plant follows from: `view`, as
    `thicket.document.level_file.ViewFile` has it, and what people see of shapes by number."""

    slug: str
    name: str
    seed: int
    heights: Heights
    layers: LayerMaps
    masks: Mapping[str, Mask] = field(default_factory=dict)
    shapes: Mapping[int, Shape] = field(default_factory=dict)
    stock: Mapping[str, Item] = field(default_factory=dict)
    stands: Mapping[int, Stand] = field(default_factory=dict)
    touch_cell: float = 1.0
    touch: Mapping[int, TouchMap] = field(default_factory=dict)
    pins: Mapping[int, Pins] = field(default_factory=dict)
    details: Mapping = field(default_factory=dict)
    snapshots: Mapping[str, Snapshot] = field(default_factory=dict)
    surfaces: Mapping[int, PlacedMesh] = field(default_factory=dict)
    mesh_touch: Mapping[int, MeshTouch] = field(default_factory=dict)

    @property
    def touch_shape(self) -> tuple[int, int]:
        """Rows and columns of the touch maps; the last ones may reach over the level's edge."""
        return touch_shape(self.heights.ground.length, self.heights.ground.width, self.touch_cell)

    def touch_of(self, number: int) -> TouchMap:
        """A stand's touch."""
        return self.touch.get(number) or unpainted(self.touch_shape)

    def mesh_touch_of(self, number: int) -> MeshTouch:
        """What is painted of a stand on placed meshes."""
        return self.mesh_touch.get(number, NOT_PAINTED)

    def pins_of(self, number: int) -> Pins:
        """A stand's pins."""
        return self.pins.get(number, NO_PINS)

    @lazy
    def in_order(self) -> list[Stand]:
        """The stands, first those that claim room first."""
        return sorted(self.stands.values(), key=lambda stand: stand.order)

    @lazy
    def singles(self) -> list[Stand]:
        """The stands of single plants, first those that claim room first."""
        return [stand for stand in self.in_order if not stand.sward]

    def with_stand(self, stand: Stand) -> Level:
        """The level with a stand put in, or in place of the one of its number."""
        return replace(self, stands={**self.stands, stand.number: stand})

    def with_touch(self, number: int, touch: TouchMap) -> Level:
        """The level with another touch of a stand."""
        return replace(self, touch={**self.touch, number: touch})


def snapshot_of(level: Level) -> Snapshot:
    """The planting of a level as it is."""
    return Snapshot(level.touch_cell, level.stands, level.touch, level.pins, level.mesh_touch)


def touch_shape(length: float, width: float, cell: float) -> tuple[int, int]:
    """Rows and columns of touch maps with cells of a size in m over a level."""
    return max(int(np.ceil(length / cell - 1e-6)), 1), max(int(np.ceil(width / cell - 1e-6)), 1)
