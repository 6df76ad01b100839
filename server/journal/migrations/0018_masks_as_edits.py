"""Entries that changed mask images hold edits from now on; pictures that were kept for them go into the
journal's arrays."""

import io
import zlib

import numpy as np
from django.db import migrations

from thicket.document.edits.values import SHORT
from thicket.hashing import digest_of


def values_of(row):
    kind = np.uint16 if row.bits == 16 else np.uint8
    return np.frombuffer(zlib.decompress(row.data), kind).reshape(row.rows, row.columns)


def as_edits(apps, _):
    masks, arrays = apps.get_model("ground", "Mask").objects, apps.get_model("journal", "EditArray").objects
    entries = apps.get_model("journal", "Entry").objects.filter(kind="masks")
    keys = {}  # of each picture, by level and the digest it had
    for row in masks.all().iterator(chunk_size=4):
        keys[row.level_id, row.digest] = digest_of(values_of(row))

    def picture(level, digest):
        """A picture in an edit's JSON."""
        if digest is None:
            return None
        values = values_of(masks.filter(level_id=level, digest=digest).first())
        if values.size <= SHORT:
            return {"type": str(values.dtype), "values": values.tolist()}
        out = io.BytesIO()
        np.save(out, values)
        name = digest_of(values)
        if not arrays.filter(level_id=level, digest=name).exists():
            arrays.create(level_id=level, digest=name, data=zlib.compress(out.getvalue(), 1))
        return {"digest": name}

    for entry in entries.only("level_id", "change").iterator():
        if "edit" in entry.change:
            continue
        level, name = entry.level_id, entry.change["name"]
        was, now = entry.change["before"], entry.change["after"]
        change = {
            part: {
                "kind": "masks",
                "put": {name: picture(level, to)},
                "expected": {name: keys.get((level, of))},
            }
            for part, of, to in (("edit", was, now), ("inverse", now, was))
        }
        entries.filter(pk=entry.pk).update(change=change)
    masks.filter(name__startswith="~kept~").delete()
    for (level, digest), key in keys.items():
        masks.filter(level_id=level, digest=digest).update(digest=key)


class Migration(migrations.Migration):
    dependencies = [("journal", "0017_settings_as_edits"), ("ground", "0003_mask_bits")]

    operations = [migrations.RunPython(as_edits, migrations.RunPython.noop)]
