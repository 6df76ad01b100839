"""Levels in folders from a shell: `python -m thicket COMMAND FOLDER …`; `--help` lists the commands.

Ends with 0 when all is well, 1 when something was found (a mark overrun, levels that differ, a condition that
asks for what is not there), 2 when it could not be done.
"""

from __future__ import annotations

import argparse
import json
import sys
import time
from dataclasses import replace
from pathlib import Path

import numpy as np

import thicket
from thicket.cache import Cache
from thicket.document.atmosphere import Atmosphere
from thicket.document.drawing import seen_through
from thicket.document.edits import Edit
from thicket.document.edits.examples import examples
from thicket.document.edits.files import json_of, read_edits, schemas, write_edits
from thicket.formats.recipe import add_flags, recipe_of
from thicket.planted.captures import SIMULATED, captures_csv, frames_by_chance, loads_in, run, views_at
from thicket.planted.costs import LINES, bookmark_view, line, over, spent
from thicket.planted.level import PlantedLevel
from thicket.planted.whole import plant_whole, sheets_in_all
from thicket.refused import Refused
from thicket.sight.devices import NAMES, PLACES, calibrate, read_captures, read_places
from thicket.sight.fog import Air
from thicket.sight.views import View

JOURNAL = "journal/edits.json"
"""Where a level's folder may hold the edits that made it what it is, in their order."""
LISTS = "every kind of edit as JSON, a line each: its schema, and an example that applies to Hobbin Delph"


def _report(text: str) -> None:
    """Say how far it is, on a terminal's standard error alone, where it does not get between results."""
    if sys.stderr.isatty():
        print(f"\r\x1b[K{text}", end="", file=sys.stderr, flush=True)


def _open(options: argparse.Namespace) -> PlantedLevel:
    return thicket.plant(thicket.open_level(options.folder), options.threads)


def _plant_all(level: PlantedLevel, options: argparse.Namespace) -> None:
    total = sheets_in_all(level)
    for done, (planting, _) in enumerate(plant_whole(level, options.threads, options.scheduler), start=1):
        _report(f"{done} of {total} sheets: {planting.stand.name}")
    _report("")


def plant(options: argparse.Namespace) -> int:
    """`plant FOLDER`: plant a level and print its counts."""
    level = _open(options)
    began = time.perf_counter()
    _plant_all(level, options)
    hectares = level.width * level.length / 1e4
    print("stand\tplants\tper_ha")
    for slug, count in level.counts().items():
        print(f"{slug}\t{count}\t{count / hectares:.1f}")
    print(f"planted in {time.perf_counter() - began:.2f} s", file=sys.stderr)
    return 0


def _view(level: PlantedLevel, given: str) -> View:
    """A view by the name of a bookmark, or x,y,z,heading,pitch,fov."""
    bookmarks = level.level.details.get("view", {}).get("bookmarks", [])
    found = next((b for b in bookmarks if b["name"].lower() == given.lower()), None)
    if found:
        return bookmark_view(found)
    try:
        x, y, z, heading, pitch, fov = (float(v) for v in given.split(","))
    except ValueError:
        names = ", ".join(b["name"] for b in bookmarks) or "none"
        raise Refused(
            f"view: {given!r} is no bookmark (there are: {names}) and not x,y,z,heading,pitch,fov"
        ) from None
    return View(x, y, z, heading, pitch, fov, 16 / 9)


def _air(level: PlantedLevel) -> Air:
    return level.air(Atmosphere.model_validate(level.level.details.get("view", {}).get("atmosphere", {})).fog)


def cost(options: argparse.Namespace) -> int:
    """`cost FOLDER`: what views of a level cost, by stand."""
    level = _open(options)
    bookmarks = level.level.details.get("view", {}).get("bookmarks", [])
    views = options.view or [b["name"] for b in bookmarks]
    shown, found = level.level.details.get("view", {}), 0
    tier = options.tier or next(reversed(shown.get("tiers", {})), "")
    drawing, device = seen_through(shown, tier, _air(level))
    marks = shown["tiers"][tier]["marks"] if tier else {}
    print("view\tstand\t" + "\t".join(LINES))
    for name in views:
        _report(name)
        view = replace(_view(level, name), drawing=drawing, device=device)
        costs = {**level.cost(view), "(ground)": level.ground_cost(view)}
        for slug, each in {**costs, "all": spent(costs)}.items():
            print(f"{name}\t{slug}\t" + "\t".join(f"{line(each, part):.6g}" for part in LINES))
        for part in over(marks, spent(costs)):
            print(f"{name}: {part} is over its mark of {marks[part]:g}", file=sys.stderr)
            found = 1
    return found


