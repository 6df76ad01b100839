"""The golden vectors of `tests/vectors.json` are what the core makes of their inputs."""

import json
import unittest

from tests.vectors import FILE, vectors


class Vectors(unittest.TestCase):
    def test_they_are_what_the_core_makes(self):
        known, now = json.loads(FILE.read_text()), json.loads(json.dumps(vectors()))
        self.assertEqual(known.keys(), now.keys())
        for rule, expected in known.items():
            with self.subTest(rule):
                self.alike(now[rule], expected, rule)

    def alike(self, found, expected, where: str):
        """Alike but for the last places of numbers, which differ between processors."""
        if isinstance(expected, dict):
            self.assertEqual(found.keys(), expected.keys(), where)
            for key, part in expected.items():
                self.alike(found[key], part, f"{where}.{key}")
        elif isinstance(expected, list):
            self.assertEqual(len(found), len(expected), where)
            for k, (a, b) in enumerate(zip(found, expected)):
                self.alike(a, b, f"{where}.{k}")
        elif isinstance(expected, float):
            self.assertAlmostEqual(found, expected, delta=1e-9 * max(1.0, abs(expected)), msg=where)
        else:
            self.assertEqual(found, expected, where)
