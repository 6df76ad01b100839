"""Devices: fitted to frames of a simulated one, how sure that is, what frames cannot distinguish, and
captures that cannot be right."""

import contextlib
import io
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np

from tests.core.levels import drawn_level
from thicket.__main__ import main
from thicket.document.atmosphere import FogSettings
from thicket.document.folder import save_level
from thicket.planted.captures import SIMULATED, captures_csv, frames_by_chance, loads_in, run, views_at
from thicket.planted.level import PlantedLevel
from thicket.refused import Refused
from thicket.sight.devices import (
    FEWEST,
    LOADS,
    PLAIN_DEVICE,
    UNITS,
    calibrate,
    read_captures,
    read_places,
)
from thicket.sight.drawing import Drawing

HIDDEN = SIMULATED["handheld"]


def loads_by_chance(rng, count: int) -> np.ndarray:
    """Frames whose loads have nothing to do with one another, each sometimes left out."""
    most = np.array([900e3, 1500, 400e3, 30.0, 60e6])
    return rng.uniform(0.05, 1, (count, 5)) * most * (rng.random((count, 5)) > 0.25)


class Calibrated(unittest.TestCase):
    def setUp(self):
        self.rng = np.random.default_rng(5)
        self.loads = loads_by_chance(self.rng, 200)

    def test_a_simulated_device_is_found_again_with_its_warm_up_left_out(self):
        for seed, hidden in enumerate(SIMULATED.values()):
            found = calibrate("Ours", self.loads, run(hidden, self.loads, seed))
            with self.subTest(hidden.name):
                np.testing.assert_allclose(found.device.coefficients, hidden.coefficients, rtol=0.1)
                self.assertFalse(found.fits[:4].any())
                self.assertGreater(found.fits[8:].mean(), 0.97)
                self.assertAlmostEqual(found.error, 0.05, delta=0.012)
                self.assertAlmostEqual(found.device.noise, 0.05, delta=0.012)
                others = loads_by_chance(self.rng, 200)
                truth = np.array([hidden.ms(row) + hidden.fixed for row in others])
                told = np.array([found.device.ms(row) + found.device.fixed for row in others])
                self.assertLess(np.abs(told / truth - 1).max(), 0.05)
                self.assertEqual(found.unclear, [])

    def test_frames_lie_within_the_margin_that_is_told_nearly_always(self):
        found = calibrate("Ours", self.loads, run(HIDDEN, self.loads, 9)).device
        others = loads_by_chance(self.rng, 600)
        ms = run(HIDDEN, np.vstack([others[:8], others]), 10)[8:]
        inside = [
            abs(found.ms(row) + found.fixed - took) <= found.margin(row) for row, took in zip(others, ms)
        ]
        self.assertTrue(0.92 <= np.mean(inside) <= 0.985, np.mean(inside))
        self.assertIsNone(PLAIN_DEVICE.margin(others[0]))

    def test_frames_without_noise_give_the_coefficients_and_never_less_than_nothing(self):
        exact = np.array([HIDDEN.ms(row) + HIDDEN.fixed for row in self.loads])
        np.testing.assert_allclose(
            calibrate("Ours", self.loads, exact).device.coefficients, HIDDEN.coefficients, rtol=1e-6
        )
        free = replace(HIDDEN, per_mbyte=0.0, fixed=0.0)
        some = self.loads[self.loads[:, 0] > 0]
        found = calibrate("Ours", some, run(free, some, 3)).device
        self.assertTrue(min(found.coefficients) >= 0)
        self.assertLess(found.per_mbyte + found.fixed, 0.25)

    def test_it_says_which_coefficients_frames_do_not_tell_apart(self):
        alike = self.loads.copy()
        alike[:, 2] = alike[:, 0] * 0.4 * self.rng.normal(1, 0.001, 200)
        none = self.loads.copy()
        none[:, 3] = 0
        told = [calibrate("Ours", loads, run(HIDDEN, loads, 4)).unclear for loads in (alike, none)]
        self.assertEqual(told, [[["triangles", "shadow triangles"]], [["covered pixels"]]])
        still = calibrate("Ours", alike, run(HIDDEN, alike, 4))
        self.assertAlmostEqual(still.error, 0.05, delta=0.015)

    def test_frames_that_have_nothing_to_do_with_their_loads_are_refused(self):
        with self.assertRaisesRegex(Refused, "ms do not follow from the loads"):
            calibrate("Ours", self.loads, np.exp(self.rng.normal(2, 2, 200)))


