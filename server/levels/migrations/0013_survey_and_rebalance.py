"""Surveys of a level, and answers of a rebalance."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('levels', '0012_tiers'),
    ]

    operations = [
        migrations.CreateModel(
            name='LevelSurvey',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('content', models.CharField(max_length=64)),
                ('asked', models.CharField(help_text='digest of what was asked for, whatever the level was', max_length=64)),
                ('data', models.BinaryField(help_text="NPZ: the survey's grid and its loads by stand")),
                ('level', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='surveys', to='levels.level')),
            ],
            options={
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
                'constraints': [models.UniqueConstraint(fields=('level', 'content'), name='one_rebalance')],
            },
        ),
    ]
