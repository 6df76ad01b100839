"""Kinds for drawing settings and tiers; entries of budget marks tell of the tier that has these marks now."""

from django.db import migrations, models

from thicket.document.drawing import FIRST_TIERS, Tier


def carry_over(apps, schema_editor):
    *_, name = FIRST_TIERS
    for entry in apps.get_model("journal", "Entry").objects.filter(kind="marks"):
        entry.change = {
            side: {name: Tier(marks=entry.change[side]).model_dump(mode="json")} for side in ("before", "after")
        }
        entry.save(update_fields=["change"])


class Migration(migrations.Migration):
    dependencies = [("journal", "0012_atmosphere"), ("levels", "0012_tiers")]
    operations = [
        migrations.AlterField(
            "entry",
            "kind",
            models.CharField(choices=[('stroke', 'Stroke'), ('settings', 'Settings'), ('marks', 'Marks'), ('ground', 'Ground'), ('resolution', 'Resolution'), ('shapes', 'Shapes'), ('masks', 'Masks'), ('stands', 'Stands'), ('pins', 'Pins'), ('snapshot', 'Snapshot'), ('strokes', 'Strokes'), ('views', 'Views'), ('wind', 'Wind'), ('atmosphere', 'Atmosphere'), ('drawing', 'Drawing'), ('tiers', 'Tiers'), ("walks", "Walks"), ('stock', 'Stock'), ('looks', 'Looks'), ('level', 'Level')], max_length=12),
        ),
        migrations.RunPython(carry_over, migrations.RunPython.noop),
    ]
