"""Write a level into a folder."""

from pathlib import Path

from django.core.management.base import BaseCommand, CommandError

from server.catalogue.whole import document_of
from server.levels.access import level_of_command
from thicket.document.folder import save_level
from thicket.refused import Refused


class Command(BaseCommand):
    help = (
        "Write a level into a folder, as docs/formats.md describes it: to back it up, copy it, "
        "or keep it in version control."
    )

    def add_arguments(self, parser):
        parser.add_argument("level", help="the level's slug")
        parser.add_argument(
            "folder", type=Path, help="made when missing; a level that is in it is written over"
        )

    def handle(self, *args, **options):
        level = level_of_command(options["level"])
        try:
            save_level(document_of(level), options["folder"])
        except Refused as error:
            raise CommandError(f"{error}.") from error
        except OSError as error:
            raise CommandError(f"{options['folder']}: cannot be written: {error.strerror}.") from error
        self.stdout.write(f"Wrote {level.name} into {options['folder']}.")
