"""A level handed over as files: what an engine reads of them, in any axes, and only what has changed."""

import csv
import hashlib
import io
import itertools
import json
import shutil
from collections import Counter
from dataclasses import replace
from typing import get_args
from unittest import mock

import numpy as np
import rasterio
from PIL import Image
from pyarrow import parquet
from scipy.spatial.transform import Rotation

import thicket
from tests.core.levels import InFolder, drawn_level, painted
from thicket.document.edits import ChangeMasks, Rename, SetStand, SetTouchCell
from thicket.document.folder import save_level
from thicket.formats.plant_tables import quoted
from thicket.formats.recipe import Axes, Format, Recipe
from thicket.planted import export, handover_parts
from thicket.planted.handover_changes import Changes, HandoverChanges, compare
from thicket.planting.strokes import Stroke
from thicket.refused import Refused

NUMBERS = "x", "y", "z", "qx", "qy", "qz", "qw", "sx", "sy", "sz", "tint"
INTO = {
    "y-up-right": lambda x, y, z: (x, y, z),
    "z-up-right": lambda x, y, z: (x, -z, y),
    "y-up-left": lambda x, y, z: (x, y, -z),
    "z-up-left": lambda x, y, z: (x, z, y),
}
"""A place of the level (x east, y up, z south) in other axes."""


def points_of(form, mesh):
    """Where the points of a mesh (k, 3) lie for plants by the columns of a handover (n, 11): (n, k, 3)."""
    turn = Rotation.from_quat(form[:, 3:7])
    sized = form[:, None, 7:10] * mesh
    return np.stack([turn.apply(sized[:, k]) + form[:, :3] for k in range(len(mesh))], axis=1)


def read_back(data):
    """A table of plants from Parquet: what identifies them, and their columns of numbers (n, 11)."""
    table = parquet.read_table(io.BytesIO(data)).to_pydict()
    form = np.array([table[name] for name in NUMBERS]).T
    names = list(zip(*(table[name] for name in ("id", "stand", "item", "pinned", "surface"))))
    return names, form


