"""Plant a level from nothing and say how long each stand took."""

import time

from django.core.management.base import BaseCommand

from server.levels.access import level_of_command
from server.stands.access import planting_of, stands_of
from thicket.warm import warm


class Command(BaseCommand):
    help = "Plant every stand of a level; prints name, plants, plants per hectare, seconds."

    def add_arguments(self, parser):
        parser.add_argument("level", help="the level's slug")

    def handle(self, *args, **options):
        level = level_of_command(options["level"])
        warm()
        hectares = level.width * level.length / 1e4
        self.stdout.write("name\tplants\tplants_per_ha\tseconds")
        for stand in stands_of(level):
            began = time.perf_counter()
            planting = planting_of(stand)
            if stand.sward:
                plants = planting.count()
            else:
                plants = sum(len(planting.plants(sheet)) for sheet in planting.sheets_in(planting.everywhere))
            seconds = time.perf_counter() - began
            self.stdout.write(f"{stand.name}\t{plants}\t{plants / hectares:.1f}\t{seconds:.3f}")
