"""Django's own test runner, with one plain closing line for machines to read."""

from __future__ import annotations

import os
from pathlib import Path

from django.test.runner import DiscoverRunner


class Runner(DiscoverRunner):
    """Closes with `N passed, N failed`; as a part of a larger run, it adds both to a tally in place of that."""

    def suite_result(self, suite, result, **kwargs):
        failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        passed = max(result.testsRun - failed - len(result.skipped), 0)
        if tally := os.environ.get("KT_TALLY"):
            with Path(tally).open("a") as out:
                out.write(f"{passed} {failed}\n")
        else:
            print(f"{passed} passed, {failed} failed", flush=True)
        return super().suite_result(suite, result, **kwargs)
