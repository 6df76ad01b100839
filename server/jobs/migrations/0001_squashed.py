import django.db.models.deletion
import uuid
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    replaces = [
        ("jobs", "0001_initial"),
        ("jobs", "0002_lanes"),
        ("jobs", "0003_no_choices"),
    ]

    dependencies = [
        ('levels', '0001_squashed'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='Beat',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('at', models.DateTimeField()),
            ],
        ),
        migrations.CreateModel(
            name='Job',
            fields=[
                ('id', models.UUIDField(default=uuid.uuid4, primary_key=True, serialize=False)),
                ('key', models.CharField(max_length=80)),
                ('kind', models.CharField(help_text='which of `server.jobs.running.WORK` does it', max_length=20)),
                ('arguments', models.JSONField(default=dict)),
                ('state', models.CharField(default='waiting', max_length=10)),
                ('stopping', models.BooleanField(default=False, help_text='somebody asked to stop it')),
                ('step', models.CharField(blank=True, help_text='what is done now, in words', max_length=200)),
                ('share', models.FloatField(default=0.0, help_text='how much of it is done, 0–1')),
                ('total', models.PositiveIntegerField(default=0, help_text='of what the share is counted in, where it is counted')),
                ('trouble', models.CharField(blank=True, max_length=500)),
                ('worker', models.CharField(blank=True, help_text='which worker does it, or did', max_length=40)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('began', models.DateTimeField(null=True)),
                ('alive', models.DateTimeField(help_text='when its worker last wrote how far it is', null=True)),
                ('ended', models.DateTimeField(null=True)),
                ('level', models.ForeignKey(null=True, on_delete=django.db.models.deletion.CASCADE, related_name='jobs', to='levels.level')),
                ('user', models.ForeignKey(null=True, on_delete=django.db.models.deletion.CASCADE, related_name='+', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'indexes': [models.Index(fields=['key', '-at'], name='jobs_job_key_d1937d_idx'), models.Index(fields=['state'], name='jobs_job_state_7f24c5_idx')],
            },
        ),
    ]
