"""Edits of a level: applied, written down and taken back, also after others have worked on."""

import json
import random
import tempfile
from pathlib import Path
from unittest import mock

import numpy as np
from django.test import SimpleTestCase

import thicket
from tests.core.levels import InFolder, drawn_level, painted, tuned
from tests.core.test_planted import state
from thicket.document import folder as folders
from thicket.document.edits import (
    AddStand,
    ChangeMasks,
    ChangePins,
    ChangeRecipes,
    ChangeSettings,
    ChangeShapes,
    ChangeUprooted,
    ChangeViews,
    ChangeWalks,
    GoBack,
    HoldItem,
    LeaveItem,
    OrderStands,
    Paint,
    Painted,
    PaintLayers,
    PaintMask,
    RaiseGround,
    RemoveSnapshot,
    RemoveStand,
    Rename,
    RenameLayer,
    RenameMask,
    SetAtmosphere,
    SetDrawing,
    SetHeights,
    SetLayers,
    SetStand,
    SetTouchCell,
    SetWind,
    Several,
    TakeItem,
    TakeSnapshot,
    VersionItem,
)
from thicket.document.edits.examples import examples
from thicket.document.edits.files import read_edits, write_edits
from thicket.document.edits.level import view_of
from thicket.document.level_file import ItemFile, ShapeFile, file_of
from thicket.document.pin_rows import PinRow
from thicket.document.stock_file import item_file
from thicket.document.views import SavedView
from thicket.document.walks import Walk
from thicket.formats.recipe import Recipe
from thicket.hashing import digest_of
from thicket.planted.step import Step
from thicket.planting.strokes import Stroke
from thicket.refused import Conflict, Refused


def bytes_of(level):
    """All bytes of a level's folder. Pictures of the same values are made once."""
    made = {}

    def once(work):
        def known(values, *more):
            key = digest_of(values, work.__name__, *more)
            if key not in made:
                made[key] = work(values, *more)
            return made[key]

        return known

    if not hasattr(bytes_of, "parts"):
        bytes_of.parts = once(folders.grey_png), once(folders._tif)
    png, tif = bytes_of.parts
    with (
        mock.patch.object(folders, "grey_png", png),
        mock.patch.object(folders, "_tif", tif),
        tempfile.TemporaryDirectory() as place,
    ):
        thicket.save_level(level, Path(place))
        return {str(p.relative_to(place)): p.read_bytes() for p in Path(place).rglob("*") if p.is_file()}


def written(edits):
    """Edits after they were written into a file and read again."""
    with tempfile.TemporaryDirectory() as place:
        write_edits(edits, Path(place) / "edits.json")
        return read_edits(Path(place) / "edits.json")


def paint(rng, number, by=25):
    x, z = rng.randrange(10, 200), rng.randrange(10, 200)
    delta = np.random.default_rng(rng.randrange(99)).integers(-by, by, (20, 30)).astype(np.int16)
    return Paint(cell=1.0, parts=(Painted(stand=number, box=(x, z, x + 30, z + 20), delta=delta),))


def a_plant(rng, item="birch"):
    place = {"x": rng.uniform(5, 250), "z": rng.uniform(5, 250), "lift": 0.1}
    return PinRow(item=item, **place, qx=0, qy=0.6, qz=0, qw=0.8, width=1.1, height=0.7, tint=0.3)


def a_shape(number, x, name="Tank"):
    points = [(x, 20), (x + 15, 20), (x + 15, 40)]
    return ShapeFile(number=number, kind="obstacle", name=name, points=points, width=0, clear=1)


