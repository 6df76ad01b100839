from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("journal", "0018_masks_as_edits"), ("levels", "0017_version")]

    operations = [
        migrations.SeparateDatabaseAndState(state_operations=[migrations.DeleteModel("EditArray")]),
        migrations.AddField(
            "entry",
            "group",
            models.CharField(blank=True, help_text="entries that are undone together", max_length=120),
        ),
        migrations.AddField(
            "entry",
            "stands",
            models.JSONField(default=list, help_text="numbers of the stands that it is about"),
        ),
        migrations.AlterField(
            "entry", "kind", models.CharField(help_text="of its edit; of the first of several", max_length=20)
        ),
        migrations.AddIndex("entry", models.Index(fields=["group"], name="journal_ent_group_549f31_idx")),
    ]
