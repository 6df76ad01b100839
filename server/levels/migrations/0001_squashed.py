import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    replaces = [
        ("levels", "0001_initial"),
        ("levels", "0002_touch_cells_and_layer_revisions"),
        ("levels", "0003_scene_revision"),
        ("levels", "0004_level_pin_revision"),
        ("levels", "0005_stand_revision"),
        ("levels", "0006_wind"),
        ("levels", "0007_level_looks_layertexture"),
        ("levels", "0008_level_removed_at_levelsummary"),
        ("levels", "0009_shape_numbers"),
        ("levels", "0010_presence"),
        ("levels", "0011_atmosphere"),
        ("levels", "0012_tiers"),
        ("levels", "0013_survey_and_rebalance"),
        ("levels", "0014_level_plots"),
        ("levels", "0015_surveypoint"),
        ("levels", "0016_levelsurvey_device_levelsurvey_drawing"),
        ("levels", "0017_version"),
        ("levels", "0018_sight"),
        ("levels", "0019_no_choices"),
    ]

    dependencies = [
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='Level',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('slug', models.SlugField(max_length=60, unique=True)),
                ('name', models.CharField(max_length=80)),
                ('seed', models.PositiveIntegerField()),
                ('cell', models.FloatField(help_text='m between height vertices, and the size of a raster cell')),
                ('rows', models.PositiveIntegerField(help_text='cells along z')),
                ('columns', models.PositiveIntegerField(help_text='cells along x')),
                ('low', models.FloatField()),
                ('high', models.FloatField()),
                ('version', models.PositiveBigIntegerField(default=1, help_text='higher with every change of the level')),
                ('ground_revision', models.PositiveIntegerField(default=1, help_text="of the heights' tiles")),
                ('layers_revision', models.PositiveIntegerField(default=1, help_text="of the ground layers' tiles")),
                ('shape_numbers', models.PositiveBigIntegerField(default=0, help_text='the highest number that a shape of it was given')),
                ('touch_cell', models.FloatField(default=1.0, help_text='m, size of a cell of the touch maps')),
                ('layers', models.JSONField(default=list, help_text='name and colour of each ground layer')),
                ('bookmarks', models.JSONField(default=list, help_text='named views')),
                ('atmosphere', models.JSONField(default=dict, help_text='see thicket.document.atmosphere.Atmosphere')),
                ('removed_at', models.DateTimeField(default=None, help_text='when it was removed; it is kept for a month', null=True)),
                ('looks', models.JSONField(default=dict, help_text='by ground layer, what a person chose: colour, look, and digest of a texture')),
                ('wind', models.JSONField(default=dict, help_text='see thicket.document.views.WindSettings')),
                ('drawing', models.JSONField(default=dict, help_text='see thicket.document.drawing.DrawingSettings')),
                ('tiers', models.JSONField(default=dict, help_text='by name, in order, see thicket.document.drawing.Tier')),
                ('walks', models.JSONField(default=dict, help_text='by name, in order, see thicket.document.walks.Walk')),
                ('plots', models.JSONField(default=dict, help_text='see thicket.document.plots.Plots')),
            ],
        ),
        migrations.CreateModel(
            name='LevelSummary',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('stamp', models.CharField(max_length=120)),
                ('plants', models.BigIntegerField()),
                ('over', models.JSONField(default=list, help_text='names of kept views whose cost overruns a mark')),
                ('plan', models.BinaryField(help_text='PNG: the level drawn as a small plan')),
                ('made', models.PositiveIntegerField(default=1, help_text='how often it has been made')),
                ('level', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='summary', to='levels.level')),
            ],
        ),
        migrations.CreateModel(
            name='LayerTexture',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('digest', models.CharField(max_length=32)),
                ('data', models.BinaryField()),
                ('level', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='layer_textures', to='levels.level')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('level', 'digest'), name='one_layer_texture')],
            },
        ),
        migrations.CreateModel(
            name='GroundTile',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('tx', models.PositiveSmallIntegerField()),
                ('tz', models.PositiveSmallIntegerField()),
                ('revision', models.PositiveIntegerField(default=1)),
                ('data', models.BinaryField()),
                ('kind', models.CharField(max_length=10)),
                ('level', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='ground_tiles', to='levels.level')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('level', 'kind', 'revision', 'tx', 'tz'), name='one_ground_tile')],
            },
        ),
        migrations.CreateModel(
            name='Membership',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('role', models.CharField(max_length=10)),
                ('level', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='memberships', to='levels.level')),
                ('user', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='memberships', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('user', 'level'), name='one_role_per_level')],
            },
        ),
        migrations.CreateModel(
            name='Presence',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('x', models.FloatField()),
                ('z', models.FloatField()),
                ('heading', models.FloatField()),
                ('bench', models.CharField(max_length=20)),
                ('at', models.DateTimeField()),
                ('level', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='present', to='levels.level')),
                ('user', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('level', 'user'), name='one_place_per_person')],
            },
        ),
    ]
