import django.db.models.deletion
from django.conf import settings
from django.core.management import call_command
from django.db import migrations, models


def make_cache_table(apps, schema_editor):
    """The table of Django's cache, in which tries to sign in are counted over all processes."""
    call_command("createcachetable", verbosity=0)


class Migration(migrations.Migration):

    initial = True

    replaces = [
        ("accounts", "0001_own_keys"),
        ("accounts", "0002_cache_table"),
        ("accounts", "0003_profile"),
        ("accounts", "0004_no_choices"),
    ]

    dependencies = [
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='Profile',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('keys', models.JSONField(default=dict)),
                ('mark', models.CharField(default='diamond', max_length=10)),
                ('user', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='profile', to=settings.AUTH_USER_MODEL)),
            ],
        ),
        migrations.RunPython(make_cache_table, migrations.RunPython.noop),
    ]
