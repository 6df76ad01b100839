"""Note in the audit trail that the state was restored from a backup."""

from django.core.management.base import BaseCommand

from server.audit.recording import record


class Command(BaseCommand):
    help = "Note in the audit trail that the state was restored; `kt restore` calls it."

    def add_arguments(self, parser):
        parser.add_argument("file")

    def handle(self, *args, **options):
        record("restore", None, f"everything from the backup {options['file']}", person="kt restore")
