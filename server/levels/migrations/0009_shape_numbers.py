from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("levels", "0008_level_removed_at_levelsummary")]

    operations = [
        migrations.AddField("level", "shape_numbers", models.PositiveBigIntegerField(
            default=0, help_text="the highest number that a shape of it was given")),
    ]
