"""All entries of the journal hold edits from now on; snapshots are kept as edits have them."""

import io
import zlib
from collections import defaultdict

import numpy as np
from django.db import migrations
from pydantic import ValidationError

from server.levels.looks import look_of
from server.levels.rasters import whole
from thicket.document.edits import (
    AddStand,
    ChangePins,
    ChangeSettings,
    ChangeUprooted,
    HoldItem,
    LeaveItem,
    OrderStands,
    Paint,
    Painted,
    RemoveStand,
    SetHeights,
    SetLayers,
    SetPlanting,
    SetStand,
    SetTouchCell,
    Several,
    TakeItem,
    VersionItem,
)
from thicket.document.edits.files import json_of
from thicket.document.edits.ground import Before
from thicket.document.edits.snapshots import Saved, planting_digest
from thicket.document.level import touch_shape
from thicket.document.level_file import ItemDistances, ItemFile, ItemTraits, StandFile
from thicket.document.pin_rows import VALUES, GoneRow, PinRow, pins_from, rows_of
from thicket.document.rasters import Heights, LayerMaps
from thicket.document.settings import StandSettings
from thicket.document.touch import TouchMap, fitted

STAND = ("number", "slug", "name", "stratum", "place", "sward", "seed", "locked", "colour", "settings")
OWN = ("name", "seed", "locked", "colour")
PART = 8 << 20


def several(edits):
    return edits[0] if len(edits) == 1 else Several(edits=tuple(edits))


def pin(given):
    if given is None:
        return None
    home = None if given["home_x"] is None else (given["home_x"], given["home_z"])
    if given["gone"]:
        return GoneRow(home=home or (given["x"], given["z"]))
    values = {name: given[name] for name in ("item", "x", "z", "lift", *VALUES)}
    return PinRow.model_construct(**values, home=home)


def pins(rows):
    return {int(plant): pin(given) for plant, given in rows.items()}


def held(rows):
    """Pins with their numbers as a level holds them: some in single precision."""
    known = {plant: row for plant, row in rows.items() if row is not None}
    return {**dict.fromkeys(rows), **rows_of(pins_from(known))}


def place(given):
    return tuple((float(x), float(z)) for x, z in given["path"]), float(given["radius"])


def stand_file(row):
    return StandFile(**{name: row[name] for name in STAND})


def settings_of(given, name):
    """A setting as it is read today."""
    try:
        return StandSettings.model_validate(given).model_dump(mode="json")[name]
    except (ValidationError, KeyError):
        return given.get(name)