class Captured(unittest.TestCase):
    def test_captures_are_read_as_they_were_written(self):
        loads = loads_by_chance(np.random.default_rng(2), 40)
        ms = run(HIDDEN, loads)
        kind, said, took = read_captures(
            "\ufeff" + captures_csv(loads, ms).replace("triangles", " Triangles", 1)
        )
        self.assertEqual(kind, "loads")
        np.testing.assert_allclose(said / UNITS, loads / UNITS, atol=1e-3)
        np.testing.assert_allclose(took, ms, atol=1e-4)

    def test_captures_that_cannot_be_are_a_sentence(self):
        header = ",".join([*LOADS, "ms"])
        row = "1000,10,100,0.5,1000,4"
        good = [row] * 40
        for lines, words in (
            (["ms,fps", "4,60"], "columns triangles, draw_calls.* are missing"),
            (["x,y,ms", "4,60,2"], "columns z, heading, pitch, fov are missing"),
            ([""], "are missing"),
            ([header, *good[:10]], "these are 10 frames; it takes 30"),
            ([header, *good, "1000,10,many,0.5,1000,4"], "shadow_triangles is no number in line 42"),
            ([header, *good, "1000,10"], "shadow_triangles is no number in line 42"),
            ([header, *good, "1000,10,1,nan,1,4"], "alpha_mpx is beyond"),
            ([header, *good, "-1,10,1,1,1,4"], "triangles is below 0 in frame 41"),
            ([header, *good, "1,10,1,1,1,0"], "ms is not above 0 in frame 41"),
            ([header, *["1000,10,100,0.5,1000,16600"] * 40], "is ms in milliseconds"),
            ([header, *["1000,10,100,0.5,1000,0.0166"] * 40], "is ms in milliseconds"),
        ):
            with self.subTest(words), self.assertRaisesRegex(Refused, words):
                read_captures("\n".join(lines))

    def test_given_places_are_run_and_come_back_as_captures_of_those_places(self):
        places = [[k * 5.0, 390.0, 200.0 - k, k * 9.0, -5.0, 55.0] for k in range(FEWEST)]
        rows = [",".join(map(str, ["tree", *row])) for row in places]
        with tempfile.TemporaryDirectory() as folder:
            save_level(drawn_level(3), Path(folder) / "level")
            given, out = Path(folder) / "places.csv", Path(folder) / "captures.csv"
            given.write_text("\n".join(["name,x,y,z,heading,pitch,fov", *rows, "", ""]))
            asked = ["device", f"{folder}/level", "--places", str(given), "--out", str(out)]
            with contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(io.StringIO()) as told:
                self.assertEqual(main([*asked, "--simulate", "console"]), 0)
                kind, said, ms = read_captures(out.read_text())
                given.write_text("x,y\n1,2\n")
                self.assertEqual(main(asked), 2)
                self.assertIn("the columns z, heading, pitch, fov are missing", told.getvalue())
        self.assertEqual(kind, "places")
        np.testing.assert_allclose(said, places)
        level = PlantedLevel(drawn_level(3))
        loads = loads_in(level, views_at(said, Drawing(air=level.air(FogSettings()))))
        np.testing.assert_allclose(ms, run(SIMULATED["console"], loads), atol=1e-4)
        with self.assertRaisesRegex(Refused, "no camera places"):
            read_places("x,y,z,heading,pitch,fov\n")

    def test_frames_by_camera_place_are_reckoned_as_the_level_costs(self):
        level = PlantedLevel(drawn_level(3))
        views = frames_by_chance(level, 12, 1)
        loads = loads_in(level, views)
        places = np.array([[v.x, v.y, v.z, v.heading, v.pitch, v.fov] for v in views])
        again = loads_in(level, [replace(v, drawing=w.drawing) for v, w in zip(views_at(places), views)])
        np.testing.assert_array_equal(again, loads)
        self.assertEqual(len({view.drawing for view in views}), 8)
        dear = replace(views[0], device=HIDDEN)
        ms = sum(c.ms for c in level.cost(dear).values()) + level.ground_cost(dear).ms
        self.assertAlmostEqual(ms, HIDDEN.ms(loads[0]) + HIDDEN.fixed)
