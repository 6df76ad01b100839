"""Build Hobbin Delph, the demo level, with its accounts; does nothing when it is there."""

import zlib
from uuid import UUID

import numpy as np
from django.contrib.auth.models import User
from django.core.management import call_command
from django.core.management.base import BaseCommand
from django.db import transaction

from demo import ground as demo_ground
from demo import level as demo_level
from demo import placed
from demo.stands import BY_HAND, STANDS, grazing
from demo.stock import MODELS
from server.document.planted import document_now, planted_of, store_difference
from server.ground.models import Mask
from server.levels.ground import store
from server.levels.models import Level, Membership
from server.shapes.models import Shape
from server.stands.models import Stand
from server.stands.rows import write_touch
from server.stock.shelf import put_into
from server.surfaces.models import Surface
from thicket.document.plots import Plots
from thicket.document.settings import StandSettings
from thicket.document.shape_settings import ShapeSettings
from thicket.document.touch import TouchMap
from thicket.ground.heights import Ground
from thicket.hashing import digest_of
from thicket.planted.hand import PinChanges, hand_edit
from thicket.planting.hashing import seed_of


class Command(BaseCommand):
    help = "Build the demo level and its accounts, unless they are there."

    def add_arguments(self, parser):
        parser.add_argument(
            "--only", default="", help="slugs of the stands to build, all when left out; comma between"
        )
        parser.add_argument(
            "--cell", type=float, default=demo_ground.CELL, help="the ground's cells in m; larger for tests"
        )

    @transaction.atomic
    def handle(self, *args, **options):
        if Level.objects.filter(slug=demo_level.SLUG).exists():
            return
        self.stdout.write("Building the demo level, Hobbin Delph")
        cell = options["cell"]
        built = demo_ground.build(cell)
        level = self._level(built, cell)
        call_command("fill_shelf", stdout=self.stdout)
        put_into(level, list(MODELS))
        for spec in demo_level.SHAPES:
            settled = ShapeSettings.model_validate(spec).model_dump(mode="json")
            Shape.objects.create(level=level, **settled)
        self._mask(level, "Grazing", grazing())
        only = options["only"].split(",") if options["only"] else [spec["slug"] for spec in STANDS]
        for number, spec in enumerate(STANDS, start=1):
            if spec["slug"] not in only:
                continue
            settings = StandSettings.model_validate(self._named(level, spec["settings"])).model_dump(
                mode="json"
            )
            stand = Stand.objects.create(
                level=level,
                number=number,
                place=number,
                seed=seed_of(level.seed, spec["slug"]),
                **{**spec, "settings": settings},
            )
            touch = demo_level.painted(spec["slug"], built.layers, cell)
            if touch is not None:
                write_touch(stand.pk, None, TouchMap.of(touch))
        for name, role in demo_level.ACCOUNTS.items():
            user = User.objects.filter(username=name).first()
            user = user or User.objects.create_user(
                name, password=demo_level.PASSWORD, is_superuser=role == Membership.Role.LEAD
            )
            Membership.objects.create(user=user, level=level, role=role)
        self._plots(level)
        self._pins(level)
        if not options["only"]:
            self._placed(level)

    def _plots(self, level: Level) -> None:
        areas = dict(level.shapes.values_list("name", "number"))
        plots = {
            name: {"owner": owner, "area": areas[area], "shares": shares}
            for name, (owner, area, shares) in demo_level.PLOTS.items()
        }
        level.plots = Plots.model_validate({"plots": plots}).model_dump(mode="json")
        level.save(update_fields=["plots"])

    def _named(self, level: Level, settings: dict) -> dict:
        """Settings with the numbers of the stands and shapes that they name."""
        shapes, stands = (
            dict(rows.values_list(name, number))
            for rows, name, number in ((level.shapes, "name", "number"), (level.stands, "slug", "number"))
        )

        def numbered(given: dict) -> dict:
            out = given | ({"shapes": [shapes[n] for n in given["shapes"]]} if given.get("shapes") else {})
            return out | {name: stands[given[name]] for name in ("stand", "host") if given.get(name)}

        mix = [
            entry | ({"drive": numbered(entry["drive"])} if entry.get("drive") else {})
            for entry in settings["mix"]
        ]
        return settings | {
            "mix": mix,
            "conditions": [numbered(c) for c in settings["conditions"]],
            "layout": numbered(settings.get("layout", {})),
        }

    def _mask(self, level: Level, name: str, values: np.ndarray) -> None:
        rows, columns = values.shape
        Mask.objects.create(
            level=level,
            name=name,
            rows=rows,
            columns=columns,
            digest=digest_of(values),
            data=zlib.compress(values.tobytes()),
        )

    def _pins(self, level: Level) -> None:
        """The plants set by hand."""
        built = set(level.stands.values_list("slug", flat=True))
        for slug, plants in BY_HAND.items():
            if slug not in built:
                continue
            stand = level.stands.get(slug=slug)
            stand.level = level
            self._by_hand(level, stand.number, PinChanges(add=plants))

    def _by_hand(self, level: Level, number: int, wish: PinChanges) -> None:
        edit = hand_edit(planted_of(level), {number: wish}, UUID(int=level.seed))
        was = document_now(level)
        store_difference(level, was, edit.apply(was), None)
        level.new_version()

    def _placed(self, level: Level) -> None:
        """What is placed on the ground, with the stands that grow on it."""
        put_into(level, list(placed.MODELS))
        meshes = placed.surfaces(planted_of(level).ground)
        for number, mesh in enumerate(meshes, start=1):
            Surface.objects.create(level=level, number=number, settings=mesh.model_dump(mode="json"))
        for number, spec in enumerate(placed.STANDS, start=len(STANDS) + 1):
            settings = StandSettings.model_validate(spec["settings"]).model_dump(mode="json")
            seed = seed_of(level.seed, spec["slug"])
            fields = {**spec, "number": number, "place": number, "seed": seed, "settings": settings}
            Stand.objects.create(level=level, **fields)
        level.new_version()
        x, y, z = meshes[0].in_level(np.array([placed.CRACK]))[0].tolist()
        rowan = {"x": x, "z": z, "on": (1, y), "turn": 140}
        number = level.stands.get(slug="boulder-rowan").number
        self._by_hand(level, number, PinChanges(add=[rowan], push=True))

    def _level(self, built: demo_ground.QuarryGround, cell: float) -> Level:
        ground = Ground(built.heights, cell)
        bookmarks = []
        for name, x, z, above, heading, pitch, fov in demo_level.BOOKMARKS:
            y = float(ground.height_at(np.array([x]), np.array([z]))[0]) + above
            bookmarks.append(
                {
                    "name": name,
                    "x": x,
                    "y": round(y, 2),
                    "z": z,
                    "heading": heading,
                    "pitch": pitch,
                    "fov": fov,
                }
            )
        level = Level.objects.create(
            slug=demo_level.SLUG,
            name=demo_level.NAME,
            seed=demo_level.SEED,
            cell=cell,
            touch_cell=cell,
            rows=built.layers.shape[0],
            columns=built.layers.shape[1],
            low=float(built.heights.min()),
            high=float(built.heights.max()),
            atmosphere=demo_level.ATMOSPHERE.model_dump(mode="json"),
            tiers=demo_level.tiers(),
            bookmarks=bookmarks,
            walks=demo_level.WALKS,
            recipes=demo_level.RECIPES,
            layers=[{"name": name, "colour": demo_level.LAYER_COLOURS[name]} for name in demo_ground.LAYERS],
        )
        store(level, "heights", built.heights, 1)
        store(level, "layers", np.rint(built.layers * 255).astype(np.uint8), 1)
        return level
