import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    replaces = [
        ("stands", "0001_initial"),
        ("stands", "0002_conditionset_kepttouch"),
        ("stands", "0003_locked_colour_gone"),
        ("stands", "0004_brush_tips"),
        ("stands", "0005_touch_revisions"),
        ("stands", "0006_no_kept_touch"),
        ("stands", "0007_no_choices"),
    ]

    dependencies = [
        ('levels', '0001_squashed'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='BrushTip',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=60)),
                ('data', models.BinaryField()),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'ordering': ['name', 'id'],
            },
        ),
        migrations.CreateModel(
            name='ConditionSet',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=80, unique=True)),
                ('conditions', models.JSONField()),
                ('at', models.DateTimeField(auto_now=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'ordering': ['name'],
            },
        ),
        migrations.CreateModel(
            name='Stand',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('number', models.PositiveIntegerField()),
                ('slug', models.SlugField(max_length=60)),
                ('name', models.CharField(max_length=80)),
                ('stratum', models.CharField(max_length=12)),
                ('place', models.PositiveSmallIntegerField(default=0)),
                ('sward', models.BooleanField(default=False)),
                ('seed', models.PositiveIntegerField()),
                ('settings', models.JSONField(help_text='validated by thicket.document.settings.StandSettings')),
                ('locked', models.BooleanField(default=False)),
                ('colour', models.CharField(blank=True, help_text="its ink on the screen; its stratum's when empty", max_length=7)),
                ('gone', models.BooleanField(default=False, help_text='removed, and kept for undo')),
                ('level', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='stands', to='levels.level')),
            ],
        ),
        migrations.CreateModel(
            name='TouchTile',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('tx', models.PositiveSmallIntegerField()),
                ('tz', models.PositiveSmallIntegerField()),
                ('data', models.BinaryField()),
                ('revision', models.PositiveBigIntegerField()),
                ('stand', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='touch_tiles', to='stands.stand')),
            ],
        ),
        migrations.AddConstraint(
            model_name='stand',
            constraint=models.UniqueConstraint(fields=('level', 'slug'), name='one_stand_per_slug'),
        ),
        migrations.AddConstraint(
            model_name='stand',
            constraint=models.UniqueConstraint(fields=('level', 'number'), name='one_stand_per_number'),
        ),
        migrations.AddConstraint(
            model_name='touchtile',
            constraint=models.UniqueConstraint(fields=('stand', 'tx', 'tz'), name='one_touch_tile'),
        ),
    ]
