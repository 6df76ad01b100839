"""Write a level's planting in open formats."""

from pathlib import Path

from django.core.management.base import BaseCommand, CommandError

from server.handover.writing import FORMATS
from server.levels.access import level_of_command


class Command(BaseCommand):
    help = "Write plants.csv and level.json (csv), level.glb (glb), or heights and density maps (maps)."

    def add_arguments(self, parser):
        parser.add_argument("level", help="the level's slug")
        parser.add_argument("--format", required=True, choices=sorted(FORMATS))
        parser.add_argument("--out", required=True, type=Path, help="folder to write into; made when missing")

    def handle(self, *args, **options):
        level = level_of_command(options["level"])
        files = FORMATS[options["format"]](level)
        try:
            options["out"].mkdir(parents=True, exist_ok=True)
            for name, data in files.items():
                (options["out"] / name).write_bytes(data)
                self.stdout.write(f"{options['out'] / name}  {len(data):,} bytes")
        except OSError as error:
            raise CommandError(f"{options['out']}: cannot be written: {error.strerror}.") from error
