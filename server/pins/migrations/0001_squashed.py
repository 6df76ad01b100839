import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    replaces = [
        ("pins", "0001_initial"),
        ("pins", "0002_uprootedplace"),
        ("pins", "0003_no_keys"),
    ]

    dependencies = [
        ('levels', '0001_squashed'),
        ('stands', '0001_squashed'),
    ]

    operations = [
        migrations.CreateModel(
            name='Pin',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('plant', models.PositiveBigIntegerField()),
                ('item', models.CharField(max_length=60)),
                ('x', models.FloatField()),
                ('z', models.FloatField()),
                ('lift', models.FloatField(default=0, help_text='m of its foot above the ground')),
                ('qx', models.FloatField(default=0)),
                ('qy', models.FloatField(default=0)),
                ('qz', models.FloatField(default=0)),
                ('qw', models.FloatField(default=1)),
                ('width', models.FloatField(default=1, help_text='multiple of the mesh')),
                ('height', models.FloatField(default=1, help_text='multiple of the mesh')),
                ('tint', models.FloatField(default=0.5)),
                ('gone', models.BooleanField(default=False)),
                ('home_x', models.FloatField(null=True)),
                ('home_z', models.FloatField(null=True)),
                ('level', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='pins', to='levels.level')),
                ('stand', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='pins', to='stands.stand')),
            ],
            options={
                'ordering': ['plant'],
                'constraints': [models.UniqueConstraint(fields=('level', 'stand', 'plant'), name='one_pin_of_a_plant')],
            },
        ),
        migrations.CreateModel(
            name='UprootedPlace',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('path', models.JSONField()),
                ('radius', models.FloatField()),
                ('level', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='uprooted', to='levels.level')),
                ('stand', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='uprooted', to='stands.stand')),
            ],
            options={
                'ordering': ['pk'],
                'indexes': [models.Index(fields=['stand'], name='uprooted_of_a_stand')],
            },
        ),
    ]
