"""The same plants, byte for byte, on one thread, two threads, two worker processes, and when one of these is
killed in the middle."""

import logging
import os
import signal
import unittest

from distributed import Client, LocalCluster

import thicket
from tests.core.levels import drawn_level
from thicket.planted.cluster import plant_on
from thicket.planted.export import plants_csv
from thicket.planted.whole import plant_whole
from thicket.refused import Refused


class Workers(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        # It tells at length of the worker that is killed here.
        logging.getLogger("distributed").setLevel(logging.CRITICAL)
        cls.cluster = LocalCluster(n_workers=2, threads_per_worker=1, processes=True, dashboard_address=None)
        cls.addClassCleanup(cls.cluster.close)

    def test_who_plants_changes_no_bit(self):
        level = drawn_level(31, side=700)
        alone = thicket.plant(level)
        sheets = {(planting.stand.number, sheet) for planting, sheet in plant_whole(alone, 1)}
        self.assertGreater(len(sheets), 30)
        csv = plants_csv(alone)
        self.assertGreater(csv.count(b"\n"), 5000)

        threads = thicket.plant(level, threads=2)
        self.assertEqual(len(list(plant_whole(threads, 2))), len(sheets))
        self.assertEqual(plants_csv(threads), csv)

        cluster = thicket.plant(level)
        told = {
            (planting.stand.number, sheet)
            for planting, sheet in plant_on(self.cluster.scheduler_address, cluster)
        }
        self.assertEqual((told, plants_csv(cluster)), (sheets, csv))
        self.assertEqual(cluster.counts(), alone.counts())

        killed, told = thicket.plant(level), set()
        for planting, sheet in plant_on(self.cluster.scheduler_address, killed):
            if not told:
                worker = next(iter(self.cluster.workers.values()))
                os.kill(worker.pid, signal.SIGKILL)
            told.add((planting.stand.number, sheet))
        self.assertEqual((told, plants_csv(killed)), (sheets, csv))
        for planting, sheet in plant_whole(alone, 1):
            self.assertEqual(killed.planting(planting.stand.number).key(sheet), planting.key(sheet))

    def test_workers_need_the_core_alone(self):
        with Client(self.cluster.scheduler_address, set_as_default=False) as client:
            loaded = client.run(lambda: __import__("sys").modules.keys() & {"django", "MySQLdb", "server"})
        self.assertEqual(set().union(*loaded.values()), set())

    def test_a_scheduler_that_is_not_there_is_a_sentence(self):
        with self.assertRaisesRegex(Refused, "scheduler: nothing answers at tcp://127.0.0.1:9"):
            next(plant_on("tcp://127.0.0.1:9", thicket.plant(drawn_level(1))))
