"""A planted level as a value: whatever edits are made of it gives what planting anew gives, nothing before it
changes, and its folder brings the same plants back, in a process that knows neither Django nor a database."""

import csv
import io
import json
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import numpy as np
from django.test import SimpleTestCase
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import thicket
from tests.core.levels import InFolder, drawn_level, painted, tuned
from thicket.document.edits import ChangeSettings, ChangeShapes
from thicket.document.folder import save_level
from thicket.document.level_file import LevelFile, ShapeFile
from thicket.document.reading import open_level
from thicket.planted.aiming import aim
from thicket.planted.brushing import Brush
from thicket.planted.costs import crowd
from thicket.planted.explaining import why
from thicket.planting.stands import join
from thicket.planting.strokes import Stroke
from thicket.refused import Refused
from thicket.sight.views import NEAR, View

ROOT = Path(__file__).parents[2]
where = st.integers(8, 248)
which = st.integers(0, 4)
edits = st.lists(
    st.one_of(
        st.tuples(
            st.just("paint"),
            which,
            st.sampled_from(["thicken", "thin", "ease", "level"]),
            where,
            where,
            st.integers(3, 50),
        ),
        st.tuples(
            st.just("settings"),
            which,
            st.sampled_from(
                [
                    {"fullness": 0.3},
                    {"spacing": 5.5},
                    {"gap": 0.7},
                    {"conditions": []},
                    {"under": ["Stone", "Canopy"]},
                ]
            ),
        ),
        st.tuples(st.just("shape"), where, where, st.integers(4, 30)),
    ),
    min_size=1,
    max_size=5,
)


def state(level):
    """Keys and bytes of all plants, stand by stand."""
    out = {}
    for planting in level.plantings():
        parts = [planting.plants(sheet) for sheet in planting.sheets_in(planting.everywhere)]
        keys = [planting.key(sheet) for sheet in planting.sheets_in(planting.everywhere)]
        out[planting.stand.slug] = (
            keys,
            join(parts).id.tobytes(),
            join(parts).form.tobytes(),
            join(parts).item.tobytes(),
        )
    return out


def as_edit(level, said):
    kind, *rest = said
    if kind == "shape":
        x, z, half = rest
        ring = [(x - half, z - half), (x + half, z - half), (x + half, z + half)]
        tank = ShapeFile(number=20, kind="obstacle", name="Tank", points=ring, width=0, clear=1)
        return ChangeShapes(put={20: tank})
    number = level.level.in_order[rest[0] % len(level.level.stands)].number
    if kind == "settings":
        return ChangeSettings(put={number: rest[1]})
    _, verb, x, z, radius = rest
    stroke = Stroke(verb, [(x, z), (x + 9, z + 4)], radius, 0.5, 0.7, -0.4)
    return Brush(stroke).painting(level, [number])


