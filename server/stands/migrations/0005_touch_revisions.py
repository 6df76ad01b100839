from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("stands", "0004_brush_tips")]

    operations = [migrations.AlterField("touchtile", "revision", models.PositiveBigIntegerField())]
