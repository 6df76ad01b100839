"""Bring things to the shelf from the command line."""

from pathlib import Path

from django.core.management.base import BaseCommand, CommandError
from pydantic import TypeAdapter, ValidationError

from server.jobs.running import Progress
from server.stock.api import Group
from server.stock.bringing import Failed, options_of, read_things
from server.stock.shelf import put_on_shelf, slug_for
from thicket.formats.beside import files_of
from thicket.formats.mesh_files import UNITS
from thicket.refused import Refused
from thicket.stock.billboards import CARDS
from thicket.stock.making import Made


class Command(BaseCommand):
    help = (
        "Bring meshes (glTF, OBJ, zips of these) to the shelf; a row for each: slug, height, "
        "triangles, distances, findings."
    )

    def add_arguments(self, parser):
        parser.add_argument(
            "files",
            nargs="+",
            type=Path,
            help="meshes (with what they name in their folder), folders, or zips",
        )
        parser.add_argument("--name", help="of the item, when it is one; else after its file")
        parser.add_argument(
            "--unit", choices=sorted(UNITS), help="of the file; guessed from the size when left out"
        )
        parser.add_argument("--up", choices=("y", "z"), help="the file's upright axis; guessed when left out")
        parser.add_argument("--height", type=float, help="m; the mesh is scaled to it")
        parser.add_argument("--lods", type=int, default=2, help="how many are made where a file has none")
        parser.add_argument(
            "--billboard", choices=["none", *CARDS], default="facing", help="made where a file has none"
        )
        parser.add_argument("--group", default="tree", help="what they are filed under")

    def handle(self, *args, **options):
        given = {name: options[name] for name in ("unit", "up", "height", "lods", "billboard")}
        refused = 0
        try:
            TypeAdapter(Group).validate_python(options["group"])
        except ValidationError:
            raise CommandError("--group: 1 to 40 letters, on one line.") from None
        try:
            for _, thing in read_things(self._read(options["files"]), options_of(given), Progress()):
                if isinstance(thing, Failed):
                    refused += 1
                    self.stderr.write(f"refused\t{thing.why}")
                    continue
                name = (options["name"] or thing.name)[:80]
                kept = put_on_shelf(thing.made, slug_for(name), name, options["group"])
                self.stdout.write("\t".join(self._row(kept.slug, thing.made, thing.notes)))
        except Refused as error:
            raise CommandError(f"{str(error).rstrip('.')}.") from error
        if refused:
            raise CommandError(f"{refused} could not be brought in; the reasons are above.")

    def _row(self, slug: str, item: Made, notes: list[str]) -> list[str]:
        billboard = item.distances["billboard"]
        far = [*item.distances["lods"], *([] if billboard is None else [billboard])]
        return [
            slug,
            f"{item.height:.2f} m",
            "/".join(str(s["triangles"]) for s in item.states),
            "/".join(f"{d:.0f} m" for d in far) or "-",
            " ".join([*notes, *(f["text"] for f in item.findings)]) or "-",
        ]

    def _read(self, paths: list[Path]) -> dict[str, bytes]:
        files: dict[str, bytes] = {}
        for path in paths:
            try:
                if path.is_dir():
                    found = (p for p in sorted(path.rglob("*")) if p.is_file())
                    files |= {str(p.relative_to(path.parent)): p.read_bytes() for p in found}
                else:
                    files |= files_of(path)
            except OSError as error:
                raise CommandError(f"{path}: {error.strerror}.") from error
        return files
