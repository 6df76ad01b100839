"""Changes by edits: what is stored is what the core says, entries hold both ways, and a journal from before
there were edits is taken back like any other."""

import importlib
import json

import numpy as np
from django.apps import apps
from django.contrib.auth.models import User

from server.document.planted import document_now
from server.ground.rows import store_masks
from server.journal.commit import commit
from server.journal.models import Entry
from server.journal.undoing import redo_entry, undo_entry
from server.levels.models import Level
from tests.core.test_edits import bytes_of
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
from thicket.document.level_file import ShapeFile
from thicket.document.rasters import Mask
from thicket.document.views import KeptView, LayerAppearance
from thicket.document.walks import Walk
from thicket.refused import Conflict

SETTINGS_AS_EDITS = importlib.import_module("server.journal.migrations.0017_settings_as_edits")
MASKS_AS_EDITS = importlib.import_module("server.journal.migrations.0018_masks_as_edits")
AS_EDITS = importlib.import_module("server.journal.migrations.0016_edits")


def shape(number, x):
    points = [(x, 20), (x + 15, 20), (x + 15, 40)]
    return ShapeFile(number=number, kind="area", name=f"Glade {x}", points=points, width=4, clear=1)


def view(name, fov):
    return KeptView(name=name, x=9, y=400, z=9, heading=0, pitch=3, fov=fov)


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
                entries.append(commit(user, self.level, key(), edit, "Done"))
                now = edit.apply(now)
                seen.append(bytes_of(now))
                self.assertEqual(bytes_of(self.document()), seen[-1])
        for entry, before, after in reversed(list(zip(entries, seen, seen[1:]))):
            with self.subTest(entry.kind):
                undo_entry(user, self.level, entry.pk)
                self.assertEqual(bytes_of(self.document()), before)
                redo_entry(user, self.level, entry.pk)
                self.assertEqual(bytes_of(self.document()), after)
                undo_entry(user, self.level, entry.pk)
        self.assertEqual(bytes_of(self.document()), bytes_of(first))

    def test_one_is_taken_back_from_under_anothers_and_not_from_under_its_like(self):
        user = User.objects.get(username="lead")
        one = commit(user, self.level, key(), SetDrawing(put={"fades": 2}), "One")
        two = commit(user, self.level, key(), SetDrawing(put={"full_meshes": 9}), "Two")
        undo_entry(user, self.level, one.pk)
        kept = Level.objects.get(pk=self.level.pk).drawing
        self.assertEqual((kept["fades"], kept["full_meshes"]), (1, 9))
        commit(user, self.level, key(), SetDrawing(put={"full_meshes": 5}), "Three")
        with self.assertRaisesRegex(Conflict, "full meshes of the drawing has been changed since"):
            undo_entry(user, self.level, two.pk)
        self.assertFalse(Entry.objects.get(pk=two.pk).undone)

    def test_a_journal_from_before_there_were_edits_is_taken_back(self):
        user = User.objects.get(username="lead")
        for edit in EDITS:
            with self.subTest(edit.kind):
                if edit.kind == "masks":
                    continue  # below
                before, row = bytes_of(self.document()), Level.objects.get(pk=self.level.pk)
                was = self.as_it_was_noted(edit.kind, row)
                entry = commit(user, self.level, key(), edit, "Done")
                after, row = bytes_of(self.document()), Level.objects.get(pk=self.level.pk)
                then = self.as_it_was_noted(edit.kind, row)
                if edit.kind == "marks":
                    was, then = ({"Console": of["Console"]} for of in (was, then))
                old = {"before": json.loads(json.dumps(was)), "after": json.loads(json.dumps(then))}
                kind = "level" if edit.kind == "rename" else edit.kind
                Entry.objects.filter(pk=entry.pk).update(change=old, kind=kind)
                AS_EDITS.as_edits(apps, None)
                undo_entry(user, self.level, entry.pk)
                self.assertEqual(bytes_of(self.document()), before)
                redo_entry(user, self.level, entry.pk)
                self.assertEqual(bytes_of(self.document()), after)

    def test_settings_noted_before_there_were_edits_are_taken_back(self):
        user, before = User.objects.get(username="lead"), bytes_of(self.document())
        was, now = {"gap": self.birch.settings.get("gap", 0)}, {"gap": 1.5}
        several = {"stands": {str(self.birch.pk): {"before": now, "after": {"gap": 2.5}}}}
        for number, (change, old) in enumerate(
            ((now, {"before": was, "after": now}), ({"gap": 2.5}, several)), start=1
        ):
            entry = commit(user, self.level, key(), ChangeSettings(put={self.birch.number: change}), "Done")
            Entry.objects.filter(pk=entry.pk).update(change=old, stand=self.birch if number == 1 else None)
        SETTINGS_AS_EDITS.as_edits(apps, None)
        for entry in Entry.objects.order_by("-pk"):
            undo_entry(user, self.level, entry.pk)
        self.assertEqual(bytes_of(self.document()), before)

    def test_masks_noted_before_there_were_edits_are_taken_back(self):
        user, first = User.objects.get(username="lead"), bytes_of(self.document())
        pictures = [np.full(side, side[0], np.uint8) for side in ((50, 60), (5, 6))]
        entries = [commit(user, self.level, key(), ChangeMasks(put={"Damp": p}), "Done") for p in pictures]
        last, masks = bytes_of(self.document()), self.level.masks
        masks.update(digest="of the second")
        store_masks(self.level, {"~kept~2": Mask("of the first", pictures[0])})
        for entry, was, now in zip(entries, (None, "of the first"), ("of the first", "of the second")):
            old = {"name": "Damp", "kept": "~kept~", "before": was, "after": now}
            Entry.objects.filter(pk=entry.pk).update(change=old)
        self.level.edit_arrays.all().delete()
        MASKS_AS_EDITS.as_edits(apps, None)
        self.level.scene_changed()
        for move, order, then in ((undo_entry, entries[::-1], first), (redo_entry, entries, last)):
            for entry in order:
                move(user, self.level, entry.pk)
            self.assertEqual(bytes_of(self.document()), then)

    def as_it_was_noted(self, kind, row):
        """What entries of a kind held of a level before they held edits."""
        if kind == "shapes":
            return {n: (row.shapes.filter(number=n).first() or _None).as_dict() for n in ("1", "2")}
        if kind == "rename":
            return {"name": row.name}
        if kind == "looks":
            layers = document_now(row).details["view"]["layers"]
            return {given["name"]: {k: v for k, v in given.items() if k != "name"} for given in layers}
        if kind == "views":
            return {"bookmarks": row.bookmarks}
        return getattr(row, "tiers" if kind == "marks" else kind)


class _None:
    @staticmethod
    def as_dict():
        return None
