from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("snapshots", "0002_snapshot_uprooted")]

    operations = [
        migrations.AddField(
            "snapshot",
            "place",
            models.PositiveSmallIntegerField(default=0, help_text="its place among the level's snapshots"),
        ),
        migrations.AddField(
            "snapshot", "touch_columns", models.PositiveIntegerField(default=0), preserve_default=False
        ),
        migrations.AddField(
            "snapshot", "touch_rows", models.PositiveIntegerField(default=0), preserve_default=False
        ),
        migrations.AlterField("snapshot", "name", models.CharField(max_length=80)),
        migrations.AlterField("snapshot", "uprooted", models.JSONField(default=dict)),
        migrations.AlterField("snapshottouch", "revision", models.PositiveBigIntegerField()),
    ]
