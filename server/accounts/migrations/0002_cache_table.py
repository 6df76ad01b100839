"""The table of Django's cache, in which tries to sign in are counted over all processes."""

from django.core.management import call_command
from django.db import migrations


def make(apps, schema_editor):
    call_command("createcachetable", verbosity=0)


class Migration(migrations.Migration):
    dependencies = [("accounts", "0001_own_keys")]
    operations = [migrations.RunPython(make, migrations.RunPython.noop)]
