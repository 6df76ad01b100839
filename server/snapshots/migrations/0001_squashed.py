import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    replaces = [
        ("snapshots", "0001_initial"),
        ("snapshots", "0002_snapshot_uprooted"),
        ("snapshots", "0003_as_edits_have_them"),
    ]

    dependencies = [
        ('levels', '0001_squashed'),
        ('stands', '0001_squashed'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='Snapshot',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=80)),
                ('place', models.PositiveSmallIntegerField(default=0, help_text="its place among the level's snapshots")),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('touch_cell', models.FloatField()),
                ('touch_rows', models.PositiveIntegerField()),
                ('touch_columns', models.PositiveIntegerField()),
                ('stands', models.JSONField()),
                ('pins', models.JSONField()),
                ('uprooted', models.JSONField(default=dict)),
                ('count', models.PositiveIntegerField(default=0, help_text='plants and tufts when it was taken')),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('level', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='snapshots', to='levels.level')),
            ],
            options={
                'ordering': ['-id'],
            },
        ),
        migrations.CreateModel(
            name='SnapshotTouch',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('tx', models.PositiveSmallIntegerField()),
                ('tz', models.PositiveSmallIntegerField()),
                ('data', models.BinaryField()),
                ('revision', models.PositiveBigIntegerField()),
                ('snapshot', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='touch_tiles', to='snapshots.snapshot')),
                ('stand', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='stands.stand')),
            ],
            options={
                'abstract': False,
            },
        ),
    ]