def chance(rng, level):
    """An edit drawn by chance."""
    number = rng.choice([1, 2, 3, 4])
    others = {
        "stand added": lambda: AddStand(
            stand=file_of(level.stands[9]).model_copy(update={"number": 30, "slug": "more", "name": "More"})
        ),
        "stand removed": lambda: RemoveStand(number=number),
        "order": lambda: OrderStands(put={number: (rng.choice(["Canopy", "Moss"]), rng.randrange(9))}),
        "stand": lambda: SetStand(number=number, seed=rng.randrange(99), locked=rng.random() < 0.2),
        "group": lambda: SetStand(number=number, group=rng.choice(["", "Woodland"])),
        "settings": lambda: ChangeSettings(put={number: {"fullness": rng.choice([0.2, 0.6]), "gap": 0.3}}),
        "paint": lambda: paint(rng, number),
        "pins": lambda: ChangePins(put={number: {rng.randrange(5, 9): rng.choice([None, a_plant(rng)])}}),
        "shapes": lambda: ChangeShapes(put={rng.choice([7, 20]): None}),
        "a shape": lambda: ChangeShapes(put={20: a_shape(20, rng.randrange(200))}),
        "masks": lambda: ChangeMasks(put={"Damp": np.full((4, 4), rng.randrange(9), np.uint8)}),
        "paint mask": lambda: PaintMask(
            name="Damp",
            shape=(4, 4),
            white=255,
            box=(1, 0, 3, 4),
            delta=np.full((4, 2), rng.randrange(-200, 200), np.int32),
        ),
        "mask name": lambda: RenameMask(name="Damp", to="Wet"),
        "touch cell": lambda: SetTouchCell(cell=rng.choice([0.5, 2.0])),
        "heights": lambda: SetHeights(
            heights=level.heights.ground.heights[: rng.choice([200, 257])] + np.float32(rng.random()),
            cell=1.0,
        ),
        "raise": lambda: RaiseGround(
            box=(20, 30, 28, 34), delta=np.full((4, 8), rng.randrange(-900, 900), np.int32)
        ),
        "paint layers": lambda: PaintLayers(
            names=level.layers.names,
            box=(20, 30, 28, 34),
            delta=np.full((4, 8, len(level.layers.names)), rng.randrange(-90, 90), np.int16),
        ),
        "layer name": lambda: RenameLayer(name="turf", to="grass"),
        "view": lambda: ChangeViews(
            put={
                "There": SavedView(name="There", x=9, y=400, z=9, heading=0, pitch=rng.uniform(0, 9), fov=50)
            }
        ),
        "atmosphere": lambda: SetAtmosphere(put={"sun": {"bearing": rng.randrange(300)}}),
        "drawing": lambda: SetDrawing(put={"full_meshes": rng.choice([None, 50]), "fades": rng.random()}),
        "recipe": lambda: ChangeRecipes(
            put={"Game": rng.choice([None, Recipe(formats=("csv", "glb"), cell=rng.randrange(16, 99))])}
        ),
        "walk": lambda: ChangeWalks(
            put={"Round": rng.choice([None, Walk(points=[(1, 1), (9, rng.random())])])}
        ),
        "held": lambda: HoldItem(slug="birch", held=rng.random() < 0.5),
        "snapshot": lambda: TakeSnapshot(name=f"Shot {rng.randrange(3)}"),
        "back": lambda: GoBack(name=f"Shot {rng.randrange(3)}"),
        "snapshot removed": lambda: RemoveSnapshot(name=f"Shot {rng.randrange(3)}"),
        "uprooted": lambda: ChangeUprooted(number=number, put={0: (((50.0, rng.uniform(9, 200)),), 6.0)}),
        "taken": lambda: TakeItem(item=an_item("larch"), mesh=b"mesh", silhouette=b"seen"),
        "left": lambda: LeaveItem(slug="larch"),
        "version": lambda: VersionItem(item=an_item("larch", rng.randrange(2, 9)), mesh=b"another"),
        "wind": lambda: SetWind(put={"speed": rng.randrange(1, 20)}),
        "renamed": lambda: Rename(name=f"Moor {rng.randrange(9)}"),
        "layers": lambda: SetLayers(
            names=level.layers.names,
            weights=np.roll(level.layers.weights, rng.randrange(9), axis=0),
            drawn=tuple(view_of(level).get("layers") or ()),
        ),
        "several": lambda: Several(edits=(paint(rng, 1), SetWind(put={"strength": rng.random()}))),
    }
    kind = rng.choice([*others, "paint", "settings", "pins", "paint"])
    return others[kind]()


