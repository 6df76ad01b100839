"""Put the starter items on the shelf; those that are there stay as they are."""

from django.core.management.base import BaseCommand
from django.db import transaction

from demo.shelf import GROUPS, STOCK, TAGS, starter
from server.stock.models import ShelfItem
from server.stock.shelf import put_on_shelf


class Command(BaseCommand):
    help = "Put the items that our own code makes on the shelf, unless they are there."

    @transaction.atomic
    def handle(self, *args, **options):
        there = set(ShelfItem.objects.values_list("slug", flat=True))
        missing = [slug for slug in STOCK if slug not in there]
        if missing:
            self.stdout.write(f"Filling the shelf with {len(missing)} items to begin with")
        for slug in missing:
            put_on_shelf(
                starter(slug),
                slug,
                STOCK[slug][0],
                GROUPS[slug],
                tags=TAGS.get(slug, ()),
                note="Made by Knee Thicket's code.",
            )