def export(options: argparse.Namespace) -> int:
    """`export FOLDER`: write a level's plants and rules in open formats."""
    recipe, level = recipe_of(options), _open(options)
    _plant_all(level, options)
    manifest = level.export(options.out, recipe, options.since)
    for name in manifest.written:
        print(f"{options.out / name}\t{manifest.files[name].bytes}")
    for name in manifest.dropped:
        print(f"{name} is to be dropped", file=sys.stderr)
    return 0


def compare(options: argparse.Namespace) -> int:
    """`compare FOLDER FOLDER`: plants that come and go from one level to another."""
    cache = Cache()
    before, after = (
        thicket.plant(thicket.open_level(folder), options.threads, cache)
        for folder in (options.folder, options.other)
    )
    slugs = [{s.slug for s in level.level.stands.values()} for level in (before, after)]
    print("stand\tgained\tlost")
    differ = 0
    for slug, change in before.compare(after).items():
        print(f"{slug}\t{change.gained}\t{change.lost}")
        differ |= change.gained or change.lost
    for slug in sorted(slugs[1] - slugs[0]):
        print(f"{slug}\t{after[slug].count()}\t0")
    for slug in sorted(slugs[0] - slugs[1]):
        print(f"{slug}\t0\t{before[slug].count()}")
    return int(bool(differ or slugs[0] != slugs[1]))


def check(options: argparse.Namespace) -> int:
    level = _open(options)
    found = []
    for stand in level.level.in_order:
        try:
            planting = level.planting(stand.number)
        except Refused as error:
            found.append(f"{stand.slug}: {error}")
            continue
        found += [
            f"{stand.slug}: {lack}"
            for lack in (
                *(level.rasters.lacks(c) for c in planting.facts.asked if c.on),
                planting.places.lacking(),
            )
            if lack
        ]
        found += [
            f"{stand.slug}: the level has no stock item {item!r}"
            for item in planting.items
            if item not in level.level.stock
        ]
    for text in found:
        print(text)
    print(f"{level.level.name}: {len(level.level.stands)} stands, {len(found)} findings", file=sys.stderr)
    return int(bool(found))


def edit(options: argparse.Namespace) -> int:
    """`edit FOLDER EDIT…`: apply edits to a saved level, and write those that take them back."""
    level = thicket.open_level(options.folder)
    edits = [each for path in options.edits for each in read_edits(path)]
    undo: list[Edit] = []
    after = thicket.edit(level, edits, undo)
    thicket.save_level(after, options.out)
    if options.undo:
        write_edits(undo, options.undo)
    if options.journal:
        known = options.folder / JOURNAL
        write_edits([*(read_edits(known) if known.is_file() else []), *edits], options.out / JOURNAL)
    print(f"{options.out}\t{len(edits)} edits")
    return 0


def list_edits(_: argparse.Namespace) -> int:
    """`edits`: every kind of edit as JSON, with its schema and an example."""
    whole = schemas()
    for kind, given in examples().items():
        *first, example = [json_of(each, {}) for each in given]
        reference = whole["discriminator"]["mapping"][kind].rsplit("/", 1)[1]
        found = {"kind": kind, "schema": whole["$defs"][reference], "example": example}
        print(json.dumps(found | ({"after": first} if first else {}), ensure_ascii=False))
    print(json.dumps({"$defs": whole["$defs"]}, ensure_ascii=False))
    return 0


def device(options: argparse.Namespace) -> int:
    """`device FOLDER`: frames that a simulated device was measured with, as CSV."""
    level, places = _open(options), None
    if options.places:
        places = read_places(options.places.read_text("utf-8"))
        drawing = seen_through(level.level.details.get("view", {}), options.tier, _air(level))[0]
        views = views_at(places, drawing)
    else:
        views = frames_by_chance(level, options.frames, options.seed)
    loads = loads_in(level, views, report=lambda share: _report(f"{share:.0%} of the frames"))
    _report("")
    ms = run(SIMULATED[options.simulate], loads, options.seed)
    table = captures_csv(loads, ms) if places is None else captures_csv(places, ms, PLACES)
    options.out.write_text(table, "utf-8")
    print(f"{options.out}\t{len(loads)} frames")
    return 0


