import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    replaces = [
        ("document", "0001_initial"),
    ]

    dependencies = [
        ('levels', '0001_squashed'),
    ]

    operations = [
        migrations.CreateModel(
            name='EditArray',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('digest', models.CharField(max_length=24)),
                ('part', models.PositiveSmallIntegerField(default=0)),
                ('data', models.BinaryField()),
                ('level', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='edit_arrays', to='levels.level')),
            ],
            options={
                'db_table': 'journal_editarray',
                'constraints': [models.UniqueConstraint(fields=('level', 'digest', 'part'), name='one_part_of_an_edit_array')],
            },
        ),
        migrations.CreateModel(
            name='Version',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('number', models.PositiveBigIntegerField()),
                ('previous', models.PositiveBigIntegerField()),
                ('edit', models.JSONField(help_text='null where it needs more than the rows hold', null=True)),
                ('entry', models.PositiveBigIntegerField(help_text='of the journal, that was done or undone by it')),
                ('answer', models.JSONField(help_text='what the page is to read again, once that is known: see server.steps', null=True)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('level', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='versions', to='levels.level')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('level', 'number'), name='one_version_per_number')],
            },
        ),
    ]
