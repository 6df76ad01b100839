"""Changes by edits: what is stored is what the core says, entries hold both ways, and a journal from before
there were edits is taken back like any other."""

import random
from dataclasses import replace

import numpy as np
from django.contrib.auth.models import User

from server.catalogue.whole import make_level
from server.document.arrays import EditArrays
from server.document.files import with_files
from server.document.planted import document_now, read_document
from server.journal.commit import commit
from server.journal.models import Entry
from server.journal.undoing import move_entry
from server.levels.models import Level
from tests.core.levels import drawn_level
from tests.core.test_edits import bytes_of, chance
from tests.fixtures import MARKS
from tests.server.test_api import ApiCase
from tests.server.test_ground import key
from thicket.document.drawing import Marks, Tier
from thicket.document.edits import (
    ChangeLayerLooks,
    ChangeMasks,
    ChangeSettings,
    ChangeShapes,
    ChangeTiers,
    ChangeViews,
    ChangeWalks,
    Rename,
    SetAtmosphere,
    SetDrawing,
    SetMarks,
    SetPlots,
    SetWind,
)
from thicket.document.edits.files import edit_from
from thicket.document.level_file import ShapeFile
from thicket.document.views import LayerAppearance, SavedView
from thicket.document.walks import Walk
from thicket.refused import Conflict, Refused


def shape(number, x):
    points = [(x, 20), (x + 15, 20), (x + 15, 40)]
    return ShapeFile(number=number, kind="area", name=f"Glade {x}", points=points, width=4, clear=1)


def view(name, fov):
    return SavedView(name=name, x=9, y=400, z=9, heading=0, pitch=3, fov=fov)


EDITS = (
    SetAtmosphere(put={"sun": {"bearing": 33}, "waters": []}),
    SetDrawing(put={"full_meshes": 40, "fades": 2}),
    SetWind(put={"speed": 11}),
    SetPlots(put={"outside": "warned", "requests": []}),
    SetMarks(tier="Console", put={"ms": 3.5}),
    ChangeTiers(put={"Pocket": Tier(marks=Marks(**MARKS)), "Handheld": None}, order=("Pocket", "Console")),
    ChangeWalks(put={"Round": Walk(points=[(1, 1), (90, 80)], speed=2)}),
    ChangeViews(put={"There": view("There", 50)}),
    ChangeLayerLooks(put={"turf": LayerAppearance(name="turf", colour="#102030", look="soil", texture="")}),
    ChangeShapes(put={1: shape(1, 60), 2: shape(2, 120)}),
    ChangeMasks(put={"Damp": np.arange(1600, dtype=np.uint16).reshape(40, 40)}),
    Rename(name="Another moor"),
)


