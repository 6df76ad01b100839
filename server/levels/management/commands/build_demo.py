"""Build Hobbin Delph, the demo level, with its accounts; does nothing when it is there."""

import numpy as np
from django.contrib.auth.models import User
from django.core.management.base import BaseCommand
from django.db import transaction

from demo import ground as demo_ground
from demo import level as demo_level
from demo.stock import MODELS
from server.levels.ground import store
from server.levels.models import Level, Membership
from server.levels.rasters import split
from server.shapes.models import Shape
from server.shapes.schemas import ShapeSettings
from server.stands.models import Stand, TouchTile
from server.stands.schemas import StandSettings
from server.stock.models import StockItem
from thicket.formats.stock import png_bytes, read_anchors, to_glb
from thicket.ground.heights import Ground
from thicket.planting.hashing import seed_of
from thicket.sight.billboard import render_billboard


class Command(BaseCommand):
    help = "Build the demo level and its accounts, unless they are there."

    @transaction.atomic
    def handle(self, *args, **options):
        if Level.objects.filter(slug=demo_level.SLUG).exists():
            return
        self.stdout.write("Building the demo level, Hobbin Delph")
        built = demo_ground.build()
        level = self._level(built)
        for slug, make in MODELS.items():
            self._item(level, slug, make())
        for spec in demo_level.SHAPES:
            settled = ShapeSettings.model_validate(spec).model_dump(mode="json")
            Shape.objects.create(level=level, **settled)
        for number, spec in enumerate(demo_level.STANDS, start=1):
            stand = Stand.objects.create(
                level=level, number=number, seed=seed_of(level.seed, spec["slug"]),
                **{**spec, "settings": StandSettings.model_validate(spec["settings"]).model_dump(mode="json")})
            touch = demo_level.painted(spec["slug"], built.layers)
            TouchTile.objects.bulk_create(TouchTile(stand=stand, tx=tx, tz=tz, data=data) for tx, tz, data in split(touch))
        for name, role in demo_level.ACCOUNTS.items():
            user = User.objects.filter(username=name).first()
            user = user or User.objects.create_user(name, password=demo_level.PASSWORD)
            Membership.objects.create(user=user, level=level, role=role)

    def _level(self, built: demo_ground.QuarryGround) -> Level:
        ground = Ground(built.heights, demo_ground.CELL)
        bookmarks = []
        for name, x, z, above, heading, pitch, fov in demo_level.BOOKMARKS:
            y = float(ground.height_at(np.array([x]), np.array([z]))[0]) + above
            bookmarks.append({"name": name, "x": x, "y": round(y, 2), "z": z, "heading": heading, "pitch": pitch, "fov": fov})
        level = Level.objects.create(
            slug=demo_level.SLUG, name=demo_level.NAME, seed=demo_level.SEED, cell=demo_ground.CELL,
            rows=demo_ground.SIZE, columns=demo_ground.SIZE, low=float(built.heights.min()),
            high=float(built.heights.max()), sun=demo_level.SUN, fog=demo_level.FOG, marks=demo_level.MARKS,
            waters=demo_level.WATERS, bookmarks=bookmarks,
            layers=[{"name": name, "colour": demo_level.LAYER_COLOURS[name]} for name in demo_ground.LAYERS])
        store(level, "heights", built.heights, 1)
        store(level, "layers", np.rint(built.layers * 255).astype(np.uint8), 1)
        return level

    def _item(self, level: Level, slug: str, model) -> None:
        name, height, crown, trunk = demo_level.STOCK[slug]
        side = render_billboard(model.lods[0], max(crown * 2.6, height * 0.5), height * 1.06, 160)
        glb = to_glb(model)
        StockItem.objects.create(level=level, slug=slug, name=name, height=height, crown=crown, trunk=trunk,
                                 glb=glb, anchors=read_anchors(slug, glb), silhouette=png_bytes(side))
