import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    replaces = [
        ("team", "0001_initial"),
        ("team", "0002_no_choices"),
    ]

    dependencies = [
        ('levels', '0001_squashed'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='Installation',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(blank=True, max_length=60)),
                ('address', models.CharField(blank=True, help_text='under which people reach it, for links', max_length=200)),
                ('sign_up', models.CharField(default='invited', max_length=10)),
                ('makers', models.CharField(default='artists', max_length=10)),
            ],
        ),
        migrations.CreateModel(
            name='OneTimeLink',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('digest', models.CharField(max_length=64, unique=True)),
                ('role', models.CharField(blank=True, max_length=10)),
                ('until', models.DateTimeField()),
                ('used', models.BooleanField(default=False)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('level', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='links', to='levels.level')),
                ('person', models.ForeignKey(help_text='whose password it is for; null for an invitation', null=True, on_delete=django.db.models.deletion.CASCADE, related_name='+', to=settings.AUTH_USER_MODEL)),
            ],
        ),
    ]