class Carried:
    """The entries of one level carried over."""

    def __init__(self, apps, level):
        self.get, self.level = apps.get_model, level
        self.stands = {row.pk: row for row in self.get("stands", "Stand").objects.filter(level=level)}
        self.arrays = {}
        uprooted = self.get("pins", "UprootedPlace").objects.filter(level=level).order_by("pk")
        self.places = defaultdict(list)
        for row in uprooted:
            self.places[row.stand_id].append(str(row.key))

    def number(self, pk):
        return self.stands[int(pk)].number

    def row(self, stand):
        return {name: getattr(stand, name) for name in STAND}

    def shape(self, given):
        return touch_shape(given["rows"] * given["cell"], given["columns"] * given["cell"], given["touch_cell"])

    @property
    def now(self):
        names = ("rows", "columns", "cell", "touch_cell")
        return {name: getattr(self.level, name) for name in names}

    def touch(self, stand, shape=None):
        tiles = self.get("stands", "TouchTile").objects.filter(stand=stand)
        return whole(
            [t for t in tiles.values_list("tx", "tz", "data") if t[2]], "<i2", shape or self.shape(self.now)
        )

    def raster(self, kind, state):
        revision = state["ground_revision" if kind == "heights" else "layers_revision"]
        rows, columns, count = state["rows"], state["columns"], len(state["layers"])
        tiles = self.get("levels", "GroundTile").objects.filter(
            level=self.level, kind=kind, revision=revision
        )
        shape = (rows + 1, columns + 1) if kind == "heights" else (rows, columns, count)
        return whole(
            tiles.values_list("tx", "tz", "data"), "<f4" if kind == "heights" else "u1", shape
        )

    # Each kind gives the edit that leads from how it was to how it is, or back.

    def stroke(self, entry, back):
        return Paint(cell=entry.change.get("cell", self.level.touch_cell), parts=(self.part(
            entry.stand_id, entry.change, entry.delta, back),))

    def part(self, stand, change, delta, back):
        box = tuple(change["box"])
        values = np.frombuffer(zlib.decompress(delta), np.int16).reshape(box[3] - box[1], box[2] - box[0])
        return Painted(stand=self.number(stand), box=box, delta=-values if back else values)

    def strokes(self, entry, back):
        parts, at = [], 0
        for part in entry.change["parts"]:
            delta = entry.delta[at : at + part["size"]]
            at += part["size"]
            if int(part["stand"]) in self.stands:
                parts.append(self.part(part["stand"], part, delta, back))
        cells = [p.get("cell") for p in entry.change["parts"]]
        return Paint(cell=next(filter(None, cells), self.level.touch_cell), parts=tuple(parts))

    def stands_(self, entry, back):
        have, want = self.sides(entry, back)
        edits, order, was_order = [], {}, {}
        for pk, fields in want.items():
            stand = self.stands[int(pk)]
            known = have.get(pk, {})
            if fields.get("gone"):
                edits.append(RemoveStand(number=stand.number))
                continue
            if known.get("gone"):
                edits.append(self.added(stand, fields))
                continue
            own = {name: fields[name] for name in OWN if name in fields}
            if own:
                expected = {name: known[name] for name in own}
                edits.append(SetStand(number=stand.number, expected=expected, **own))
            if "settings" in fields:
                names = [n for n in fields["settings"] if fields["settings"][n] != known["settings"].get(n)]
                put, expected = (
                    {stand.number: {n: settings_of(side["settings"], n) for n in names}}
                    for side in (fields, known)
                )
                edits.append(ChangeSettings(put=put, expected=expected))
            if {"stratum", "place"} & set(fields):
                order[stand.number] = tuple(fields.get(n, getattr(stand, n)) for n in ("stratum", "place"))
                was_order[stand.number] = tuple(known.get(n, getattr(stand, n)) for n in ("stratum", "place"))
        if order:
            edits.append(OrderStands(put=order, expected=was_order))
        rows = {}
        for pk, (was, now) in entry.change.get("pins", {}).items():
            rows[self.number(pk)] = (pins(now), pins(was)) if back else (pins(was), pins(now))
        if rows:
            edits.append(
                ChangePins(
                    put={n: put for n, (_, put) in rows.items()}, expected={n: held(e) for n, (e, _) in rows.items()}
                )
            )
        return several(edits)

    def added(self, stand, fields):
        rows = self.get("pins", "Pin").objects.filter(stand=stand)
        places = self.get("pins", "UprootedPlace").objects.filter(stand=stand).order_by("pk")
        touch = self.touch(stand)
        given = self.row(stand) | {name: fields[name] for name in fields if name in STAND}
        names = ("item", "x", "z", "lift", *VALUES, "gone", "home_x", "home_z")
        return AddStand(
            stand=stand_file(given),
            touch=touch if touch.any() else None,
            pins={row.plant: pin({n: getattr(row, n) for n in names}) for row in rows},
            uprooted=tuple(place({"path": p.path, "radius": p.radius}) for p in places),
        )

    def sides(self, entry, back):
        sides = entry.change["before"], entry.change["after"]
        return (sides[1], sides[0]) if back else sides

    def pins_(self, entry, back):
        put, expected = {}, {}
        parts = entry.change.get("stands")
        for pk, rows in (parts if parts is not None else {entry.stand_id: entry.change}).items():
            have, want = (pins(rows[side]) for side in (("after", "before") if back else ("before", "after")))
            if want:
                put[self.number(pk)], expected[self.number(pk)] = want, held(have)
        edits = [ChangePins(put=put, expected=expected)] if put else []
        places = entry.change.get("places")
        if places:
            going, coming = (places["after"], places["before"]) if back else (places["before"], places["after"])
            for given in going:
                there = self.places[given["stand"]]
                index = there.index(given["key"]) if given["key"] in there else 0
                number = self.number(given["stand"])
                edits.append(ChangeUprooted(number=number, removed={index: place(given)}))
            for k, given in enumerate(coming):
                index, number = len(self.places[given["stand"]]) + k, self.number(given["stand"])
                edits.append(ChangeUprooted(number=number, put={index: place(given)}))
        return several(edits)

    def saved(self, pk):
        shot = self.get("snapshots", "Snapshot").objects.get(pk=pk)
        return saved(self, shot, with_touch=True)

    def snapshot(self, entry, back):
        have, want = (self.saved(entry.change[side]) for side in (("after", "before") if back else ("before", "after")))
        return SetPlanting(saved=want, expected=planting_digest(have.snapshot()))

    def stock(self, entry, back):
        change = entry.change
        if "item" in change:
            version = change["was" if back else "now"]
            return self.version(change["item"], version, False)
        if "hold" in change:
            want, have = (change["before"], change["after"]) if back else (change["after"], change["before"])
            if want["revision"] != have["revision"]:
                return self.version(change["hold"], want["revision"], want["held"])
            return HoldItem(slug=change["hold"], held=want["held"])
        going, coming = (change["taken"], change["left"]) if back else (change["left"], change["taken"])
        edits = [LeaveItem(slug=slug) for slug in going]
        for slug in coming:
            item = self.get("stock", "ShelfItem").objects.get(slug=slug)
            edits.append(TakeItem(**self.item(item, slug, item.name, item.revision, False)))
        return Several(edits=tuple(edits))

    def version(self, slug, revision, held):
        item = self.get("stock", "ShelfItem").objects.get(slug=slug)
        source = item.versions.filter(revision=revision).first() or item
        return VersionItem(**self.item(source, slug, item.name, revision, held))

    def item(self, source, slug, name, revision, held):
        given = ItemFile(
            slug=slug,
            name=name,
            height=source.height,
            crown=source.crown,
            trunk=source.trunk,
            points=source.anchors,
            traits=ItemTraits.model_validate(source.traits),
            distances=ItemDistances.model_validate(source.distances),
            held=held,
            version=revision,
        )
        return {"item": given, "mesh": bytes(source.glb), "silhouette": bytes(source.silhouette)}

    def ground(self, entry, back):
        have, want = self.sides(entry, back)
        edits = []
        if have["ground_revision"] != want["ground_revision"]:
            eyes = {b["name"]: b["y"] for b in have["bookmarks"]}
            kept = {b["name"]: (eyes[b["name"]], b["y"]) for b in want["bookmarks"] if b["name"] in eyes}
            edits.append(
                SetHeights(
                    heights=self.raster("heights", want),
                    cell=want["cell"],
                    expected=Heights.of(self.raster("heights", have), have["cell"]).key,
                    before=Before(touch=self.kept(entry, have, want, back), eyes=kept),
                )
            )
        if have["layers_revision"] != want["layers_revision"]:
            now = LayerMaps.of([g["name"] for g in have["layers"]], self.raster("layers", have))
            drawn = tuple(
                {"colour": g["colour"], "look": look_of(g["name"]), "texture": ""}
                | self.level.looks.get(g["name"], {})
                | {"name": g["name"]}
                for g in want["layers"]
            )
            edits.append(
                SetLayers(
                    names=tuple(g["name"] for g in want["layers"]),
                    weights=self.raster("layers", want),
                    expected=None if edits else now.key,
                    drawn=drawn,
                )
            )
        if have["touch_cell"] != want["touch_cell"]:
            before = Before(touch=self.kept(entry, have, want, back))
            edits.append(SetTouchCell(cell=want["touch_cell"], expected=have["touch_cell"], before=before))
        return several(edits)

    def kept(self, entry, have, want, back):
        """The touch that was kept when it was resampled, with the digest of what it became."""
        if not back:
            return {}
        found = defaultdict(list)
        for tile in self.get("stands", "KeptTouch").objects.filter(entry=entry):
            found[tile.stand_id].append((tile.tx, tile.tz, tile.data))
        kept = {}
        for pk, tiles in found.items():
            touch = whole(tiles, "<i2", self.shape(want))
            became = fitted(touch, want["touch_cell"], self.shape(have), have["touch_cell"])
            kept[self.number(pk)] = (TouchMap.of(np.ascontiguousarray(became)).whole_digest, touch)
        return kept


