from django.db import migrations, models


def in_order(apps, _):
    items = apps.get_model("stock", "StockItem").objects
    places = {}
    for pk, level in items.order_by("id").values_list("pk", "level_id"):
        items.filter(pk=pk).update(place=places.setdefault(level, 0))
        places[level] += 1


class Migration(migrations.Migration):
    dependencies = [("stock", "0007_groups_of_ones_own")]

    operations = [
        migrations.AlterModelOptions("stockitem", {"ordering": ["place", "id"]}),
        migrations.AddField(
            "stockitem",
            "place",
            models.PositiveSmallIntegerField(default=0, help_text="its place in the level's stock"),
        ),
        migrations.RunPython(in_order, migrations.RunPython.noop),
    ]
