"""Place a mesh in a level."""

from typing import get_args
from uuid import uuid4

from django.core.management.base import BaseCommand, CommandError
from ninja.errors import HttpError
from pydantic import ValidationError

from server.levels.access import level_of_command
from server.levels.models import Membership
from server.steps import note_effect
from server.surfaces.actions import change_surfaces
from thicket.document.surface_settings import MadeMesh, PlacedMesh
from thicket.refused import Refused, first_error
from thicket.surfaces.mesh import Form


def numbers(text: str) -> list[float]:
    return [float(part) for part in text.split(",")]


class Command(BaseCommand):
    help = "Place a mesh in a level: a stock item's, or one that is made here."

    def add_arguments(self, parser):
        parser.add_argument("level", help="the level's slug")
        parser.add_argument("item", nargs="?", default="", help="slug of a stock item of the level")
        parser.add_argument("--made", choices=get_args(Form), help="a mesh that is made here")
        parser.add_argument("--size", type=numbers, default=[1.0], help="m: one number, or X,Y,Z")
        parser.add_argument("--divisions", type=int, default=16)
        parser.add_argument("--at", type=numbers, required=True, help="X,Y,Z in m, of the mesh's own origin")
        parser.add_argument("--turn", type=float, default=0.0, help="degrees, clockwise seen from above")
        parser.add_argument("--pitch", type=float, default=0.0, help="degrees, tipped forward")
        parser.add_argument("--roll", type=float, default=0.0, help="degrees, tipped to its right")
        parser.add_argument("--scale", type=float, default=1.0)
        parser.add_argument("--name", default="")
        parser.add_argument("--group", default="")

    def handle(self, *args, **options):
        level = level_of_command(options["level"])
        lead = level.memberships.filter(role=Membership.Role.LEAD).order_by("pk").first()
        if lead is None:
            raise CommandError(f"{level.name} has no lead.")
        if bool(options["item"]) == bool(options["made"]):
            raise CommandError("Say either which item, or --made FORM.")
        try:
            placed = self.placed(options)
            done = change_surfaces(lead.user, level, uuid4(), f"{placed.name} placed", [(None, placed)], [])
            note_effect(done)
        except ValidationError as error:
            raise CommandError(f"{first_error(error)}.") from error
        except (Refused, HttpError) as error:
            raise CommandError(f"{str(error).rstrip('.')}.") from error
        self.stdout.write(f"{placed.name}: placed in {level.name}.")

    def placed(self, options) -> PlacedMesh:
        """The placed mesh that the options describe. Raises: Refused or pydantic's ValidationError."""
        made, size = options["made"], options["size"] * (3 if len(options["size"]) == 1 else 1)
        return PlacedMesh(
            name=options["name"] or (made or options["item"]).capitalize(),
            group=options["group"],
            made=MadeMesh(form=made, size=size, divisions=options["divisions"]) if made else None,
            item=options["item"],
            at=options["at"],
            **{name: options[name] for name in ("turn", "pitch", "roll", "scale")},
        )
