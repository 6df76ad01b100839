"""A level of the database as a document that holds everything, and a level made from such a document."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from uuid import uuid4

from django.contrib.auth.models import User
from django.db import transaction

from server.levels.ground import store
from server.levels.models import LayerTexture, Level, Membership
from server.levels.rasters import split
from server.levels.storing import SHAPE, VIEW, document_now, store_masks
from server.pins.models import FIELDS, Pin, UprootedPlace
from server.shapes.models import Shape
from server.slugs import free_slug
from server.stands.models import Stand, TouchTile
from server.stock.models import StockItem
from thicket.document.level import Item
from thicket.document.level import Level as Document
from thicket.planting.pins import Pins
from thicket.refused import Refused


def with_meshes(level: Level, stock: Mapping[str, Item]) -> dict[str, Item]:
    """A level's stock with the items' files and pictures."""
    files = {slug: parts for slug, *parts in level.stock.values_list("slug", "glb", "silhouette")}
    return {
        slug: replace(item, glb=bytes(glb), silhouette=bytes(silhouette))
        for slug, item in stock.items()
        for glb, silhouette in [files.get(slug, (b"", b""))]
    }


def document_of(level: Level) -> Document:
    """The level with its meshes and all that people see of it."""
    document = document_now(level)
    used = {layer["texture"] for layer in document.details["view"]["layers"] if layer["texture"]}
    textures = {digest: document.details["textures"][digest] for digest in sorted(used)}
    return replace(
        document,
        stock=with_meshes(level, document.stock),
        details={**document.details, "textures": textures},
    )


def check_free(name: str) -> None:
    """Raises: Refused when there is a level of that name."""
    if Level.objects.filter(name=name, removed_at=None).exists():
        raise Refused(f"name: there is a level called {name!r} already; give this one another")


@transaction.atomic
def make_level(user: User, document: Document, name: str = "") -> Level:
    """Store a document as a new level, led by a user.

    Raises: Refused when there is a level of that name, or an item's mesh is missing.
    """
    name = name or document.name
    check_free(name)
    ground, view = document.heights.ground, document.details.get("view", {})
    looks = {
        given["name"]: {k: v for k, v in given.items() if k != "name"} for given in view.get("layers", [])
    }
    rows, columns = ground.cells
    level = Level.objects.create(
        slug=free_slug(name, Level.objects.all(), "level"),
        name=name[:80],
        seed=document.seed,
        cell=ground.cell,
        rows=rows,
        columns=columns,
        low=float(ground.heights.min()),
        high=float(ground.heights.max()),
        touch_cell=document.touch_cell,
        layers=[
            {"name": n, "colour": looks.get(n, {}).get("colour", "#8d9460")} for n in document.layers.names
        ],
        shape_numbers=max(document.shapes, default=0),
        looks=looks,
        **{n: view[n] for n in VIEW if n in view},
    )
    Membership.objects.create(user=user, level=level, role=Membership.Role.LEAD)
    store(level, "heights", ground.heights, 1)
    store(level, "layers", document.layers.weights, 1)
    for digest, picture in document.details.get("textures", {}).items():
        LayerTexture.objects.create(level=level, digest=digest[:32], data=picture)
    store_masks(level, document.masks)
    _put_shapes(level, document)
    _put_stock(level, document)
    _put_stands(level, document)
    return level


def _put_shapes(level: Level, document: Document) -> None:
    details = document.details.get("shapes", {})
    for number, shape in document.shapes.items():
        trail = shape.trail and {
            "reach": shape.trail.reach,
            "lean": shape.trail.lean,
            "flatten": shape.trail.flatten,
            "strata": list(shape.trail.strata),
        }
        more = {"form": "line" if shape.kind == "path" else "polygon"} | details.get(number, {})
        Shape.objects.create(
            level=level,
            number=number,
            kind=shape.kind,
            name=shape.name,
            points=[list(p) for p in shape.points],
            width=shape.width,
            clear=shape.clear,
            trail=trail,
            **{k: v for k, v in more.items() if k in SHAPE},
        )


def _put_stock(level: Level, document: Document) -> None:
    for item in document.stock.values():
        if not item.glb:
            raise Refused(f"stock/{item.slug}.glb: the mesh of {item.name} is missing")
        StockItem.objects.create(
            level=level,
            slug=item.slug,
            name=item.name,
            height=item.height,
            crown=item.crown,
            trunk=item.trunk,
            glb=item.glb,
            anchors=list(item.points),
            silhouette=item.silhouette,
            traits=dict(item.traits),
            distances=dict(item.distances),
            held=True,
        )


def _put_stands(level: Level, document: Document) -> None:
    for number, given in document.stands.items():
        stand = Stand.objects.create(
            level=level,
            number=number,
            slug=given.slug,
            name=given.name,
            stratum=given.stratum,
            place=given.place,
            sward=given.sward,
            seed=given.seed,
            locked=given.locked,
            colour=given.colour,
            settings=given.settings.model_dump(mode="json"),
        )
        touch = document.touch.get(number)
        if touch is not None and touch.tiles:
            TouchTile.objects.bulk_create(
                TouchTile(stand=stand, tx=tx, tz=tz, data=data)
                for tx, tz, data in split(touch.array)
                if (tx, tz) in touch.tiles
            )
        pins = document.pins.get(number)
        if pins is not None:
            _put_pins(level, stand, pins, given.settings.mix[0].item)


def _put_pins(level: Level, stand: Stand, pins: Pins, item: str) -> None:
    homes = dict(zip(pins.replaced.tolist(), pins.home.tolist()))
    rows = []
    for plant, slug, x, z, lift, rest in zip(
        pins.id.tolist(), pins.item, pins.x.tolist(), pins.z.tolist(), pins.lift.tolist(), pins.rest.tolist()
    ):
        rows.append((plant, (slug, x, z, lift, *rest, False, *homes.pop(plant, (None, None)))))
    rows += [(plant, (item, *home, 0.0, 0, 0, 0, 1, 1, 1, 0.5, True, *home)) for plant, home in homes.items()]
    Pin.objects.bulk_create(
        Pin(level=level, stand=stand, plant=plant, **dict(zip(FIELDS, given))) for plant, given in rows
    )
    for place in pins.uprooted:
        UprootedPlace.objects.create(
            level=level, stand=stand, key=uuid4(), path=[list(p) for p in place.path], radius=place.radius
        )