class Commits(ApiCase):
    def document(self):
        return document_now(Level.objects.get(pk=self.level.pk))

    def test_the_rows_are_what_the_core_says_there_and_back(self):
        user, first = User.objects.get(username="lead"), self.document()
        now, entries, seen = first, [], [bytes_of(first)]
        settings = ChangeSettings(put={self.birch.number: {"fullness": 0.3, "gap": 1.5}})
        for edit in (*EDITS, settings):
            with self.subTest(edit.kind):
                entries.append(commit(user, self.level, key(), edit, "Done").entry)
                now = edit.apply(now)
                seen.append(bytes_of(now))
                self.assertEqual(bytes_of(self.document()), seen[-1])
        for entry, before, after in reversed(list(zip(entries, seen, seen[1:]))):
            with self.subTest(entry.kind):
                move_entry(user, self.level, entry.pk, back=True)
                self.assertEqual(bytes_of(self.document()), before)
                move_entry(user, self.level, entry.pk, back=False)
                self.assertEqual(bytes_of(self.document()), after)
                move_entry(user, self.level, entry.pk, back=True)
        self.assertEqual(bytes_of(self.document()), bytes_of(first))

    def test_one_is_taken_back_from_under_anothers_and_not_from_under_its_like(self):
        user = User.objects.get(username="lead")
        one = commit(user, self.level, key(), SetDrawing(put={"fades": 2}), "One").entry
        two = commit(user, self.level, key(), SetDrawing(put={"full_meshes": 9}), "Two").entry
        move_entry(user, self.level, one.pk, back=True)
        kept = Level.objects.get(pk=self.level.pk).drawing
        self.assertEqual((kept["fades"], kept["full_meshes"]), (1, 9))
        commit(user, self.level, key(), SetDrawing(put={"full_meshes": 5}), "Three")
        with self.assertRaisesRegex(Conflict, "full meshes of the drawing has been changed since"):
            move_entry(user, self.level, two.pk, back=True)
        self.assertFalse(Entry.objects.get(pk=two.pk).undone)

    def test_any_session_of_two_people_is_the_same_edits_applied_to_the_value(self):
        people = [User.objects.get(username=name) for name in ("lead", "north")]
        kinds = set()
        for seed in range(3):
            rng = random.Random(seed)
            drawn = drawn_level(seed)
            stock = {slug: replace(item, glb=slug.encode()) for slug, item in drawn.stock.items()}
            level = make_level(people[0], replace(drawn, stock=stock), f"Drawn {seed}")
            first = self.whole(level)
            now, entries, blurred = first, [], False
            for _ in range(28):
                user, moved = (
                    rng.choice(people),
                    rng.choice(entries or [None]) if rng.random() < 0.3 else None,
                )
                edit = chance(rng, now)
                back = moved is not None and not Entry.objects.get(pk=moved).undone
                if moved is not None:
                    held = Entry.objects.get(pk=moved).change["inverse" if back else "edit"]
                    edit = edit_from(held, EditArrays(level))
                try:
                    if moved is None:
                        done = commit(user, level, key(), edit, "Done")
                        entries.append(done.entry.pk)
                    else:
                        done = move_entry(user, level, moved, back)
                    now = edit.apply(now)
                except Refused as error:
                    self.assertGreater(len(str(error)), 12)
                else:
                    kinds.add(edit.kind)
                    self.assertEqual(done.step.after.level.name, now.name)
                    blurred |= moved is not None and self.is_painted_in_other_cells(level, moved)
                level = Level.objects.get(pk=level.pk)
                self.assertEqual(bytes_of(self.whole(level)), bytes_of(now), edit.kind)
                anew = with_files(level, read_document(level))
                self.assertEqual(bytes_of(anew), bytes_of(now), f"{edit.kind}, read anew")
            for entry in Entry.objects.filter(level=level, undone=False).order_by("-touched", "-pk"):
                blurred |= self.had_other_cells(level, entry)
                move_entry(people[0], level, entry.pk, back=True)
            last = self.whole(Level.objects.get(pk=level.pk))
            if blurred:
                self.check_touch_is_near(last, first)
                last = replace(last, touch=first.touch)
            self.assertEqual(bytes_of(last), bytes_of(first))
        self.assertGreater(len(kinds), 20)

    def is_painted_in_other_cells(self, level, entry):
        """Whether a stroke was made in other touch cells than it was taken back in: what it leaves is
        rounded, and stays when the cells are as before."""
        later = Entry.objects.filter(level=level, undone=False, pk__gt=entry)
        cells = later.filter(kind__in=("touch cell", "heights")).exists()
        return cells and Entry.objects.get(pk=entry).kind == "paint"

    def had_other_cells(self, level, entry):
        """Whether a stand was removed from a level with other touch cells than it has now."""
        cell = entry.change["inverse"].get("touch_cell") if entry.kind == "remove stand" else None
        return cell is not None and cell != Level.objects.get(pk=level.pk).touch_cell

    def check_touch_is_near(self, last, first):
        for number in last.touch.keys() | first.touch.keys():
            off = last.touch_of(number).array.astype(int) - first.touch_of(number).array
            self.assertLessEqual(np.abs(off).max(), 4, "of 255 for a full measure")

    def whole(self, level):
        return with_files(level, document_now(level))
