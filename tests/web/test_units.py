"""The front end's unit tests, run by Vitest, each reported on its own."""

import json
import subprocess
import tempfile
from pathlib import Path

from django.conf import settings
from django.test import SimpleTestCase


class Units(SimpleTestCase):
    def test_every_unit_of_the_front_end(self):
        with tempfile.TemporaryDirectory() as folder:
            report = Path(folder) / "report.json"
            run = subprocess.run(
                ["npx", "vitest", "run", "--reporter=json", f"--outputFile={report}"],
                cwd=settings.BASE_DIR / "web",
                capture_output=True,
                text=True,
            )
            self.assertTrue(report.exists(), run.stdout + run.stderr)
            files = json.loads(report.read_text())["testResults"]
        cases = [case for file in files for case in file["assertionResults"]]
        self.assertGreater(len(cases), 20)
        for file in files:
            with self.subTest(Path(file["name"]).name):
                self.assertEqual(file["status"], "passed", file.get("message"))
        for case in cases:
            with self.subTest(case["fullName"]):
                self.assertEqual(case["status"], "passed", "\n".join(case["failureMessages"]))
