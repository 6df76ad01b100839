from django.db import migrations, models


def number(apps, schema_editor):
    """Shapes keep the numbers that settings name them by until now."""
    Shape, Level = apps.get_model("shapes", "Shape"), apps.get_model("levels", "Level")
    Shape.objects.update(number=models.F("pk"))
    newest = Shape.objects.order_by("-pk").values_list("pk", flat=True).first() or 0
    Level.objects.update(shape_numbers=newest)


class Migration(migrations.Migration):
    dependencies = [("shapes", "0002_trail"), ("levels", "0009_shape_numbers")]

    operations = [
        migrations.AddField("shape", "number", models.PositiveBigIntegerField(
            null=True, help_text="its name in the level; none is given twice")),
        migrations.RunPython(number, migrations.RunPython.noop),
        migrations.AlterField("shape", "number", models.PositiveBigIntegerField(
            help_text="its name in the level; none is given twice")),
        migrations.AlterModelOptions("shape", {"ordering": ["number"]}),
        migrations.AddConstraint("shape", models.UniqueConstraint(fields=["level", "number"], name="one_shape_per_number")),
    ]
