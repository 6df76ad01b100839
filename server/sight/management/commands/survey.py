"""Survey a level, so that the map is ready when somebody looks at it."""

from django.core.management.base import BaseCommand, CommandError

from server.levels.access import level_of_command
from server.sight import surveys
from thicket.document.drawing import DrawingSettings, Tier, seen_through
from thicket.planted.survey import EYE, STEP
from thicket.refused import Refused


class Command(BaseCommand):
    help = "Survey what frames of a level cost, through one of its tiers."

    def add_arguments(self, parser):
        parser.add_argument("level", help="the level's slug")
        parser.add_argument("--tier", default="", help="its last one when left out")
        parser.add_argument("--step", type=float, default=STEP, help="m between places")

    def handle(self, *args, **options):
        level = level_of_command(options["level"])
        tier = options["tier"] or list(level.tiers)[-1]
        try:
            surveys.check(level, options["step"])
            seen, _ = seen_through({"drawing": level.drawing, "tiers": level.tiers}, tier)
        except Refused as error:
            raise CommandError(f"{error}.") from error
        asked = surveys.SurveyRequest(DrawingSettings.of(seen), options["step"], EYE)
        surveys.make(level, asked, Tier.model_validate(level.tiers[tier]).device)
        self.stdout.write(f"Surveyed {level.name} through {tier}.")
