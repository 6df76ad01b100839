"""Entries that changed what is kept with a level as a whole, or its shapes, hold edits from now on."""

from django.db import migrations, models
from pydantic import ValidationError

from thicket.document.atmosphere import Atmosphere
from thicket.document.drawing import DrawingSettings
from thicket.document.plots import Plots
from thicket.document.views import WindSettings

FIELDS = {"atmosphere": Atmosphere, "drawing": DrawingSettings, "wind": WindSettings, "plots": Plots}
NAMED = ("tiers", "walks")
DETAILS = ("form", "round", "box", "locked", "hidden", "hatch")


def whole(model, given):
    """All fields of a part of the level, as it is read today."""
    try:
        return model.model_validate(given).model_dump(mode="json")
    except ValidationError:
        return model().model_dump(mode="json") | given


def fields(kind, was, now, **more):
    names = [name for name in now if was.get(name) != now[name]]
    return {
        "kind": kind,
        "put": {name: now[name] for name in names},
        "expected": {name: was.get(name) for name in names},
        **more,
    }


def named(kind, was, now):
    names = [name for name in {**was, **now} if was.get(name) != now.get(name)]
    return {
        "kind": kind,
        "put": {name: now.get(name) for name in names},
        "expected": {name: was.get(name) for name in names},
        "order": list(now),
    }


def by_name(given):
    return {each["name"]: each for each in given}


def shape(number, given):
    if given is None:
        return None
    own = {name: given[name] for name in ("kind", "name", "points", "width", "clear")}
    details = {name: given[name] for name in DETAILS if name in given}
    return own | {"number": int(number), "trail": given.get("trail"), "details": details}


def edit_between(kind, was, now):
    """The edit from one state that an entry of today holds to the other."""
    if kind in FIELDS:
        return fields(kind, whole(FIELDS[kind], was), whole(FIELDS[kind], now))
    if kind == "marks":
        ((tier, then),) = now.items()
        return fields(kind, was[tier]["marks"], then["marks"], tier=tier)
    if kind in NAMED:
        return named(kind, was, now)
    if kind == "views":
        return named(kind, by_name(was["bookmarks"]), by_name(now["bookmarks"]))
    if kind == "looks":  # a layer that is not named was drawn as its name says
        edit = named(kind, *({n: {"name": n, **look} for n, look in of.items()} for of in (was, now)))
        return edit | {"expected": {n: look for n, look in edit["expected"].items() if look}, "order": []}
    if kind == "shapes":
        put, expected = ({number: shape(number, given) for number, given in of.items()} for of in (now, was))
        return {"kind": kind, "put": put, "expected": expected}
    return {"kind": "rename", "name": now["name"], "expected": was["name"]}


KINDS = (*FIELDS, *NAMED, "marks", "views", "looks", "shapes", "level")


def as_edits(apps, _):
    entries = apps.get_model("journal", "Entry").objects.filter(kind__in=KINDS, change__has_key="before")
    for entry in entries.only("kind", "change", "touched").iterator():
        was, now = entry.change["before"], entry.change["after"]
        change = {
            "edit": edit_between(entry.kind, was, now),
            "inverse": edit_between(entry.kind, now, was),
        }
        # Written so that the time at which it was last done or undone stays.
        entries.filter(pk=entry.pk).update(change=change, kind=change["edit"]["kind"])


class Migration(migrations.Migration):
    dependencies = [("journal", "0015_entry_worst"), ("levels", "0016_levelsurvey_device_levelsurvey_drawing")]

    operations = [
        migrations.CreateModel(
            name="EditArray",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                (
                    "level",
                    models.ForeignKey(
                        on_delete=models.deletion.CASCADE, related_name="edit_arrays", to="levels.level"
                    ),
                ),
                ("digest", models.CharField(max_length=24)),
                ("data", models.BinaryField()),
            ],
            options={
                "constraints": [models.UniqueConstraint(fields=("level", "digest"), name="one_edit_array")]
            },
        ),
        migrations.RunPython(as_edits, migrations.RunPython.noop),
        migrations.AlterField(
            model_name="entry",
            name="kind",
            field=models.CharField(
                choices=[
                    ("stroke", "Stroke"),
                    ("settings", "Settings"),
                    ("marks", "Marks"),
                    ("ground", "Ground"),
                    ("resolution", "Resolution"),
                    ("shapes", "Shapes"),
                    ("masks", "Masks"),
                    ("stands", "Stands"),
                    ("pins", "Pins"),
                    ("snapshot", "Snapshot"),
                    ("strokes", "Strokes"),
                    ("views", "Views"),
                    ("wind", "Wind"),
                    ("atmosphere", "Atmosphere"),
                    ("drawing", "Drawing"),
                    ("tiers", "Tiers"),
                    ("walks", "Walks"),
                    ("plots", "Plots"),
                    ("stock", "Stock"),
                    ("looks", "Looks"),
                    ("rename", "Rename"),
                ],
                max_length=12,
            ),
        ),
    ]