def an_item(slug, version=1):
    return ItemFile(slug=slug, name=slug, height=9, crown=2, trunk=0.2, version=version)


class Edits(InFolder):
    def test_places_uprooted_one_after_another_are_taken_back_in_any_order(self):
        first = drawn_level(2)
        put = [ChangeUprooted(number=1, put={0: (((50.0, z),), 6.0)}) for z in (20.0, 90.0)]
        level, back = first, []
        for edit in put:
            back.append(edit.inverse(level))
            level = edit.apply(level)
        for order in (back, back[::-1]):
            now = level
            for edit in order:
                after = edit.apply(now)
                self.assertEqual(bytes_of(edit.inverse(now).apply(after)), bytes_of(now))
                now = after
            self.assertEqual(bytes_of(now), bytes_of(first))
        with self.assertRaisesRegex(Conflict, "uprooted has been changed since"):
            back[0].apply(first)

    def test_a_session_taken_back_gives_the_folders_own_bytes(self):
        kinds = set()
        for seed in range(6):
            rng, level = random.Random(seed), drawn_level(seed)
            first, now, done = bytes_of(level), level, []
            for _ in range(14):
                edit = chance(rng, now)
                try:
                    after, back = edit.apply(now), edit.inverse(now)
                except Refused as error:
                    self.assertGreater(len(str(error)), 12)
                    continue
                self.assertEqual(bytes_of(back.apply(after)), bytes_of(now), edit.kind)
                kinds.add(edit.kind)
                done.append((edit, back))
                now = after
            last = bytes_of(now)
            self.assertEqual(bytes_of(thicket.edit(level, written([e for e, _ in done]))), last)
            undo = written([back for _, back in reversed(done)])
            redo = []
            before = thicket.edit(now, undo, redo)
            self.assertEqual(bytes_of(before), first)
            self.assertEqual(bytes_of(thicket.edit(before, redo)), last, "and done again")
        self.assertGreater(len(kinds), 14)

    def test_taking_one_back_leaves_what_others_did_on_the_same_ground(self):
        level, rng = drawn_level(1), random.Random(3)
        mine, theirs = paint(rng, 1), paint(rng, 1)
        theirs = Paint(cell=1.0, parts=(theirs.parts[0].model_copy(update={"box": mine.parts[0].box}),))
        both = thicket.edit(level, [mine, theirs])
        alone = theirs.apply(level)
        self.assertEqual(bytes_of(mine.inverse(level).apply(both)), bytes_of(alone))
        for first, second in (
            (ChangeSettings(put={1: {"fullness": 0.1}}), ChangeSettings(put={1: {"gap": 2}})),
            (ChangePins(put={1: {7: None}}), ChangePins(put={1: {8: a_plant(rng)}})),
            (ChangeShapes(put={7: None}), ChangeShapes(put={20: a_shape(20, 60)})),
            (SetAtmosphere(put={"sun": {"bearing": 3}}), SetAtmosphere(put={"waters": []})),
        ):
            both, back = thicket.edit(level, [first, second]), first.inverse(level)
            self.assertEqual(bytes_of(back.apply(both)), bytes_of(second.apply(level)), first.kind)
        for first, second in (
            (ChangeSettings(put={1: {"gap": 1}}), ChangeSettings(put={1: {"gap": 2}})),
            (ChangePins(put={1: {8: a_plant(rng)}}), ChangePins(put={1: {8: a_plant(rng)}})),
            (ChangeShapes(put={20: a_shape(20, 60)}), ChangeShapes(put={20: a_shape(20, 90)})),
            (SetStand(number=1, seed=1), SetStand(number=1, seed=2)),
        ):
            both = thicket.edit(level, [first, second])
            with self.assertRaisesRegex(Conflict, "has been changed since; undo that first"):
                first.inverse(level).apply(both)

    def test_painting_comes_back_whole_from_coarser_cells_unless_it_was_painted_on(self):
        level, rng = drawn_level(2), random.Random(4)
        coarser = SetTouchCell(cell=4)
        back, there = coarser.inverse(level), coarser.apply(level)
        self.assertEqual(bytes_of(back.apply(there)), bytes_of(level))
        stroke = paint(rng, 1)
        again = back.apply(stroke.apply(there))
        self.assertEqual(again.touch_cell, 1.0)
        self.assertNotEqual(again.touch_of(1).whole_digest, level.touch_of(1).whole_digest)
        stroked, plain = stroke.apply(level).touch_of(1).array, level.touch_of(1).array
        x, z = (v + 10 for v in stroke.parts[0].box[:2])
        self.assertLess(abs(int(again.touch_of(1).array[z, x]) - int(plain[z, x])), 800)
        self.assertFalse(np.array_equal(stroked, plain))

    def test_what_cannot_be_done_is_a_sentence_and_changes_nothing(self):
        level = drawn_level(5)
        locked = SetStand(number=1, locked=True).apply(level)
        self.assertEqual(
            SetStand(number=1, group="Rim").apply(locked).stands[1].group, "Rim", "moves no plant"
        )
        birch = level.stock["birch"]
        whole = {"item": item_file(birch), "mesh": birch.glb, "silhouette": birch.silhouette}
        heights = level.heights.ground.heights
        out_of_stock = {"mix": [{"item": "oak", "weight": 1}]}
        far = a_shape(20, 900)
        for at, edit, words in (
            (level, ChangeSettings(put={1: {"fullness": 3}}), "^fullness: "),
            (level, ChangeSettings(put={1: {"fulness": 0.3}}), "^fulness: "),
            (level, ChangeSettings(put={1: out_of_stock}), "which is not in stock"),
            (level, ChangeSettings(put={77: {}}), "no stand 77"),
            (locked, ChangeSettings(put={1: {"gap": 1}}), "locked: unlock it first"),
            (locked, paint(random.Random(0), 1), "locked: unlock it first"),
            (locked, RemoveStand(number=1), "locked: unlock it first"),
            (level, ChangePins(put={9: {7: None}}), "is a sward"),
            (level, ChangePins(put={1: {7: a_plant(random.Random(1), "oak")}}), "no stock item 'oak'"),
            (level, ChangeShapes(put={20: far}), "lies outside the level"),
            (level, ChangeShapes(put={21: None}), "no shape 21"),
            (level, SetHeights(heights=heights[:4], cell=1), "needs at least"),
            (level, SetHeights(heights=heights * np.float32(np.nan), cell=1), "no altitudes"),
            (level, SetLayers(names=("turf",), weights=np.zeros((3, 3, 1), np.uint8)), "256 × 256 cells"),
            (level, SetTouchCell(cell=0.01), "touch cell measures"),
            (level, TakeItem(**whole), "has Birch already"),
            (level, LeaveItem(slug="birch"), "exchange it there first"),
            (
                level,
                VersionItem(**whole | {"item": item_file(birch).model_copy(update={"slug": "x"})}),
                "'x'",
            ),
            (level, GoBack(name="Never"), "no snapshot 'Never'"),
            (level, ChangeWalks(put={"Never": None}), "no walk 'Never'"),
        ):
            with self.subTest(words), self.assertRaisesRegex(Refused, words):
                edit.apply(at)

    def test_a_step_names_the_sheets_that_changed_and_what_came_and_went(self):
        level = thicket.plant(drawn_level(6))
        state(level)
        slug = level.level.singles[0].slug
        stroke = Stroke("thin", [(60, 60), (90, 70)], 20, 0, 1)
        edits = [
            painted(level, slug, stroke),
            tuned(level, slug, {"fullness": 0.1}),
            level.after(ChangeShapes(put={20: a_shape(20, 60)})).after,
            level.after(RemoveStand(number=level.level.singles[-1].number)).after,
            level.after(ChangePins(put={level[slug].stand.number: {9: a_plant(random.Random(2))}})).after,
        ]
        for after in edits:
            step = Step(level, after, None)
            anew = thicket.plant(after.level)
            for number in level.stands:
                was, now = (
                    {s: of.planting(number).plants(s) for s in of.planting(number).sheets_in(box)}
                    if number in of.stands
                    else {}
                    for of in (level, anew)
                    for box in [level.planting(number).everywhere]
                )
                changed = {
                    s
                    for s in was.keys() | now.keys()
                    if [None if p is None else (p.id.tobytes(), p.form.tobytes()) for p in [was.get(s)]]
                    != [None if p is None else (p.id.tobytes(), p.form.tobytes()) for p in [now.get(s)]]
                }
                self.assertLessEqual(changed, set(step.sheets.get(number, [])))
                if level.stands[number].sward:
                    continue
                ids = [{i for p in of.values() for i in p.id.tolist()} for of in (was, now)]
                self.assertEqual(
                    step.counts.get(number, (0, 0)), (len(ids[1] - ids[0]), len(ids[0] - ids[1]))
                )
        self.assertEqual(level.after(SetDrawing(put={"fades": 2})).sheets, {}, "it moves no plant")
        first = level.after(ChangeSettings(put={1: {"gap": 1}}))
        later = first.after.after(ChangeSettings(put={1: {"gap": 2}}))
        other = first.after.after(ChangeSettings(put={1: {"fullness": 0.5}}))
        self.assertEqual((later.blocked([first.inverse]), other.blocked([first.inverse])), ([0], []))

    def test_a_stand_that_was_unlocked_may_be_painted(self):
        level = thicket.plant(drawn_level(3))
        state(level)
        locked = level.after(SetStand(number=1, locked=True)).after
        self.assertTrue(locked.planting(1).stand.locked)
        unlocked = locked.after(SetStand(number=1, locked=False)).after
        self.assertFalse(unlocked.planting(1).stand.locked)
        self.assertEqual(state(unlocked), state(level))

    def test_a_shell_applies_edits_and_takes_them_back(self):
        level, rng = drawn_level(4), random.Random(1)
        thicket.save_level(level, self.folder)
        first = bytes_of(thicket.open_level(self.folder))
        there, back, place = (self.folder.parent / name for name in ("there", "back", "edits"))
        write_edits([paint(rng, 1), ChangeSettings(put={2: {"fullness": 0.2}})], place / "one.json")
        write_edits([ChangeShapes(put={7: None})], place / "two.json")
        undo = place / "undo.json"
        code, out, _ = self.ask(
            "edit", self.folder, place / "one.json", place / "two.json", "--out", there, "--undo", undo,
            "--journal",
        )  # fmt: skip
        self.assertEqual((code, out), (0, f"{there}\t3 edits\n"))
        self.assertEqual(len(read_edits(there / "journal" / "edits.json")), 3)
        self.assertEqual(self.ask("edit", there, undo, "--out", back)[0], 0)
        self.assertEqual(bytes_of(thicket.open_level(back)), first)
        self.assertEqual(self.ask("edit", there, place / "two.json", "--out", back)[0], 2, "no such shape")
        for name, text, words in (
            ("no.json", "{", "no.json: it cannot be read"),
            ("kind.json", '{"kind": "explode"}', "kind.json: .*explode"),
            ("lost.json", (place / "one.json").read_text().replace('"values"', '"value"'), "values"),
        ):
            (place / name).write_text(text)
            code, _, said = self.ask("edit", self.folder, place / name, "--out", back)
            self.assertEqual(code, 2)
            self.assertRegex(said, words)
        self.assertEqual(bytes_of(thicket.open_level(back)), first, "nothing was written over it")

    def test_a_shell_lists_every_kind(self):
        code, out, _ = self.ask("edits")
        *kinds, shared = [json.loads(line) for line in out.splitlines()]
        self.assertEqual((code, {k["kind"] for k in kinds}), (0, set(examples())))
        self.assertEqual(
            {k["schema"]["properties"]["kind"]["const"] for k in kinds}, {k["example"]["kind"] for k in kinds}
        )
        self.assertIn("StandSettings", shared["$defs"])


class Names(SimpleTestCase):
    def test_every_kind_has_an_example(self):
        from thicket.document.edits.files import schemas

        self.assertEqual(schemas()["discriminator"]["mapping"].keys(), examples().keys())
