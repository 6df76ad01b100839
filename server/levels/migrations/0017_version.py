from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("levels", "0016_levelsurvey_device_levelsurvey_drawing")]

    operations = [
        migrations.RemoveField("level", "pin_revision"),
        migrations.RemoveField("level", "scene_revision"),
        migrations.RemoveField("level", "stand_revision"),
        migrations.AddField(
            "level",
            "version",
            models.PositiveBigIntegerField(default=1, help_text="higher with every change of the level"),
        ),
    ]
