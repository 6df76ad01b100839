from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("stands", "0005_touch_revisions"), ("journal", "0020_all_as_edits")]

    operations = [migrations.RemoveField("stand", "revision"), migrations.DeleteModel("KeptTouch")]
