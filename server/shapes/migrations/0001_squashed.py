import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    replaces = [
        ("shapes", "0001_initial"),
        ("shapes", "0002_trail"),
        ("shapes", "0003_number"),
        ("shapes", "0004_no_choices"),
    ]

    dependencies = [
        ('levels', '0001_squashed'),
    ]

    operations = [
        migrations.CreateModel(
            name='Shape',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('number', models.PositiveBigIntegerField(help_text='its name in the level; none is given twice')),
                ('kind', models.CharField(max_length=10)),
                ('form', models.CharField(max_length=10)),
                ('name', models.CharField(max_length=80)),
                ('points', models.JSONField()),
                ('round', models.JSONField(null=True)),
                ('box', models.JSONField(null=True)),
                ('width', models.FloatField(default=4.0, help_text='m, of a path')),
                ('clear', models.FloatField(help_text='m beyond the edge kept free of plants; null keeps nothing free', null=True)),
                ('locked', models.BooleanField(default=False)),
                ('hidden', models.BooleanField(default=False)),
                ('trail', models.JSONField(help_text='how a path lays plants over; null when it does not', null=True)),
                ('hatch', models.CharField(default='slant', max_length=10)),
                ('level', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='shapes', to='levels.level')),
            ],
            options={
                'ordering': ['number'],
                'constraints': [models.UniqueConstraint(fields=('level', 'number'), name='one_shape_per_number')],
            },
        ),
    ]
