"""Take items from the shelf into a level."""

from uuid import uuid4

from django.core.management.base import BaseCommand, CommandError

from server.levels.access import level_of_command
from server.levels.models import Membership
from server.steps import note_effect
from server.stock import shelf
from thicket.refused import Refused


class Command(BaseCommand):
    help = "Take items of the shelf into a level's stock."

    def add_arguments(self, parser):
        parser.add_argument("level", help="the level's slug")
        parser.add_argument("items", nargs="+", help="slugs of items on the shelf")

    def handle(self, *args, **options):
        level = level_of_command(options["level"])
        lead = level.memberships.filter(role=Membership.Role.LEAD).order_by("pk").first()
        if lead is None:
            raise CommandError(f"{level.name} has no lead whose action it could be.")
        try:
            done = shelf.take(lead.user, level, uuid4(), options["items"])
            note_effect(done)
        except Refused as error:
            raise CommandError(f"{str(error).rstrip('.')}.") from error
        self.stdout.write(f"{done.entry.what}.")
