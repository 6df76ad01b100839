"""Entries that changed settings of stands hold edits from now on."""

from django.db import migrations
from pydantic import ValidationError

from thicket.document.settings import StandSettings


def whole(now, given):
    """Settings that an entry holds, with all that belongs to them as they are read today."""
    try:
        read = StandSettings.model_validate({**now, **given}).model_dump(mode="json")
    except ValidationError:
        return given
    return {name: read.get(name, value) for name, value in given.items()}


def as_edits(apps, _):
    stands = {
        pk: (number, settings)
        for pk, number, settings in apps.get_model("stands", "Stand")
        .objects.all()
        .values_list("pk", "number", "settings")
    }
    entries = apps.get_model("journal", "Entry").objects.filter(kind="settings")
    for entry in entries.only("stand_id", "change").iterator():
        if "edit" in entry.change:
            continue
        was, now = {}, {}
        for pk, change in entry.change.get("stands", {entry.stand_id: entry.change}).items():
            number, settings = stands[int(pk)]
            was[str(number)] = whole(settings, change["before"])
            now[str(number)] = whole(settings, change["after"])
        change = {
            "edit": {"kind": "settings", "put": now, "expected": was},
            "inverse": {"kind": "settings", "put": was, "expected": now},
        }
        entries.filter(pk=entry.pk).update(change=change)


class Migration(migrations.Migration):
    dependencies = [("journal", "0016_edits"), ("stands", "0004_brush_tips")]

    operations = [migrations.RunPython(as_edits, migrations.RunPython.noop)]
