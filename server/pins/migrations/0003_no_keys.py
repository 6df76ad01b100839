from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("pins", "0002_uprootedplace"), ("journal", "0020_all_as_edits")]

    operations = [
        migrations.AddConstraint(
            "pin",
            models.UniqueConstraint(fields=("level", "stand", "plant"), name="one_pin_of_a_plant"),
        ),
        migrations.RemoveConstraint("pin", "one_pin_per_plant"),
        # MariaDB wants an index for the foreign key before the other one goes.
        migrations.AddIndex(
            "uprootedplace", models.Index(fields=["stand"], name="uprooted_of_a_stand")
        ),
        migrations.RemoveConstraint("uprootedplace", "one_uprooted_place_per_action"),
        migrations.RemoveField("uprootedplace", "key"),
    ]
