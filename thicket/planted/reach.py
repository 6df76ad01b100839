"""What an edit reaches: which stands two documents of a level plant alike, and where they are painted
differently. It is decided here and nowhere else."""

from __future__ import annotations

from collections.abc import Iterator

from thicket.document.level import Level, Stand
from thicket.planted.mesh_painting import painted_box
from thicket.planted.sheets import Box, around_any


def alike_stands(before: Level, after: Level) -> Iterator[tuple[Stand, Stand, Box | None]]:
    """The stands that two documents plant by equal settings on equal ground, first those that claim room
    first, up to the first that differs; each with the box, in m, outside of which its painting is alike
    too, None when it is everywhere. None at all when more of the ground differs than heights, weights of
    its layers and values of its masks, for which see `ground_box`, or a stand with pins, which claim room
    from stands above."""
    if not _same_ground(before, after):
        return
    pinned = [number for number, pins in after.pins.items() if len(pins.id)]
    if not all(_same_stand(before.stands.get(n), after.stands.get(n)) for n in pinned):
        return
    for old, new in zip(before.in_order, after.in_order):
        if not _same_stand(old, new):
            return
        yield old, new, _painted(before, after, new.number)


def unreached(before: Level, after: Level) -> set[int]:
    """The stands, by number, whose plants are the same in two documents of a level since nothing that they
    follow from has changed: those that claim room before the first that differs."""
    found: set[int] = set()
    keys = [(one.heights.key, one.layers.key, [m.key for m in one.masks.values()]) for one in (before, after)]
    if keys[0] != keys[1]:
        return found
    for old, new, painted in alike_stands(before, after):
        if painted is not None or old.key != new.key:
            break
        found.add(new.number)
    return found


def ground_box(before: Level, after: Level) -> Box | None:
    """The ground, in m, on which heights of one extent, weights of like layers or values of like masks
    differ; None where they are alike."""
    cell = after.heights.ground.cell
    boxes: list[Box | None] = []
    if before.heights is not after.heights and (box := before.heights.differing(after.heights)):
        boxes.append(((box[0] - 1) * cell, (box[1] - 1) * cell, box[2] * cell, box[3] * cell))
    if before.layers is not after.layers and (box := before.layers.blocks.differing(after.layers.blocks)):
        boxes.append((box[0] * cell, box[1] * cell, box[2] * cell, box[3] * cell))
    for was, mask in zip(before.masks.values(), after.masks.values()):
        if was is not mask and was.key != mask.key and (box := was.blocks.differing(mask.blocks)):
            ground = after.heights.ground
            down, across = ground.length / mask.values.shape[0], ground.width / mask.values.shape[1]
            boxes.append(
                ((box[0] - 1) * across, (box[1] - 1) * down, (box[2] + 1) * across, (box[3] + 1) * down)
            )
    return around_any(*boxes)


def _painted(before: Level, after: Level, number: int) -> Box | None:
    was, now = before.touch_of(number), after.touch_of(number)
    box = None if was is now or was.revisions == now.revisions else was.differing(now)
    metres = None
    if box:
        x0, z0, x1, z1 = (v * after.touch_cell for v in box)
        metres = x0, z0, x1, z1
    on_meshes = painted_box(after, before.mesh_touch_of(number), after.mesh_touch_of(number))
    return around_any(metres, on_meshes)


def _same_ground(before: Level, after: Level) -> bool:
    """Whether two documents have the same shapes, placed meshes, stock, pins, touch cells and ground, but for
    its heights, the weights of its layers and the values of its masks."""
    extents = [(one.heights.ground.heights.shape, one.heights.ground.cell) for one in (before, after)]
    given = [
        (extent, one.layers.names, one.layers.weights.shape, _mask_kinds(one), one.touch_cell)
        for extent, one in zip(extents, (before, after))
    ]
    return given[0] == given[1] and all(
        getattr(before, name) is getattr(after, name) for name in ("shapes", "surfaces", "stock", "pins")
    )


def _mask_kinds(level: Level) -> list[tuple[str, tuple[int, ...], str]]:
    return [(name, mask.values.shape, mask.values.dtype.str) for name, mask in level.masks.items()]


def _same_stand(old: Stand | None, new: Stand | None) -> bool:
    """Whether two stands plant alike where the ground and the painting are alike."""
    return old is new or (old is not None and new is not None and old.key == new.key)