class Written(InFolder):
    def setUp(self):
        super().setUp()
        self.out = self.folder.parent / "out"
        self.level = thicket.plant(drawn_level(4))

    def test_in_any_axes_unit_and_origin_each_plant_stands_on_the_same_ground(self):
        mesh = np.random.default_rng(1).normal(size=(4, 3))
        names, form = read_back(
            handover_parts.files_of(self.level, Recipe(formats=("parquet",)))["plants.parquet"]
        )
        self.assertEqual(
            len(names), sum(self.level.planting(s.number).count() for s in self.level.level.singles)
        )
        expected = points_of(form, mesh)
        middle = np.array([self.level.width / 2, 0, self.level.length / 2])
        for axes, unit, origin in itertools.product(get_args(Axes), ("m", "cm"), ("corner", "centre")):
            with self.subTest(axes=axes, unit=unit, origin=origin):
                recipe = Recipe(formats=("parquet",), axes=axes, unit=unit, origin=origin)
                found_names, found = read_back(handover_parts.files_of(self.level, recipe)["plants.parquet"])
                self.assertEqual(found_names, names)
                scale, into = {"m": 1.0, "cm": 100.0}[unit], INTO[axes]
                there = points_of(found, np.stack(into(*mesh.T), axis=1) * scale)
                shift = middle if origin == "centre" else 0.0
                want = np.stack(into(*np.moveaxis(expected - shift, -1, 0)), axis=-1)
                self.assertLess(np.abs(there / scale - want).max(), 1e-3)

    def test_all_tables_hold_the_same_plants_and_the_manifest_says_what_is_there(self):
        recipe = Recipe(formats=get_args(Format), cell=64, axes="z-up-left", unit="cm")
        manifest = self.level.export(self.out, recipe)
        on_disk = {path.name: path.read_bytes() for path in self.out.iterdir()}
        self.assertEqual(on_disk.keys() - {"manifest.json"}, manifest.files.keys())
        for name, entry in manifest.files.items():
            self.assertEqual(
                (entry.sha256, entry.bytes), (hashlib.sha256(on_disk[name]).hexdigest(), len(on_disk[name]))
            )
        self.assertEqual(json.loads(on_disk["manifest.json"])["axes"], "x east, y south, z up; left-handed")
        self.assertEqual(json.loads(on_disk["level.json"])["plants"]["unit"], "cm")
        seen, counted = set(), {}
        for cell, stands in manifest.cells.items():
            column, row = map(int, cell.split("_"))
            names, form = read_back(on_disk[f"plants_{cell}.parquet"])
            rows = list(csv.DictReader(io.StringIO(on_disk[f"plants_{cell}.csv"].decode())))
            self.assertEqual(
                names,
                [(int(r["id"]), r["stand"], r["item"], r["pinned"] == "1", r["surface"]) for r in rows],
            )
            np.testing.assert_allclose([[float(r[c]) for c in "xyz"] for r in rows], form[:, :3], atol=6e-5)
            self.assertTrue(np.all(np.floor(form[:, :2] / 6400) == [column, row]))
            self.assertEqual(sum(stands.values()), len(names))
            seen |= {name[0] for name in names}
            counted = {k: counted.get(k, 0) + stands.get(k, 0) for k in counted.keys() | stands.keys()}
        self.assertEqual(len(seen), sum(counted.values()))
        self.assertEqual(counted, {slug: n for slug, n in manifest.plants.items() if n})

    def test_only_what_a_stroke_changed_is_written_and_makes_the_earlier_one_whole(self):
        recipe = Recipe(formats=("csv", "ground", "geojson"), cell=32)
        first = self.level.export(self.out, recipe)
        stand = self.level.level.singles[0].slug
        stroke = Stroke("thin", [(40.0, 40.0), (46.0, 44.0)], 14.0, 0.3, 1.0)
        after = painted(self.level, stand, stroke)
        later, whole = self.folder.parent / "later", self.folder.parent / "whole"
        changed, fresh = after.export(later, recipe, self.out), after.export(whole, recipe)
        self.assertEqual(changed.files, fresh.files)
        self.assertLess(0, len(changed.written))
        self.assertTrue(all(name.startswith("plants_") for name in changed.written), changed.written)
        self.assertLess(len(changed.written), len(first.files) / 3)
        self.assertEqual(changed.sources, fresh.sources)
        shutil.copytree(later, self.out, dirs_exist_ok=True)
        for name in changed.dropped:
            (self.out / name).unlink()
        for path in whole.iterdir():
            if path.name != "manifest.json":
                self.assertEqual((self.out / path.name).read_bytes(), path.read_bytes(), path.name)
        with mock.patch.object(export, "standing", side_effect=AssertionError("nothing is made again")):
            self.assertEqual(after.export(later, recipe, whole).written, [])
        every = Recipe(formats=get_args(Format), cell=32)
        self.level.export(self.out, every)
        for edit in (
            ChangeMasks(put={"New": np.full((4, 4), 9, np.uint8)}),
            SetStand(number=self.level.level.singles[0].number, seed=99),
            Rename(name="Another"),
            SetTouchCell(cell=2.0),
        ):
            other = self.level.after(edit).after
            now, anew = other.export(later, every, self.out), other.export(whole, every)
            self.assertEqual(
                (now.files, now.plants, now.cells), (anew.files, anew.plants, anew.cells), edit.kind
            )

    def test_what_an_earlier_handover_cannot_be_is_refused_and_nothing_is_written(self):
        recipe, later = Recipe(), self.folder.parent / "later"
        self.level.export(self.out, recipe)
        other = thicket.plant(replace(self.level.level, slug="elsewhere"))
        for level, wish, words in (
            (other, recipe, "of another level"),
            (self.level, Recipe(axes="z-up-left"), "made with axes y-up-right, not z-up-left"),
            (self.level, Recipe(cell=64), "made with cell 0.0, not 64"),
        ):
            with self.assertRaisesRegex(Refused, words):
                level.export(later, wish, self.out)
        newer = (self.out / "manifest.json").read_bytes().replace(b'"manifest": 1', b'"manifest": 99', 1)
        for data, words in (
            (b"{", "not the manifest"),
            (b'{"manifest": 1}', "not the manifest"),
            (newer, "newer version"),
        ):
            (self.out / "manifest.json").write_bytes(data)
            with self.assertRaisesRegex(Refused, words):
                self.level.export(later, recipe, self.out)
        with self.assertRaisesRegex(Refused, "cannot be read"):
            self.level.export(later, recipe, self.folder)
        self.assertFalse(later.exists())
        later.write_bytes(b"a file")
        with self.assertRaisesRegex(Refused, "cannot be written"):
            self.level.export(later, recipe)

    def test_two_handovers_are_compared_plant_by_plant(self):
        stand = self.level.level.singles[0].slug
        after = painted(self.level, stand, Stroke("thin", [(40.0, 40.0), (46.0, 44.0)], 14.0, 0.3, 1.0))
        later = self.folder.parent / "later"
        for formats, cell in ((("csv",), 0), (("parquet", "glb"), 32)):
            with self.subTest(formats=formats, cell=cell):
                recipe = Recipe(formats=formats, cell=cell)
                self.level.export(self.out, recipe), after.export(later, recipe)
                self.assertEqual(compare(later, later), HandoverChanges(stands={}, cells={}))
                found = compare(self.out, later)
                was, now = self.plants_by_id(self.level), self.plants_by_id(after)
                expected = {}
                for plant in was.keys() | now.keys():
                    kind = "added" if plant not in was else "removed" if plant not in now else "changed"
                    if was.get(plant) != now.get(plant):
                        of = expected.setdefault((now.get(plant) or was[plant])[0], Counter())
                        of[kind] += 1
                self.assertGreater(expected[stand]["removed"], 3)
                self.assertEqual(found.stands, {name: Changes(**counts) for name, counts in expected.items()})
                cells = sum((Counter(each.model_dump()) for each in found.cells.values()), Counter())
                every = sum((Counter(each.model_dump()) for each in found.stands.values()), Counter())
                self.assertEqual(cells, every if cell else Counter())
                shutil.rmtree(self.out), shutil.rmtree(later)
        self.level.export(self.out, Recipe()), after.export(later, Recipe(formats=("parquet",)))
        with self.assertRaisesRegex(Refused, "no table of plants, CSV or Parquet, in common"):
            compare(self.out, later)
        after.export(later, Recipe(unit="cm"))
        with self.assertRaisesRegex(Refused, "unit: one was made with m, the other with cm"):
            compare(self.out, later)

    def plants_by_id(self, level):
        names, form = read_back(
            handover_parts.files_of(level, Recipe(formats=("parquet",)))["plants.parquet"]
        )
        return {plant: (stand, *more, *row) for (plant, stand, *more), row in zip(names, form.tolist())}

    def test_ground_goes_out_the_same_in_every_format(self):
        damp = np.random.default_rng(3).integers(0, 2**16, (30, 40), np.uint16)
        level = self.level.after(ChangeMasks(put={"Damp/wet": damp})).after
        level.export(self.out, Recipe(formats=("ground",)))
        picture = Image.open(self.out / "heights.png")
        steps = np.asarray(picture).astype(np.uint16)
        raw = np.fromfile(self.out / "heights.r16", "<u2").reshape(steps.shape)
        np.testing.assert_array_equal(raw, steps)
        with rasterio.open(self.out / "heights.tif") as tif:
            heights = tif.read(1)
        low, high = float(picture.text["low"]), float(picture.text["high"])
        np.testing.assert_allclose(low + raw * ((high - low) / 65535), heights, atol=(high - low) / 65535)
        np.testing.assert_array_equal(Image.open(self.out / "mask-Damp%2fwet.png"), damp)

    def test_some_stands_go_out_alone_and_one_that_is_gone_is_named(self):
        every = self.level.export(self.out, Recipe(formats=("csv", "maps")))
        stand = next(s for s, n in every.plants.items() if n)
        one = self.level.export(self.folder.parent / "one", Recipe(formats=("csv", "maps"), stands=(stand,)))
        self.assertEqual(one.plants, {stand: every.plants[stand]})
        self.assertEqual([n for n in one.files if n.startswith("density")], [f"density-{stand}.png"])
        rows = csv.DictReader(io.StringIO((self.folder.parent / "one" / "plants.csv").read_text()))
        self.assertEqual({row["stand"] for row in rows}, {stand})
        with self.assertRaisesRegex(Refused, "has no stand 'gone' any more"):
            self.level.export(self.folder.parent / "none", Recipe(stands=(stand, "gone")))
        self.assertFalse((self.folder.parent / "none").exists())

    def test_it_stops_between_two_stands(self):
        class Stopped(Exception):
            pass

        said = []

        def report(share, words=None):
            said.append(words)
            if words == f"Planting {self.level.level.singles[1].name}":
                raise Stopped

        with self.assertRaises(Stopped):
            self.level.export(self.out, Recipe(), report=report)
        self.assertEqual(said[-2], f"Planting {self.level.level.singles[0].name}")
        self.assertFalse(self.out.exists())

    def test_a_shell_hands_over_by_flags_or_by_a_recipe(self):
        save_level(self.level.level, self.folder)
        flags = (
            "--formats",
            "csv",
            "--axes",
            "z-up-right",
            "--unit",
            "cm",
            "--origin",
            "centre",
            "--cell",
            128,
        )
        self.assertEqual(self.ask("export", self.folder, "--out", self.out, *flags)[0], 0)
        recipe, again = self.folder.parent / "recipe.json", self.folder.parent / "again"
        given = {"formats": ["csv"], "axes": "z-up-right", "unit": "cm", "origin": "centre", "cell": 128}
        recipe.write_text(json.dumps(given))
        self.assertEqual(self.ask("export", self.folder, "--out", again, "--recipe", recipe)[0], 0)
        names = sorted(path.name for path in self.out.iterdir())
        self.assertIn("plants_1_1.csv", names)
        for name in names:
            self.assertEqual((again / name).read_bytes(), (self.out / name).read_bytes())
        for wrong, words in (
            (("--formats", "csv,fbx"), "formats.1: Input should be"),
            (("--cell", -1), "cell: Input should be greater"),
            (("--cell", 1), "cell: it is 0, for one table, or at least 16 m"),
            (("--recipe", self.out), "cannot be read"),
            (("--recipe", self.out / "plants_1_1.csv"), "recipe: Invalid JSON"),
        ):
            code, _, said = self.ask("export", self.folder, "--out", again, *wrong)
            self.assertEqual(code, 2)
            self.assertIn(words, said)

    def test_no_name_is_a_formula_in_a_spreadsheet(self):
        self.assertEqual(
            [quoted(name) for name in ("=1+1", "@home", "-a", "Boulder", 'a "b", c', "+1,2")],
            ["'=1+1", "'@home", "'-a", "Boulder", '"a ""b"", c"', '"\'+1,2"'],
        )
