"""Sun, fog and waters become one atmosphere."""

from django.db import migrations, models

from thicket.document.atmosphere import from_before


def carry_over(apps, schema_editor):
    for level in apps.get_model("levels", "Level").objects.all():
        view = {"sun": level.sun, "fog": level.fog, "waters": level.waters}
        level.atmosphere = from_before(view, level.low, level.high)["atmosphere"]
        level.save(update_fields=["atmosphere"])


class Migration(migrations.Migration):
    dependencies = [("levels", "0010_presence")]
    operations = [
        migrations.AddField(
            "level",
            "atmosphere",
            models.JSONField(default=dict, help_text="see thicket.document.atmosphere.Atmosphere"),
        ),
        migrations.RunPython(carry_over, migrations.RunPython.noop),
        migrations.RemoveField("level", "sun"),
        migrations.RemoveField("level", "fog"),
        migrations.RemoveField("level", "waters"),
    ]