class Edits(SimpleTestCase):
    @settings(max_examples=12, deadline=None, suppress_health_check=list(HealthCheck))
    @given(st.integers(0, 7), edits)
    def test_whatever_is_edited_gives_what_planting_anew_gives(self, seed, session):
        level = thicket.plant(drawn_level(seed))
        states = [(level, state(level))]
        for said in session:
            try:
                level = level.after(as_edit(level, said)).after
            except Refused as error:
                self.assertGreater(len(str(error)), 12)
                continue
            anew = thicket.plant(level.level)
            self.assertEqual(state(level), state(anew), said)
            before = states[-1][0]
            for slug, change in before.compare(level).items():
                if not level[slug].stand.sward and before[slug].core.key == level[slug].core.key:
                    old, new = (
                        set(np.frombuffer(told[slug][1], np.uint64).tolist())
                        for told in (states[-1][1], state(level))
                    )
                    self.assertEqual((change.gained, change.lost), (len(new - old), len(old - new)))
            states.append((level, state(level)))
        for earlier, then in states:
            self.assertEqual(state(earlier), then, "what was before an edit has not changed")

    def test_an_edit_shares_what_it_cannot_reach_and_comes_back_by_content(self):
        level = thicket.plant(drawn_level(3))
        state(level)
        low = level.level.singles[-1].slug
        there = painted(level, low, Stroke("thin", [(60, 60)], 20, 0, 1))
        for stand in level.level.singles[:-1]:
            self.assertIs(there[stand.slug], level[stand.slug])
        back = there.edited(level.level)
        self.assertEqual(state(back), state(level))

    def test_aiming_meets_its_count_and_why_agrees_with_what_stands(self):
        level = thicket.plant(drawn_level(1))
        for stand in level.level.singles:
            most = level.trying(stand, checked=False)
            full = aim(level, stand, 10**6)[1]
            if full > 40:
                self.assertEqual(aim(level, stand, full // 2)[1], full // 2)
            plants = most.plants((0, 0))
            for x, z in plants.form[:3, [0, 2]].astype(float).tolist():
                self.assertTrue(
                    why(level, most, x, z)["planted"] or len(level.level.pins_of(stand.number).id)
                )


class Views(SimpleTestCase):
    def test_a_crowd_is_every_plant_that_a_pinhole_shows_by_its_distance(self):
        planted = thicket.plant(drawn_level(12))
        view = View(128, 400, 250, 350, -10, 55, 1.6)
        h, p = np.radians(view.heading), np.radians(view.pitch)
        ahead = np.array([np.sin(h) * np.cos(p), np.sin(p), -np.cos(h) * np.cos(p)])
        right = np.array([np.cos(h), 0, np.sin(h)])
        tall = np.tan(np.radians(view.fov / 2))
        for planting in planted.plantings():
            reach = 120.0
            far = min(reach, planting.settings.distances.gone) if planting.stand.sward else reach
            at = planting.plants_in(planting.everywhere).form[:, :3].astype(float) - view.eye
            deep = at @ ahead
            shown = (deep > NEAR) & (np.abs(at @ right) <= deep * tall * view.aspect)
            shown &= np.abs(at @ np.cross(right, ahead)) <= deep * tall
            distance = np.linalg.norm(at, axis=1)[shown]
            want = [((distance >= 3 * k) & (distance < min(3 * k + 3, far))).sum() for k in range(40)]
            self.assertEqual(crowd(planting, view, reach).tolist(), want, planting.stand.slug)


class Folders(InFolder):
    def bytes_of(self):
        return {
            p.relative_to(self.folder): p.read_bytes() for p in sorted(self.folder.rglob("*")) if p.is_file()
        }

    def test_a_level_comes_back_with_the_same_plants_and_bytes(self):
        for seed in (0, 5):
            level = drawn_level(seed)
            save_level(level, self.folder)
            first = self.bytes_of()
            again = open_level(self.folder)
            self.assertEqual(state(thicket.plant(again)), state(thicket.plant(level)))
            save_level(again, self.folder)
            self.assertEqual(self.bytes_of(), first)

    def test_what_is_wrong_with_a_folder_is_a_sentence_that_names_the_file(self):
        save_level(drawn_level(2), self.folder)
        good = self.bytes_of()
        said = json.loads(good[Path("level.json")])
        bad = [
            ("level.json", None, "no level.json"),
            ("level.json", b"{", "level.json"),
            ("heights.tif", b"x", "heights.tif"),
            ("level.json", json.dumps(said | {"format": 99}).encode(), "newer version"),
            ("level.json", json.dumps(said | {"cell": -1}).encode(), "cell"),
            ("level.json", json.dumps(said | {"stands": said["stands"] * 2}).encode(), "stands there twice"),
            ("layers/turf.png", None, "layers/turf.png"),
            ("masks/Grazing.png", None, "masks/Grazing.png"),
            ("touch/drawn-1.png", good[Path("layers/turf.png")], "touch/drawn-1"),
            ("pins.csv", b"a,b\n", "pins.csv"),
            ("pins.csv", good[Path("pins.csv")].replace(b"100.25", b"far"), "pins.csv"),
        ]
        for name, data, words in bad:
            path = self.folder / name
            path.unlink() if data is None else path.write_bytes(data)
            with self.assertRaises(Refused) as caught:
                open_level(self.folder)
            self.assertIn(words, str(caught.exception))
            path.write_bytes(good[Path(name)])
        open_level(self.folder)
        (self.folder / "level.json").unlink()
        with self.assertRaisesRegex(Refused, "other things"):
            save_level(drawn_level(2), self.folder)

    def test_the_schema_in_the_docs_is_the_models(self):
        kept = json.loads((ROOT / "docs" / "level.schema.json").read_text())
        self.assertEqual(
            kept,
            json.loads(json.dumps(LevelFile.model_json_schema())),
            "write it anew: python -m thicket.document.level_file > docs/level.schema.json",
        )

    def test_a_shell_plants_costs_writes_out_compares_and_checks(self):
        level = drawn_level(4)
        save_level(level, self.folder)
        code, out, _ = self.ask("plant", self.folder)
        counts = {
            row["stand"]: int(row["plants"]) for row in csv.DictReader(io.StringIO(out), delimiter="\t")
        }
        self.assertEqual((code, counts), (0, thicket.plant(level).counts()))
        self.assertEqual(self.ask("cost", self.folder)[0], 0)
        self.assertIn("rim\tall\t", self.ask("cost", self.folder, "--view", "rim")[1])
        self.assertEqual(self.ask("cost", self.folder, "--view", "nowhere")[0], 2)
        out = self.folder.parent / "out"
        self.assertEqual(self.ask("export", self.folder, "--out", out, "--formats", "csv,glb,maps")[0], 0)
        rows = (out / "plants.csv").read_text().splitlines()
        self.assertEqual(len(rows) - 1, sum(n for slug, n in counts.items() if slug != "grass"))
        self.assertEqual((out / "level.glb").read_bytes()[:4], b"glTF")
        other = self.folder.parent / "other"
        edited = tuned(thicket.plant(level), level.singles[0].slug, {"fullness": 0.05})
        save_level(edited.level, other)
        self.assertEqual(self.ask("compare", self.folder, self.folder)[0], 0)
        self.assertEqual(self.ask("compare", self.folder, other)[0], 1)
        self.assertEqual(self.ask("check", self.folder)[0], 0)
        fewer = ChangeShapes(put={n: None for n in (3, 7, 8) if n in level.shapes})
        save_level(replace(edited.after(fewer).after.level, masks={}), other)
        self.assertEqual(self.ask("plant", self.folder.parent)[0], 2)

    def test_a_shell_captures_frames_of_a_simulated_device_and_measures_it(self):
        save_level(drawn_level(4), self.folder)
        frames, again = self.folder.parent / "frames.csv", self.folder.parent / "again.csv"
        asked = (
            "device",
            self.folder,
            "--simulate",
            "handheld",
            "--frames",
            60,
            "--seed",
            2,
            "--out",
            frames,
        )
        self.assertEqual(self.ask(*asked)[0], 0)
        code, out, told = self.ask("calibrate", self.folder, frames, "--out", again)
        rows = {row["coefficient"]: row for row in csv.DictReader(io.StringIO(out), delimiter="\t")}
        self.assertEqual(len(rows), 6)
        fixed = rows["the fixed part"]
        self.assertAlmostEqual(float(fixed["ms"]), 1.9, delta=2 * float(fixed["plus_minus"]) + 0.2)
        self.assertEqual(code, int("not distinguished" in told))
        self.assertEqual(again.read_text(), frames.read_text())
        frames.write_text("fps\n60\n")
        code, _, told = self.ask("calibrate", self.folder, frames)
        self.assertEqual((code, "are missing" in told), (2, True))

    def test_it_needs_neither_django_nor_a_database_driver(self):
        save_level(drawn_level(6), self.folder)
        code = (
            "import sys, thicket.__main__ as m; code = m.main(['plant', sys.argv[1]]);"
            "print([n for n in sys.modules if n.split('.')[0] in ('django', 'ninja', 'MySQLdb', "
            "'server')]); sys.exit(code)"
        )
        done = subprocess.run(
            [sys.executable, "-c", code, str(self.folder)], cwd=ROOT, capture_output=True, text=True
        )
        self.assertEqual((done.returncode, done.stdout.splitlines()[-1]), (0, "[]"), done.stderr)
        self.assertTrue(np.isfinite(float(done.stderr.split()[-2])))
