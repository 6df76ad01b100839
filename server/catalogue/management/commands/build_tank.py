"""Build Tarrow Tank, the second demo level; does nothing when it is there."""

from django.contrib.auth.models import User
from django.core.management.base import BaseCommand

from demo import tank
from demo.level import ACCOUNTS
from server.catalogue.whole import make_level
from server.levels.models import Level, Membership


class Command(BaseCommand):
    help = "Build the second demo level for the demo's accounts, unless it is there."

    def handle(self, *args, **options):
        lead = User.objects.filter(username="lead").first()
        if lead is None or Level.objects.filter(slug=tank.SLUG).exists():
            return
        self.stdout.write("Building the second demo level, Tarrow Tank")
        level = make_level(lead, tank.level())
        for user in User.objects.filter(username__in=ACCOUNTS.keys() - {"lead"}):
            Membership.objects.create(user=user, level=level, role=ACCOUNTS[user.username])
