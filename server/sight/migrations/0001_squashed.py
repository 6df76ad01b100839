import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    replaces = [
        ("sight", "0001_initial"),
    ]

    dependencies = [
        ('levels', '0001_squashed'),
    ]

    operations = [
        migrations.CreateModel(
            name='LevelSurvey',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('content', models.CharField(max_length=64)),
                ('asked', models.CharField(help_text='digest of what was asked for, whatever the level was', max_length=64)),
                ('drawing', models.JSONField(default=dict, help_text='how the level was drawn')),
                ('device', models.JSONField(default=dict, help_text='the device that its milliseconds were told for')),
                ('data', models.BinaryField(help_text="NPZ: the survey's grid and its loads by stand")),
                ('level', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='surveys', to='levels.level')),
            ],
            options={
                'db_table': 'levels_levelsurvey',
                'constraints': [models.UniqueConstraint(fields=('level', 'content'), name='one_survey')],
            },
        ),
        migrations.CreateModel(
            name='RebalanceAnswer',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('content', models.CharField(max_length=64)),
                ('result', models.JSONField()),
                ('level', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='rebalances', to='levels.level')),
            ],
            options={
                'db_table': 'levels_rebalanceanswer',
                'constraints': [models.UniqueConstraint(fields=('level', 'content'), name='one_rebalance')],
            },
        ),
        migrations.CreateModel(
            name='SurveyPoint',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('asked', models.CharField(help_text='as of a survey', max_length=64)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('entry', models.PositiveBigIntegerField(help_text='id of the last action before it')),
                ('worst', models.JSONField(help_text='by budget line, ms of the device that was looked through')),
                ('level', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='survey_points', to='levels.level')),
            ],
            options={
                'db_table': 'levels_surveypoint',
                'indexes': [models.Index(fields=['level', 'asked', '-id'], name='levels_surv_level_i_f5ee3f_idx')],
            },
        ),
        migrations.CreateModel(
            name='WalkCheck',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('content', models.CharField(max_length=64)),
                ('result', models.JSONField()),
                ('level', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='walk_checks', to='levels.level')),
            ],
            options={
                'db_table': 'levels_walkcheck',
                'constraints': [models.UniqueConstraint(fields=('level', 'content'), name='one_check_of_a_walk')],
            },
        ),
    ]
