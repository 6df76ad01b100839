"""Begin a level on flat or rolling ground."""

import re

from django.contrib.auth.models import User
from django.core.management.base import BaseCommand, CommandError
from django.utils.text import slugify

from server.ground import importing
from server.ground.importing import NewGround
from thicket.ground.made import flat_ground, rolling_ground
from thicket.refused import Refused


class Command(BaseCommand):
    help = "Begin a level on flat ground, or on rolling ground with --hills."

    def add_arguments(self, parser):
        parser.add_argument("name")
        parser.add_argument("--flat", required=True, metavar="WIDTHxLENGTH", help="size in m, as 512x512")
        parser.add_argument("--cell", type=float, default=1.0, help="m between heights")
        parser.add_argument(
            "--hills", type=float, default=0.0, help="m between the lowest and the highest place"
        )
        parser.add_argument("--wavelength", type=float, default=400.0, help="m from hill to hill")
        parser.add_argument("--seed", type=int, default=1)
        parser.add_argument(
            "--user", help="who leads it; else the first who leads a level, or may do everything"
        )

    def handle(self, *args, **options):
        size = re.fullmatch(r"(\d+(?:\.\d+)?)x(\d+(?:\.\d+)?)", options["flat"])
        if not size:
            raise CommandError("--flat: give the size as WIDTHxLENGTH in m, such as 512x512.")
        user = self._user(options["user"])
        try:
            sides = float(size[1]), float(size[2]), options["cell"]
            hills = options["hills"], options["wavelength"], options["seed"]
            ground = rolling_ground(*sides, *hills) if options["hills"] else flat_ground(*sides)
            new = NewGround(ground.heights, ground.cell)
            level = importing.create(
                user, options["name"], slugify(options["name"])[:60], new, lambda *_: None
            )
        except Refused as error:
            raise CommandError(f"{str(error).rstrip('.')}.") from error
        self.stdout.write(
            f"{level.slug}: {level.width:g} m × {level.length:g} m, led by {user.get_username()}."
        )

    def _user(self, name: str | None) -> User:
        people = User.objects.order_by("pk")
        leads = people.filter(memberships__role="lead").first() or people.filter(is_superuser=True).first()
        user = people.filter(username=name).first() if name else leads
        if user is None:
            raise CommandError(
                f"There is no user {name!r}." if name else "There is nobody to lead it; say who with --user."
            )
        return user