KINDS = {
    "stroke": Carried.stroke,
    "strokes": Carried.strokes,
    "stands": Carried.stands_,
    "pins": Carried.pins_,
    "snapshot": Carried.snapshot,
    "stock": Carried.stock,
    "ground": Carried.ground,
    "resolution": Carried.ground,
}


def saved(carried, shot, with_touch):
    """A snapshot of before as edits have it."""
    touch = defaultdict(list)
    for tile in shot.touch_tiles.all() if with_touch else ():
        touch[tile.stand_id].append((tile.tx, tile.tz, tile.data))
    shape = carried.shape({**carried.now, "touch_cell": shot.touch_cell})
    places = defaultdict(list)
    for given in shot.uprooted:
        places[carried.number(given["stand"])].append(place(given))
    return Saved(
        touch_cell=shot.touch_cell,
        stands=tuple(stand_file(row) for _, row in sorted(shot.stands.items(), key=lambda s: s[1]["number"])),
        touch={carried.number(pk): whole(tiles, "<i2", shape) for pk, tiles in touch.items()},
        pins={carried.number(pk): pins(rows) for pk, rows in shot.pins.items() if rows},
        uprooted={number: tuple(given) for number, given in places.items()},
    )


def kind_of(edit):
    return kind_of(edit["edits"][0]) if edit["kind"] == "several" and edit["edits"] else edit["kind"]


