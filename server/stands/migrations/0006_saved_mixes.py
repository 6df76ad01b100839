from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("stands", "0005_kept_mixes")]

    operations = [migrations.RenameModel("KeptMix", "SavedMix")]
