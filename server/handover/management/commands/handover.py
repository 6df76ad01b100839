"""Hand a level over: write its plants, ground and rules in open formats."""

from django.core.management.base import BaseCommand, CommandError

from server.handover.writing import hand_over
from server.levels.access import level_of_command
from thicket.formats.recipe import Recipe, add_flags, recipe_of
from thicket.refused import Refused


class Command(BaseCommand):
    help = "Write a level's plants, ground and rules in open formats, with a manifest: see docs/formats.md."

    def add_arguments(self, parser):
        parser.add_argument("level", help="the level's slug")
        add_flags(
            parser, recipe="a recipe of the level by its name, or of a file as JSON, in place of these:"
        )

    def handle(self, *args, **options):
        level = level_of_command(options["level"])
        try:
            saved = level.recipes.get(str(options["recipe"]))
            recipe = Recipe.model_validate(saved) if saved else recipe_of(options)
            manifest = hand_over(level, recipe, options["out"], options["since"])
        except Refused as error:
            raise CommandError(f"{error}.") from error
        for name in manifest.written:
            self.stdout.write(f"{options['out'] / name}  {manifest.files[name].bytes:,} bytes")
        for name in manifest.dropped:
            self.stdout.write(f"{name} is to be dropped")
