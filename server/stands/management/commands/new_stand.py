"""Begin a stand of an item in a level."""

from uuid import uuid4

from django.core.management.base import BaseCommand, CommandError
from ninja.errors import HttpError

from server.levels.access import level_of_command
from server.levels.models import Membership
from server.stands import arranging
from server.stands.models import Stand
from server.steps import note_effect
from thicket.planting.stands import STRATA
from thicket.refused import Refused


class Command(BaseCommand):
    help = "Begin a stand of a stock item that the level uses."

    def add_arguments(self, parser):
        parser.add_argument("level", help="the level's slug")
        parser.add_argument("item", help="slug of a stock item of the level")
        parser.add_argument("--stratum", required=True, choices=STRATA)
        parser.add_argument("--spacing", type=float, required=True, help="m")
        parser.add_argument("--fullness", type=float, help="0 to 1")
        parser.add_argument("--on", nargs="+", default=[], help="placed meshes, or groups, that it grows on")

    def handle(self, *args, **options):
        level = level_of_command(options["level"])
        lead = level.memberships.filter(role=Membership.Role.LEAD).order_by("pk").first()
        item = level.stock.filter(slug=options["item"]).first()
        if lead is None or item is None:
            raise CommandError(
                f"{level.name} {'has no lead' if lead is None else 'does not use ' + repr(options['item'])}."
            )
        try:
            done = arranging.add(
                lead.user,
                level,
                uuid4(),
                item.name,
                options["stratum"],
                False,
                item.slug,
                options["spacing"],
                options["fullness"],
                options["on"],
            )
            note_effect(done)
            stand = Stand.objects.get(level=level, number=done.entry.stands[0])
        except (Refused, HttpError) as error:
            raise CommandError(f"{str(error).rstrip('.')}.") from error
        self.stdout.write(f"{stand.slug}: a stand of {item.name} in {level.name}.")
