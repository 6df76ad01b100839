"""What is kept of computed results: made once for all threads, the oldest let go of first, and all of it under one budget."""

import os
import subprocess
import sys
import threading

from django.conf import settings
from django.test import SimpleTestCase

from thicket.cache import ContentCache, MemoryBudget, resident

HOLD = """
import numpy as np
from thicket.cache import BUDGET, ContentCache, resident
caches = [ContentCache(100_000) for _ in range(3)]
most = 0
BUDGET.EVERY = BUDGET.AFTER_RELIEF = 0
for k in range(3000):
    caches[k % 3].put(k, np.ones((1 << 20) // (8 if k % 2 else 800)))
    most = max(most, resident())
print(most >> 20, len(caches[0]._results) > 10, caches[2].peek(2999) is not None)
"""


class Cache(SimpleTestCase):
    def test_a_result_is_made_once_and_a_failure_is_not_kept(self):
        cache, made, begun = ContentCache(10), [], threading.Barrier(8)

        def make():
            made.append(1)
            return "made"

        def ask():
            begun.wait()
            self.assertEqual(cache.get("key", make), "made")

        threads = [threading.Thread(target=ask) for _ in range(8)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(len(made), 1)
        with self.assertRaises(ZeroDivisionError):
            cache.get("bad", lambda: 1 / 0)
        self.assertEqual(cache.get("bad", lambda: 5), 5)
        self.assertEqual(cache._making, {})

    def test_the_least_used_go_first(self):
        cache = ContentCache(4)
        for k in range(4):
            cache.put(k, k)
        cache.peek(0)
        cache.put(4, 4)
        self.assertEqual([cache.peek(k) for k in range(5)], [0, None, 2, 3, 4])
        cache.forget_older_half()
        self.assertEqual([cache.peek(k) for k in range(5)], [None, None, None, 3, 4])
        cache.replace(3, "other", "x")
        self.assertEqual(cache.peek(3), 3)

    def test_a_budget_relieves_all_its_caches(self):
        budget = MemoryBudget(most=resident() // 2)
        caches = [ContentCache(10), ContentCache(10)]
        for cache in caches:
            budget.watch(cache)
            for k in range(8):
                cache.put(k, k)
        budget.check()
        self.assertEqual([len(c._results) for c in caches], [4, 4])
        budget.check()
        self.assertEqual([len(c._results) for c in caches], [4, 4], "it waits before it relieves again")

    def test_a_process_keeps_to_its_memory_whatever_is_put_into_its_caches(self):
        told = subprocess.run([sys.executable, "-c", HOLD], env=os.environ | {"KT_MEMORY_MB": "300"}, cwd=settings.BASE_DIR,
                              capture_output=True, text=True, check=True).stdout.split()
        self.assertLess(int(told[0]), 330)
        self.assertEqual(told[1:], ["True", "True"])
