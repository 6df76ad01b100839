import django.db.models.deletion
import uuid
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    replaces = [
        ("ground", "0001_initial"),
        ("ground", "0002_draft_made"),
        ("ground", "0003_mask_bits"),
        ("ground", "0004_no_choices"),
    ]

    dependencies = [
        ('levels', '0001_squashed'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='Draft',
            fields=[
                ('id', models.UUIDField(default=uuid.uuid4, primary_key=True, serialize=False)),
                ('kind', models.CharField(max_length=10)),
                ('state', models.CharField(default='reading', max_length=10)),
                ('names', models.JSONField(default=list, help_text="the files' own names, in order")),
                ('options', models.JSONField(default=dict)),
                ('made', models.JSONField(default=dict, help_text='of ground that is made here: see server.ground.schemas.MadeIn')),
                ('found', models.JSONField(default=dict)),
                ('forecast', models.JSONField(null=True)),
                ('trouble', models.CharField(blank=True, max_length=500)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('level', models.ForeignKey(null=True, on_delete=django.db.models.deletion.CASCADE, related_name='+', to='levels.level')),
                ('user', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to=settings.AUTH_USER_MODEL)),
            ],
        ),
        migrations.CreateModel(
            name='Mask',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=60)),
                ('rows', models.PositiveIntegerField()),
                ('columns', models.PositiveIntegerField()),
                ('bits', models.PositiveSmallIntegerField(default=8)),
                ('digest', models.CharField(max_length=32)),
                ('data', models.BinaryField()),
                ('level', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='masks', to='levels.level')),
            ],
            options={
                'ordering': ['name'],
                'constraints': [models.UniqueConstraint(fields=('level', 'name'), name='one_mask_per_name')],
            },
        ),
    ]
