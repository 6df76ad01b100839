"""The versions of levels; and the arrays of edits, whose table was the journal's."""

import django.db.models.deletion
from django.db import migrations, models


def id_field():
    return models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")


def level_field(name):
    return models.ForeignKey(
        on_delete=django.db.models.deletion.CASCADE, related_name=name, to="levels.level"
    )


class Migration(migrations.Migration):
    initial = True

    dependencies = [("levels", "0017_version"), ("journal", "0019_stands_and_groups")]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.CreateModel(
                    name="EditArray",
                    fields=[
                        ("id", id_field()),
                        ("digest", models.CharField(max_length=24)),
                        ("data", models.BinaryField()),
                        ("level", level_field("edit_arrays")),
                    ],
                    options={
                        "db_table": "journal_editarray",
                        "constraints": [
                            models.UniqueConstraint(fields=("level", "digest"), name="one_edit_array")
                        ],
                    },
                )
            ]
        ),
        migrations.AddField("editarray", "part", models.PositiveSmallIntegerField(default=0)),
        migrations.AddConstraint(
            "editarray",
            models.UniqueConstraint(fields=("level", "digest", "part"), name="one_part_of_an_edit_array"),
        ),
        migrations.RemoveConstraint("editarray", "one_edit_array"),
        migrations.CreateModel(
            name="Version",
            fields=[
                ("id", id_field()),
                ("number", models.PositiveBigIntegerField()),
                ("previous", models.PositiveBigIntegerField()),
                (
                    "edit",
                    models.JSONField(help_text="null where it needs more than the rows hold", null=True),
                ),
                (
                    "entry",
                    models.PositiveBigIntegerField(help_text="of the journal, that was done or undone by it"),
                ),
                (
                    "answer",
                    models.JSONField(
                        help_text="what the page is to read again, once that is known: see server.steps",
                        null=True,
                    ),
                ),
                ("at", models.DateTimeField(auto_now_add=True)),
                ("level", level_field("versions")),
            ],
            options={
                "constraints": [
                    models.UniqueConstraint(fields=("level", "number"), name="one_version_per_number")
                ],
            },
        ),
    ]
