from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("journal", "0020_all_as_edits")]

    operations = [migrations.RemoveField("entry", "delta"), migrations.RemoveField("entry", "stand")]