def calibrate_one(options: argparse.Namespace) -> int:
    """`calibrate FOLDER`: a device's coefficients from timed frames."""
    level = _open(options)
    kind, frames, ms = read_captures(options.captures.read_text("utf-8"))
    if kind == "places":
        drawing = seen_through(level.level.details.get("view", {}), options.tier, _air(level))[0]
        frames = loads_in(
            level, views_at(frames, drawing), report=lambda share: _report(f"{share:.0%} computed")
        )
        _report("")
    if options.out:
        options.out.write_text(captures_csv(frames, ms), "utf-8")
    found = calibrate(options.captures.stem, frames, ms)
    spread = np.sqrt(np.diag(found.device.spread))
    print("coefficient\tms\tplus_minus")
    for name, value, width in zip(NAMES, found.device.coefficients, spread):
        print(f"{name}\t{value:.4g}\t{2 * width:.2g}")
    print(f"off by {found.error:.1%} on frames left out, {(~found.fits).sum()} do not fit", file=sys.stderr)
    for group in found.unclear:
        print(f"not distinguished by these frames: {', '.join(group)}", file=sys.stderr)
    return int(bool(found.unclear))


def main(arguments: list[str] | None = None) -> int:
    """The command line of the core; its exit status."""
    parser = argparse.ArgumentParser(
        prog="python -m thicket", description="Plant, cost, write out and compare levels in folders."
    )
    commands = parser.add_subparsers(dest="command", required=True)
    command = commands.add_parser("edits", help=LISTS, description=LISTS)
    command.set_defaults(job=list_edits)
    for name, job, about in (
        ("edit", edit, "apply edits to a level and write it as another folder"),
        ("plant", plant, "plant every stand and count"),
        ("cost", cost, "what views cost, by stand; ends with 1 when a mark is overrun"),
        ("export", export, "write plants and maps"),
        ("compare", compare, "plants gained and lost between two folders; ends with 1 when they differ"),
        ("check", check, "whether everything that stands ask for is there; ends with 1 when it is not"),
        ("device", device, "frames that a simulated device was measured with, as CSV"),
        (
            "calibrate",
            calibrate_one,
            "the device that follows from measured frames; ends with 1 when some of "
            "its coefficients cannot be distinguished",
        ),
    ):
        command = commands.add_parser(name, help=about, description=about)
        command.add_argument("folder", type=Path)
        command.add_argument("--threads", type=int, default=1)
        command.set_defaults(job=job)
        if name in ("plant", "export"):
            command.add_argument(
                "--scheduler",
                default="",
                metavar="ADDRESS",
                help="plant on the workers of a Dask scheduler, such as tcp://host:8786",
            )
        if name == "cost":
            command.add_argument("--tier", default="", help="through which tier; the last one when left out")
            command.add_argument(
                "--view",
                action="append",
                help="a bookmark's name, or x,y,z,heading,pitch,fov; several "
                "may be given; all bookmarks when left out",
            )
        if name == "export":
            add_flags(command)
        if name == "device":
            command.add_argument("--simulate", choices=sorted(SIMULATED), default="desktop")
            command.add_argument("--frames", type=int, default=200, help="so many by chance")
            command.add_argument(
                "--places",
                type=Path,
                metavar="FILE",
                help="CSV of camera places to run instead",
            )
            command.add_argument("--tier", default="", help="through which tier the places are drawn")
            command.add_argument("--seed", type=int, default=0)
            command.add_argument("--out", type=Path, required=True)
        if name == "calibrate":
            command.add_argument("captures", type=Path)
            command.add_argument("--tier", default="", help="through which tier camera places were drawn")
            command.add_argument("--out", type=Path, help="the frames with what they are made of, as CSV")
        if name == "edit":
            command.add_argument("edits", type=Path, nargs="+", metavar="EDIT.json")
            command.add_argument("--out", type=Path, required=True)
            command.add_argument("--undo", type=Path, metavar="FILE", help="write the edits that take back")
            command.add_argument(
                "--journal", action="store_true", help=f"add them to {JOURNAL} in the folder"
            )
        if name == "compare":
            command.add_argument("other", type=Path)
    options = parser.parse_args(arguments)
    try:
        return options.job(options)
    except Refused as error:
        print(f"thicket: {error}.", file=sys.stderr)
    except OSError as error:
        print(f"thicket: {error.filename}: {error.strerror}.", file=sys.stderr)
    return 2


if __name__ == "__main__":
    sys.exit(main())
