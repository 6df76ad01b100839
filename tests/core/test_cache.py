"""The cache of computed results: made once for all threads, the least used dropped first, within a budget of
memory."""

import os
import subprocess
import sys
import threading
from pathlib import Path
from unittest.mock import patch

import numpy as np
from django.test import SimpleTestCase

from thicket.cache import OVERHEAD, Cache, resident

HOLD = """
import numpy as np
from thicket.cache import Cache, resident
cache, most = Cache(most=1 << 40, process=300 << 20), 0
cache.EVERY = cache.AFTER_DROPPING = 0
for k in range(3000):
    cache.put(k, np.ones((1 << 20) // (8 if k % 2 else 800)))
    most = max(most, resident())
print(most >> 20, len(cache) > 10, cache.peek(2999) is not None)
"""


class Results(SimpleTestCase):
    def test_a_result_is_made_once_and_a_failure_is_not_kept(self):
        cache, made, begun = Cache(), [], threading.Barrier(8)

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

    def test_the_least_used_go_first(self):
        cache = Cache(most=4 * OVERHEAD)
        for k in range(4):
            cache.put(k, k)
        cache.peek(0)
        cache.put(4, 4)
        self.assertEqual([cache.peek(k) for k in range(5)], [0, None, 2, 3, 4])
        cache.drop_older_half()
        self.assertEqual([cache.peek(k) for k in range(5)], [None, None, None, 3, 4])
        cache.replace(3, "other", "x")
        self.assertEqual(cache.peek(3), 3)

    def test_nothing_goes_for_what_is_kept_only_when_there_is_room(self):
        cache = Cache(most=4 * OVERHEAD)
        for k in range(3):
            cache.put(k, k)
        self.assertEqual([cache.get(k, lambda k=k: k, spare=True) for k in (3, 4, 5)], [3, 4, 5])
        self.assertEqual([cache.peek(k) for k in range(6)], [0, 1, 2, 3, None, None])
        cache.put(6, 6)
        self.assertEqual([cache.peek(k) for k in (0, 6)], [None, 6])
        mine, other = [1], [1]
        cache.put("mine", mine)
        cache.put("other", other)
        cache.drop([mine])
        self.assertEqual((cache.peek("mine"), cache.peek("other")), (None, other))

    def test_what_was_dropped_goes_back_to_the_system_now_and_then(self):
        cache = Cache(most=3 * OVERHEAD)
        with patch("thicket.cache._LIBC") as libc, patch("thicket.cache.GIVE_BACK", 10 * OVERHEAD):
            for k in range(3):
                cache.put(k, k)
            libc.malloc_trim.assert_not_called()
            for k in range(3, 36):
                cache.put(k, k)
        self.assertEqual(libc.malloc_trim.call_count, 3)

    def test_it_counts_the_bytes_of_arrays_wherever_they_are(self):
        cache = Cache(most=1_000_000)
        for k in range(9):
            cache.put(k, (np.zeros(20_000), [{"a": np.zeros(5_000)}]))
        self.assertEqual(len(cache), 4)
        cache.put(8, np.zeros(1))
        self.assertEqual(len(cache), 4)
        cache.put("large", np.zeros(1_000_000))
        self.assertEqual(len(cache), 1)

    def test_many_threads_leave_it_whole(self):
        cache = Cache(most=50 * OVERHEAD)

        def work(seed):
            for k in np.random.default_rng(seed).integers(0, 200, 3000).tolist():
                self.assertEqual(cache.get(k, lambda k=k: k), k)
                if k % 50 == 0:
                    cache.drop_older_half()

        threads = [threading.Thread(target=work, args=(seed,)) for seed in range(8)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(cache._size, OVERHEAD * len(cache))
        self.assertLessEqual(len(cache), 50)

    def test_a_process_keeps_to_its_memory_whatever_is_put_into_it(self):
        told = subprocess.run(
            [sys.executable, "-c", HOLD],
            cwd=Path(__file__).parents[2],
            capture_output=True,
            text=True,
            check=True,
            env=os.environ,
        ).stdout.split()
        self.assertLess(int(told[0]), 330)
        self.assertEqual(told[1:], ["True", "True"])
        self.assertGreater(resident(), 1 << 20)
