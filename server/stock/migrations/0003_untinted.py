"""Materials that tints leave alone are said in an item's file; until now they were those of bark."""

import json
import struct

import numpy as np
from django.db import migrations
from django.utils import timezone

from thicket.hashing import digest_of

MODELS = "broughtitem", "shelfitem", "shelfversion", "stockitem"


def said(glb: bytes) -> tuple[bytes, list[str]]:
    """A binary glTF that says so of its bark, and the names of those materials."""
    length = struct.unpack_from("<I", glb, 12)[0]
    head, rest = json.loads(glb[20 : 20 + length]), glb[20 + length :]
    names = []
    for material in head.get("materials", []):
        if "bark" in material.get("name", ""):
            material.setdefault("extras", {})["tinted"] = False
            names.append(material["name"])
    text = json.dumps(head, separators=(",", ":")).encode()
    text += b" " * (-len(text) % 4)
    chunk = struct.pack("<I4s", len(text), b"JSON") + text
    return struct.pack("<4sII", b"glTF", 2, 12 + len(chunk) + len(rest)) + chunk + rest, names


def say(apps, schema_editor):
    files = apps.get_model("document", "StoredFile").objects
    for name in MODELS:
        for row in apps.get_model("stock", name).objects.filter(mesh__isnull=False).select_related("mesh"):
            glb, names = said(bytes(row.mesh.data))
            if not names:
                continue
            digest = digest_of(np.frombuffer(glb, np.uint8))
            row.mesh, _ = files.get_or_create(digest=digest, defaults={"data": glb, "at": timezone.now()})
            row.traits = {**row.traits, "untinted": names}
            row.save(update_fields=["mesh", "traits"])


class Migration(migrations.Migration):
    dependencies = [("stock", "0002_mesh_by_digest")]

    operations = [migrations.RunPython(say, migrations.RunPython.noop)]
