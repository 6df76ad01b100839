"""Meshes stored once, by their digests."""

import django.db.models.deletion
import numpy as np
from django.db import migrations, models
from django.utils import timezone

from thicket.hashing import digest_of

MODELS = "broughtitem", "shelfitem", "shelfversion", "stockitem"


def move_meshes(apps, schema_editor):
    files = apps.get_model("document", "StoredFile").objects
    arrays = apps.get_model("document", "EditArray").objects
    for name in MODELS:
        rows = apps.get_model("stock", name).objects
        for pk in list(rows.values_list("pk", flat=True)):
            data = bytes(rows.values_list("glb", flat=True).get(pk=pk))
            if data:
                digest = digest_of(np.frombuffer(data, np.uint8))
                files.get_or_create(digest=digest, defaults={"data": data, "at": timezone.now()})
                rows.filter(pk=pk).update(mesh_id=digest)
    stored = list(files.values_list("pk", flat=True))
    arrays.filter(digest__in=stored, part__gt=0).delete()
    for digest in stored:
        arrays.filter(digest=digest).update(file_id=digest, data=b"")


class Migration(migrations.Migration):
    dependencies = [("stock", "0001_squashed"), ("document", "0002_stored_file")]

    operations = [
        *(
            migrations.AddField(
                name,
                "mesh",
                models.ForeignKey(
                    null=True,
                    on_delete=django.db.models.deletion.PROTECT,
                    related_name="+",
                    to="document.storedfile",
                ),
            )
            for name in MODELS
        ),
        migrations.RunPython(move_meshes),
        *(migrations.RemoveField(name, "glb") for name in MODELS),
    ]
