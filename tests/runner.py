"""Django's own test runner, with one plain closing line for machines to read."""

from __future__ import annotations

import os
import time
import unittest
from pathlib import Path

from django.test.runner import DiscoverRunner

from tests.serving import AFTER_ALL


class Timed(unittest.TextTestResult):
    """Notes how long each test takes."""

    def startTest(self, test):
        super().startTest(test)
        self._began = time.monotonic()

    def stopTest(self, test):
        self.__dict__.setdefault("took", {})[test.id()] = time.monotonic() - self._began
        super().stopTest(test)


class Runner(DiscoverRunner):
    """Closes with `N passed, N failed`; as a part of a larger run, it adds both to a tally in place of that.
    With KT_SLOWEST=N it names the N slowest tests."""

    def get_resultclass(self):
        return Timed

    def run_suite(self, suite, **kwargs):
        with AFTER_ALL:
            return super().run_suite(suite, **kwargs)

    def suite_result(self, suite, result, **kwargs):
        slowest = sorted(getattr(result, "took", {}).items(), key=lambda pair: -pair[1])[
            : int(os.environ.get("KT_SLOWEST", 0))
        ]
        for name, seconds in slowest:
            print(f"{seconds:6.1f} s  {name}")
        failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        passed = max(result.testsRun - failed - len(result.skipped), 0)
        if tally := os.environ.get("KT_TALLY"):
            with Path(tally).open("a") as out:
                out.write(f"{passed} {failed}\n")
        else:
            print(f"{passed} passed, {failed} failed", flush=True)
        return super().suite_result(suite, result, **kwargs)
