import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    replaces = [
        ("audit", "0001_initial"),
        ("audit", "0002_alter_record_kind"),
        ("audit", "0003_no_choices"),
    ]

    dependencies = [
        ('levels', '0001_squashed'),
    ]

    operations = [
        migrations.CreateModel(
            name='Record',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('kind', models.CharField(max_length=10)),
                ('person', models.CharField(blank=True, max_length=150)),
                ('address', models.CharField(blank=True, max_length=45)),
                ('what', models.CharField(blank=True, max_length=200)),
                ('level', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='levels.level')),
            ],
            options={
                'ordering': ['-id'],
            },
        ),
    ]
