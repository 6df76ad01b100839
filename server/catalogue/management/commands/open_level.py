"""Make a level from a folder."""

from pathlib import Path

from django.contrib.auth.models import User
from django.core.management.base import BaseCommand, CommandError

from server.catalogue.whole import make_level
from thicket.document.reading import open_level
from thicket.planted.checking import check_level
from thicket.refused import Refused


class Command(BaseCommand):
    help = "Make a new level from a folder that save_level wrote."

    def add_arguments(self, parser):
        parser.add_argument("folder", type=Path)
        parser.add_argument("--name", default="", help="another name than the level had")
        parser.add_argument("--user", default="", help="who is to lead it; the first account when left out")

    def handle(self, *args, **options):
        users = (
            User.objects.filter(username=options["user"]) if options["user"] else User.objects.order_by("pk")
        )
        user = users.first()
        if user is None:
            who = f"called {options['user']!r}" if options["user"] else "yet"
            raise CommandError(f"There is no account {who}.")
        try:
            document = open_level(options["folder"])
            check_level(document)
            level = make_level(user, document, options["name"])
        except Refused as error:
            raise CommandError(f"{error}.") from error
        self.stdout.write(f"Made {level.name}, at /levels/{level.slug}, led by {user.get_username()}.")
