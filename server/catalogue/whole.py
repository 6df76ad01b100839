"""A level of the database as a document that holds everything, and a level made from such a document."""

from __future__ import annotations

from dataclasses import replace

from django.contrib.auth.models import User
from django.db import transaction

from server.document.files import with_files
from server.document.planted import document_now
from server.ground.rows import store_masks
from server.levels.ground import store, store_raised
from server.levels.models import LayerTexture, Level, Membership
from server.levels.rasters import split
from server.levels.rows import VIEW
from server.pins.rows import insert_pins
from server.shapes.models import Shape
from server.shapes.rows import SEEN
from server.slugs import free_slug
from server.snapshots.rows import put_snapshot
from server.stands.models import Stand, TouchTile
from server.stands.rows import gone_slug, stand_ids, values_of, write_mesh_touch
from server.stock.models import StockItem
from server.surfaces.models import Surface
from thicket.document.level import Level as Document
from thicket.refused import Refused


def document_of(level: Level) -> Document:
    """The level with its meshes and all that people see of it."""
    document = document_now(level)
    used = {layer["texture"] for layer in document.details["view"]["layers"] if layer["texture"]}
    textures = {digest: document.details["textures"][digest] for digest in sorted(used)}
    return replace(with_files(level, document), details={**document.details, "textures": textures})


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
    store_raised(level, None, document.heights, 1)
    store(level, "layers", document.layers.weights, 1)
    for digest, picture in document.details.get("textures", {}).items():
        LayerTexture.objects.create(level=level, digest=digest[:32], data=picture)
    store_masks(level, document.masks)
    _put_shapes(level, document)
    Surface.objects.bulk_create(
        Surface(level=level, number=number, settings=placed.model_dump(mode="json"))
        for number, placed in document.surfaces.items()
    )
    _put_stock(level, document)
    _put_stands(level, document)
    _put_snapshots(user, level, document)
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
            group=shape.group,
            trail=trail,
            **{k: v for k, v in more.items() if k in SEEN},
        )


def _put_stock(level: Level, document: Document) -> None:
    for place, item in enumerate(document.stock.values()):
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
            place=place,
            revision=item.version,
        )


def _put_snapshots(user: User, level: Level, document: Document) -> None:
    """The snapshots, each with rows for those of its stands that are gone."""
    for name, shot in document.snapshots.items():
        known = stand_ids(level)
        for number, stand in shot.stands.items():
            if number not in known:
                values = values_of(stand) | {"gone": True, "slug": gone_slug(number)}
                Stand.every.bulk_create([Stand(level=level, number=number, **values)])
        put_snapshot(level, name, shot, document.touch_shape, user)


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
            off=given.off,
            colour=given.colour,
            group=given.group,
            settings=given.settings.model_dump(mode="json"),
        )
        touch = document.touch.get(number)
        if touch is not None and touch.tiles:
            TouchTile.objects.bulk_create(
                TouchTile(stand=stand, tx=tx, tz=tz, revision=touch.revisions[tx, tz], data=data)
                for tx, tz, data in split(touch.array)
                if (tx, tz) in touch.tiles
            )
        write_mesh_touch(stand.pk, document.mesh_touch_of(number))
        pins = document.pins.get(number)
        if pins is not None:
            insert_pins(level, stand.pk, pins)
