"""How much ground crowns cover, by tiles at several scales: against the plants themselves, and against what
is expected of them."""

import unittest
from dataclasses import replace
from unittest import mock

import numpy as np

from tests.core.levels import drawn_level, plain_stand
from thicket.planted.cover import FINEST, SCALES, TILE, cover, strength, tiles_of
from thicket.planted.level import PlantedLevel
from thicket.planted.planting import Planting


class Covered(unittest.TestCase):
    def setUp(self):
        level = drawn_level(3)
        stands = {1: plain_stand(1, "Canopy", 6.0), 2: plain_stand(2, "Shrub", 3.0)}
        self.level = PlantedLevel(replace(level, stands=stands, touch={}, pins={}))

    def test_it_is_the_area_of_the_crowns_that_stand_there(self):
        for planting in self.level.plantings():
            crowns = np.array([self.level.level.stock[slug].crown for slug in planting.items])
            whole, at = 0.0, np.zeros(2)
            for sheet in planting.sheets_in(planting.everywhere):
                plants = planting.plants(sheet)
                areas = np.pi * (crowns[plants.item] * plants.form[:, 7]) ** 2
                whole += areas.sum()
                at += (areas[:, None] * plants.form[:, [0, 2]]).sum(0)
            for scale in range(SCALES):
                cell = FINEST * 2**scale
                found = cover(planting, cell) * cell**2
                self.assertAlmostEqual(float(found.sum()) / whole, 1, places=4)
                if scale == 0:
                    z, x = (np.mgrid[0 : found.shape[0], 0 : found.shape[1]] + 0.5) * cell
                    middle = np.array([(found * x).sum(), (found * z).sum()]) / found.sum()
                    np.testing.assert_allclose(middle, at / whole, atol=0.5)

    def test_where_plants_are_not_at_hand_it_is_what_density_gives(self):
        planting = self.level.planting(1)
        counted = cover(planting, 32.0)
        with mock.patch.object(Planting, "at_hand", False):
            expected = cover(self.level.planting(1), 32.0)
        self.assertEqual(counted.shape, expected.shape)
        self.assertAlmostEqual(float(expected.sum() / counted.sum()), 1, delta=0.1)

    def test_tiles_lie_side_by_side_and_a_strength_is_the_root_of_the_share(self):
        planting = self.level.planting(1)
        self.assertEqual(tiles_of(planting, 0), (1, 1))
        with mock.patch("thicket.planted.cover.TILE", 10):
            tiles = [[strength(planting, 0, c, r) for c in range(4)] for r in range(4)]
        whole = strength(planting, 0, 0, 0)
        self.assertEqual((whole.dtype, max(whole.shape) <= TILE), (np.uint8, True))
        np.testing.assert_array_equal(np.block(tiles), whole)
        share = cover(planting, FINEST)
        dense = share > 0.2
        np.testing.assert_allclose(whole[dense], 255 * np.sqrt(np.minimum(share[dense], 1)), atol=1)