def stands_in(edit):
    """The stands that an edit of before is about."""
    return sorted(int(number) for number in edit["put"]) if edit["kind"] == "settings" else []


def store(apps, level, arrays):
    rows = apps.get_model("document", "EditArray").objects
    for digest, array in arrays.items():
        if rows.filter(level=level, digest=digest).exists():
            continue
        out = io.BytesIO()
        np.save(out, np.ascontiguousarray(array))
        data = zlib.compress(out.getvalue(), 1)
        for part, at in enumerate(range(0, len(data), PART)):
            rows.create(level=level, digest=digest, part=part, data=data[at : at + PART])


def as_edits(apps, _):
    entries = apps.get_model("journal", "Entry").objects
    for level in apps.get_model("levels", "Level").objects.all():
        carried = Carried(apps, level)
        for pk in list(entries.filter(level=level).order_by("pk").values_list("pk", flat=True)):
            entry = entries.get(pk=pk)
            arrays = {}
            if "edit" not in entry.change:
                carry = KINDS[entry.kind]
                edit, inverse = (carry(carried, entry, back) for back in (False, True))
                change = {"edit": json_of(edit, arrays), "inverse": json_of(inverse, arrays)}
                if entry.kind == "stock" and "item" in entry.change:
                    change["shelf"] = {name: entry.change[name] for name in ("item", "was", "now")}
                    entry.group = "{item} {was} {now}".format(**entry.change)
                entry.stands = sorted(edit.stands)
                entry.change = change
            else:
                entry.stands = stands_in(entry.change["edit"])
            entry.kind = kind_of(entry.change["edit"])
            store(apps, level, arrays)
            # `touched` says when it was done or undone last.
            entries.filter(pk=pk).update(
                kind=entry.kind, change=entry.change, stands=entry.stands, group=entry.group
            )
        snapshots(apps, carried)
    gone = apps.get_model("stands", "Stand").objects.filter(gone=True)
    for app, name in (("stands", "TouchTile"), ("pins", "Pin"), ("pins", "UprootedPlace")):
        apps.get_model(app, name).objects.filter(stand__in=gone).delete()


def snapshots(apps, carried):
    rows = apps.get_model("snapshots", "Snapshot").objects.filter(level=carried.level)
    rows.filter(name="").delete()
    for at, shot in enumerate(rows.order_by("pk")):
        given = saved(carried, shot, with_touch=False).model_dump(mode="json")
        shot.stands, shot.pins, shot.uprooted = (given[n] for n in ("stands", "pins", "uprooted"))
        shape = carried.shape({**carried.now, "touch_cell": shot.touch_cell})
        shot.touch_rows, shot.touch_columns, shot.place = *shape, at
        shot.save()


class Migration(migrations.Migration):
    dependencies = [
        ("journal", "0019_stands_and_groups"),
        ("document", "0001_initial"),
        ("stands", "0005_touch_revisions"),
        ("snapshots", "0003_as_edits_have_them"),
        ("stock", "0008_places"),
        ("pins", "0002_uprootedplace"),
        ("shapes", "0003_number"),
        ("ground", "0003_mask_bits"),
    ]

    operations = [migrations.RunPython(as_edits, migrations.RunPython.noop)]
