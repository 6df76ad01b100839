"""Django's own test runner, with one plain closing line for machines to read."""

from __future__ import annotations

from django.test.runner import DiscoverRunner


class Runner(DiscoverRunner):
    """Closes with `N passed, N failed`."""

    def suite_result(self, suite, result, **kwargs):
        failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        print(f"{max(result.testsRun - failed - len(result.skipped), 0)} passed, {failed} failed", flush=True)
        return super().suite_result(suite, result, **kwargs)
