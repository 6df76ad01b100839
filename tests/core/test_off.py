"""Stands that are off, and stands that may overlap with others."""

import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

import thicket
from tests.core.levels import drawn_level, plain_stand
from thicket.document.edits import SetStand
from thicket.planted.explaining import why
from thicket.planted.export import level_json, mapped, plants_csv
from thicket.planted.hand import PinChanges, hand_edit
from thicket.planted.reasons import SWITCHED_OFF
from thicket.refused import Conflict


def plants_of(planted):
    """All plants by stand, as bytes; of swards the density."""
    return {
        p.stand.number: p.density.tobytes()
        if p.stand.sward
        else b"".join(
            part.tobytes()
            for sheet in p.sheets_in(p.everywhere)
            for plants in [p.plants(sheet)]
            for part in (plants.id, plants.form, plants.item)
        )
        for p in planted.plantings()
    }


class Off(unittest.TestCase):
    @given(st.integers(0, 10**4), st.integers(1, 5))
    @settings(max_examples=12, deadline=None)
    def test_it_is_as_if_it_were_not_there_and_on_again_as_it_was(self, seed, which):
        level = drawn_level(seed)
        number = sorted(level.stands)[which % len(level.stands)]
        before = thicket.plant(level)
        was = plants_of(before)
        edit = SetStand(number=number, off=True)
        off = before.after(edit).after
        now = plants_of(off)
        hosted = {n for n, s in level.stands.items() if s.settings.layout.host == number}
        near = {n for n, s in level.stands.items() for c in s.settings.rules() if c.stand == number}
        if not hosted | near:  # without it these could not be planted
            without = replace(
                level,
                stands={n: s for n, s in level.stands.items() if n != number},
                pins={n: p for n, p in level.pins.items() if n != number},
            )
            apart = plants_of(thicket.plant(without))
            self.assertEqual({other: now[other] for other in apart}, apart)
        planting = off.planting(number)
        self.assertEqual((planting.count(), float(planting.expected())), (0, 0.0))
        self.assertFalse(planting.density.any() if planting.stand.sward else now[number])
        again = off.after(edit.inverse(level)).after
        self.assertEqual(plants_of(again), was)

    def test_why_here_says_so(self):
        planted = thicket.plant(drawn_level(3))
        stand = next(s for s in planted.level.singles if not s.settings.on)
        off = planted.after(SetStand(number=stand.number, off=True)).after
        found = why(off, off.planting(stand.number), off.width / 2, off.length / 2)
        self.assertFalse(found["planted"])
        self.assertEqual(found["shut"], SWITCHED_OFF.format(stand.name))

    def test_it_is_left_out_of_the_handover_and_of_the_hand(self):
        level = drawn_level(5).with_stand(plain_stand(40, "Canopy", 6.0))
        planted = thicket.plant(level)
        off = planted.after(SetStand(number=40, off=True)).after
        for one, there in ((planted, True), (off, False)):
            found = [
                "plain-40" in plants_csv(one).decode(),
                "plain-40" in level_json(one).decode(),
                "plain-40" in [planting.stand.slug for planting in mapped(one)],
            ]
            self.assertEqual(found, [there] * 3)
        wish = PinChanges(add=[{"x": 30.0, "z": 30.0}])
        with self.assertRaisesRegex(Conflict, "Plain 40 is off: switch it on first"):
            hand_edit(off, {40: wish}, "a key")

    def test_who_may_overlap_claims_no_room_and_gives_way_to_none(self):
        level = drawn_level(5)
        above, below = plain_stand(40, "Canopy", 5.0), plain_stand(41, "Canopy", 4.0)
        both = thicket.plant(level.with_stand(above).with_stand(below))
        alone = thicket.plant(level.with_stand(below))
        self.assertLess(both.planting(41).count(), alone.planting(41).count())
        overlap = lambda s: replace(s, settings=s.settings.model_copy(update={"overlap": True}))
        claims_none = thicket.plant(level.with_stand(overlap(above)).with_stand(below))
        np.testing.assert_array_equal(
            claims_none.planting(41).plants((0, 0)).id, alone.planting(41).plants((0, 0)).id
        )
        nobody = thicket.plant(replace(level, stands={}).with_stand(overlap(below)))
        gives_none = thicket.plant(level.with_stand(above).with_stand(overlap(below)))
        np.testing.assert_array_equal(
            gives_none.planting(41).plants((0, 0)).id, nobody.planting(41).plants((0, 0)).id
        )
