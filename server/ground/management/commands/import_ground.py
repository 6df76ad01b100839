"""Bring heights and ground layers into a level from the command line."""

from pathlib import Path
from uuid import uuid4

from django.contrib.auth.models import User
from django.core.management.base import BaseCommand, CommandError
from django.utils.text import slugify

from server.ground import importing
from server.ground.importing import NewGround
from server.levels.models import Level
from thicket.formats.heights_in import Reading, read_heights
from thicket.refused import Refused


class Command(BaseCommand):
    help = (
        "Bring heights, and ground layers, into a level; the level is made when there is none of that name."
    )

    def add_arguments(self, parser):
        parser.add_argument("level", help="the level's slug, or the name of a new one")
        parser.add_argument("--heights", type=Path, help="PNG, GeoTIFF, .npy, raw, glTF or OBJ")
        parser.add_argument("--cell", type=float, help="m between height values, where the file does not say")
        parser.add_argument(
            "--low", type=float, help="altitude of the lowest step in m, where the file does not say"
        )
        parser.add_argument(
            "--high", type=float, help="altitude of the highest step in m, where the file does not say"
        )
        parser.add_argument("--width", type=int, help="values in a row of a raw file; guessed when left out")
        parser.add_argument(
            "--byte-order", choices=("big", "little"), help="of a raw file; guessed when left out"
        )
        parser.add_argument(
            "--layers", type=Path, nargs="+", default=[], help="files whose channels are ground layers"
        )
        parser.add_argument("--names", help="a name for each ground layer, with commas between")
        parser.add_argument(
            "--layers-form",
            choices=("stretch", "crop"),
            default="",
            help="layers of another form than the level: stretched to it, or their middle part of its form",
        )
        parser.add_argument(
            "--user", help="whose action it is: a lead of the level, or the new level's maker"
        )

    def handle(self, *args, **options):
        if not options["heights"] and not options["layers"]:
            raise CommandError("Give --heights, --layers or both.")
        level = Level.objects.filter(slug=options["level"]).first()
        user = self._user(level, options["user"])
        try:
            new = self._read(level, options)
            if level is None:
                level = importing.create(user, options["level"], slugify(options["level"]), new, self._report)
            else:
                forecast = importing.forecast(level, new, self._report)
                for stand in forecast["stands"]:
                    self.stdout.write(
                        f"{stand['name']}: {stand['before']:,} plants before, {stand['after']:,} after, "
                        f"{stand['gained']:,} gained, {stand['lost']:,} lost"
                    )
                for note in forecast["notes"]:
                    self.stdout.write(note)
                what = (
                    f"Ground from {', '.join(p.name for p in [options['heights'], *options['layers']] if p)}"
                )
                importing.keep(user, level, uuid4(), new, what, self._report, forecast)
        except (Refused, OSError) as error:
            raise CommandError(f"{str(error).rstrip('.')}.") from error
        self.stdout.write(f"{level.name}: kept.")

    def _report(self, share: float, step: str = "") -> None:
        if step and step != getattr(self, "_last", ""):
            self._last = step
            self.stderr.write(f"{step} …")

    def _user(self, level: Level | None, name: str | None) -> User:
        if name:
            user = User.objects.filter(username=name).first()
        elif level:
            user = (
                User.objects.filter(memberships__level=level, memberships__role="lead").order_by("pk").first()
            )
        else:
            user = User.objects.filter(memberships__role="lead").order_by("pk").first()
        if user is None:
            raise CommandError(
                f"There is no user {name!r}."
                if name
                else "There is no lead; say whose action it is with --user."
            )
        return user

    def _read(self, level: Level | None, options: dict) -> NewGround:
        heights, cell, layers, shape = None, 0.0, None, (level.rows, level.columns) if level else None
        if options["heights"]:
            order = options["byte_order"]
            reading = Reading(options["width"], None if order is None else order == "big", options["cell"])
            file = read_heights(options["heights"], options["heights"].name, reading)
            heights, cell = importing.chosen_heights(file, options["cell"], options["low"], options["high"])
            shape = heights.shape[0] - 1, heights.shape[1] - 1
            rows, columns = file.shape
            self.stdout.write(
                f"{options['heights'].name}: {file.kind}, {columns:,} × {rows:,} values, {cell:g} m apart, "
                f"{heights.min():.2f} m to {heights.max():.2f} m"
            )
            for note in file.notes:
                self.stdout.write(note)
        if options["layers"]:
            if shape is None:
                raise CommandError("A new level needs --heights.")
            names = [n.strip() for n in (options["names"] or "").split(",") if n.strip()]
            files = [(p, p.name) for p in options["layers"]]
            layers = importing.chosen_layers(files, names, shape, options["layers_form"])
            for note in layers.notes:
                self.stdout.write(note)
        return NewGround(heights, cell, layers)
