"""Drawing settings, walks, and tiers in place of one set of marks."""

from django.db import migrations, models

from thicket.document.drawing import tiers_for


def carry_over(apps, schema_editor):
    for level in apps.get_model("levels", "Level").objects.exclude(marks={}):
        level.tiers = tiers_for(level.marks)
        level.save(update_fields=["tiers"])


class Migration(migrations.Migration):
    dependencies = [("levels", "0011_atmosphere")]
    operations = [
        migrations.AddField(
            "level",
            "drawing",
            models.JSONField(default=dict, help_text="see thicket.document.drawing.DrawingSettings"),
        ),
        migrations.AddField(
            "level",
            "tiers",
            models.JSONField(default=dict, help_text="by name, in order, see thicket.document.drawing.Tier"),
        ),
        migrations.AddField(
            "level",
            "walks",
            models.JSONField(default=dict, help_text="by name, in order, see thicket.document.walks.Walk"),
        ),
        migrations.RunPython(carry_over, migrations.RunPython.noop),
        migrations.RemoveField("level", "marks"),
        migrations.CreateModel(
            "WalkCheck",
            [
                ("id", models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    )),
                ("content", models.CharField(max_length=64)),
                ("result", models.JSONField()),
                (
                    "level",
                    models.ForeignKey(
                        on_delete=models.CASCADE, related_name="walk_checks", to="levels.level"
                    ),
                ),
            ],
        ),
        migrations.AddConstraint(
            "WalkCheck", models.UniqueConstraint(fields=["level", "content"], name="one_check_of_a_walk")
        ),
    ]
