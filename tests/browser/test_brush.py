"""The hand on the stage: every verb with the real pointer, single plants selected and moved, two people on
one level."""

import re
import time

import numpy as np
from django.contrib.auth.models import User
from playwright.sync_api import expect

from server.accounts.models import Profile
from server.document.planted import planted_of
from server.journal.models import Entry
from server.journal.undoing import move_entry
from server.levels.models import Level
from server.pins.models import Pin
from server.stands.models import SavedMix, Stand
from tests.browser.base import BrowserCase
from tests.fixtures import stored_touch
from thicket.planting.density import TOUCH_UNIT


class Hand(BrowserCase):
    def planting(self, slug="birch"):
        level = Level.objects.get(slug="hobbin-delph")
        return planted_of(level).planting(level.stands.get(slug=slug).number)

    def touch(self, slug="birch"):
        stand = Stand.objects.get(slug=slug)
        return stored_touch(stand)

    def says(self, page, text):
        expect(page.locator("[data-test=difference]")).to_contain_text(text)

    def at(self, page, share):
        box = page.locator("[data-test=plan]").bounding_box()
        return box["x"] + share[0] * box["width"], box["y"] + share[1] * box["height"]

    def kept(self, page, entries):
        """Wait until a page has kept so many actions, and shows them."""
        for _ in range(100):
            if Entry.objects.count() >= entries:
                break
            time.sleep(0.1)
        self.settled(page)

    def take_all_back(self):
        """Undo on the server all that a test has done, newest first."""
        level = Level.objects.get(slug="hobbin-delph")
        for entry in Entry.objects.filter(undone=False):
            move_entry(entry.user, level, entry.pk, back=True)

    def tearDown(self):
        Profile.objects.all().delete()
        self.take_all_back()
        super().tearDown()

    def test_level_straight_limited_and_filled(self):
        page = self.page_of("north")
        self.open_level(page)
        before = self.touch().copy()
        page.keyboard.press("j")
        self.fill(page, "brush-radius", "40")
        self.fill(page, "brush-soft", "0")
        self.fill(page, "brush-strength", "100")
        self.fill(page, "brush-toward", "-100")
        page.mouse.click(*self.at(page, (0.6, 0.7)))
        self.says(page, "Evened Birch")
        fresh = before != -TOUCH_UNIT
        once = int((fresh & (self.touch() == -TOUCH_UNIT)).sum())
        page.keyboard.down("Shift")
        page.mouse.click(*self.at(page, (0.72, 0.72)))
        page.keyboard.up("Shift")
        self.kept(page, 2)
        self.assertGreater(int((fresh & (self.touch() == -TOUCH_UNIT)).sum()), 1.3 * once)
        page.click("[data-test=brush-more]")
        self.field(page, "scope-stratum").check()
        page.click("[data-test=fill-level]")
        self.says(page, "everywhere")
        self.assertTrue((self.touch() == -TOUCH_UNIT).all())
        left = Pin.objects.filter(stand__slug="birch", gone=False).count()
        expect(page.locator("[data-test=count-birch]")).to_have_text(str(left))
        self.take_all_back()
        self.assertTrue((self.touch() == before).all())

    def test_a_stroke_is_one_request_and_those_for_what_is_drawn(self):
        page = self.page_of("north")
        self.open_level(page)
        level = Level.objects.get(slug="hobbin-delph")
        top = planted_of(level).level.in_order[0]
        self.assertGreaterEqual(len(planted_of(level).stands), 5)
        page.click(f"[data-test=stand-{top.slug}]")
        page.keyboard.press("j")
        self.settled(page)
        asked = []
        page.on("request", lambda r: asked.append((r.method, r.url.split("/hobbin-delph/")[-1])))
        page.mouse.click(*self.at(page, (0.5, 0.5)))
        self.says(page, f"Evened {top.name}")
        self.settled(page)
        drawn = re.compile(r"stands/\d+/(plants/.*|sheets/.*|field/density|cover/.*)$")
        after = asked[asked.index(("POST", "strokes")) + 1 :]
        others = [(method, path) for method, path in after if path != "beat" and not drawn.search(path)]
        self.assertEqual(others, [])

    def test_a_pen_works_as_hard_as_it_is_pressed(self):
        page = self.page_of("north")
        self.open_level(page)
        before = self.touch().astype(int)
        page.keyboard.press("t")
        self.fill(page, "brush-soft", "0")
        self.fill(page, "brush-strength", "100")
        self.fill(page, "brush-radius", "30")
        pen = page.context.new_cdp_session(page)
        x, y = self.at(page, (0.6, 0.75))
        for kind, along in (
            ("mousePressed", 0),
            ("mouseMoved", 12),
            ("mouseMoved", 24),
            ("mouseReleased", 24),
        ):
            force = 0 if kind == "mouseReleased" else 0.25
            pen.send(
                "Input.dispatchMouseEvent",
                {
                    "type": kind,
                    "x": x + along,
                    "y": y,
                    "button": "left",
                    "buttons": 1,
                    "clickCount": 1,
                    "pointerType": "pen",
                    "force": force,
                },
            )
        self.says(page, "Thickened Birch")
        worked = self.touch().astype(int) - before
        self.assertGreater((worked > 0).sum(), 300)
        self.assertAlmostEqual(int(worked.max()), 0.25 * TOUCH_UNIT, delta=2)

    def test_ease_the_other_way_sized_by_drag_and_again_elsewhere(self):
        page = self.page_of("north")
        self.open_level(page)
        page.keyboard.press("t")
        self.fill(page, "brush-soft", "0")
        self.fill(page, "brush-strength", "100")
        self.fill(page, "brush-radius", "30")
        page.keyboard.down("Alt")
        self.drag(page, "plan", (0.6, 0.75), (20, 0))
        page.keyboard.up("Alt")
        self.says(page, "Thinned Birch")
        hard = self.touch().astype(int)
        edge = np.abs(np.diff(hard, axis=1)).max()
        page.keyboard.press("e")
        self.drag(page, "plan", (0.6, 0.75), (25, 0))
        self.says(page, "Eased Birch")
        eased = self.touch().astype(int)
        self.assertTrue((eased != hard).any() and np.abs(np.diff(eased, axis=1)).max() <= edge)
        self.assertLess(np.square(np.diff(eased, axis=1)).sum(), np.square(np.diff(hard, axis=1)).sum())
        page.keyboard.down("Control")
        self.drag(page, "plan", (0.6, 0.75), (40, 30))
        page.keyboard.up("Control")
        self.assertGreater(float(self.field(page, "brush-radius").input_value()), 40)
        self.assertLess(float(self.field(page, "brush-strength").input_value()), 100)
        self.assertEqual(Entry.objects.count(), 2)
        page.mouse.move(*self.at(page, (0.3, 0.8)))
        page.keyboard.press("g")
        self.kept(page, 3)
        self.assertEqual([e.what for e in Entry.objects.all()[:2]], ["Eased Birch"] * 2)
        page.click("[data-test=stand-moss]")
        page.keyboard.press("w")
        expect(page.locator("[data-test=stand-birch]")).to_have_attribute("aria-pressed", "true")
        self.take_all_back()
        page.keyboard.press("Escape")

    def test_the_eye_sees_as_it_is_told(self):
        page = self.page_of("north", 820, 520, "eye")
        self.open_level(page)
        place = page.locator("[data-test=eye-place]")
        before = place.inner_text()
        page.keyboard.down("Shift")
        self.drag(page, "eye", (0.5, 0.7), (60, 10))
        page.keyboard.up("Shift")
        expect(place).not_to_have_text(before)
        high = float(place.inner_text().split("south, ")[1].split(" m")[0])
        self.assertGreater(high, 0.5)
        page.keyboard.press("z")
        expect(place).to_contain_text("1.7 m above the ground")
        here = place.inner_text()
        page.keyboard.down("ArrowUp")
        expect(place).not_to_have_text(here)
        page.keyboard.up("ArrowUp")
        expect(place).to_contain_text("1.7 m above the ground")
        page.keyboard.press("z")
        for key, test in (("m", "everything"), ("l", "shadows")):
            switch = self.field(page, test)
            was = switch.is_checked()
            page.keyboard.press(key)
            expect(switch).to_be_checked(checked=not was)
            page.keyboard.press(key)
        page.click("[data-test=display]")
        self.field(page, "alone").check()
        page.keyboard.press("Escape")
        for kind in ("density", "touch", "suitability"):
            with page.expect_response(lambda r, k=kind: r.url.endswith(f"/{k}") and r.ok):
                self.choose(page, "overlay-kind", kind)
            with page.expect_response(lambda r, k=kind: r.url.endswith(f"/{k}") and r.ok):
                page.click("[data-test=overlay-as]")
        page.click("[data-test=display]")
        page.click("[data-test=wind]")
        self.field(page, "wind-blows").check()
        self.fill(page, "wind-speed", "9")
        self.field(page, "wind-speed").press("Enter")
        page.click("[data-test=wind-keep]")
        self.says(page, "Wind")
        self.assertEqual(Level.objects.get().wind["speed"], 9)
        self.field(page, "wind-blows").uncheck()
        page.keyboard.press("Escape")
        page.click("[data-test=bookmarks]")
        self.fill(page, "view-name", "Over the pit")
        page.click("[data-test=view-keep]")
        expect(page.locator(".v-overlay--active").get_by_text("Over the pit", exact=True)).to_be_visible()
        self.assertTrue(Level.objects.get().bookmarks[-1]["picture"].startswith("data:image/jpeg;base64,"))
        self.take_all_back()
        self.assertNotIn("Over the pit", [b["name"] for b in Level.objects.get().bookmarks])

    def test_set_uproot_and_lift(self):
        page = self.page_of("north")
        self.open_level(page)
        pins = Pin.objects.count()
        spot = self.at(page, (0.66, 0.8))
        page.keyboard.press("d")
        page.mouse.move(*spot)
        self.settled(page)
        page.mouse.wheel(0, 120)
        page.mouse.down()
        page.mouse.up()
        self.says(page, "1 set by hand")
        self.assertEqual(Pin.objects.count(), pins + 1)
        self.settled(page)
        page.keyboard.press("i")
        page.mouse.move(*spot)
        page.mouse.down()
        expect(page.locator("[data-test=lift-list]")).to_contain_text("Birch")
        page.mouse.up()
        page.click("[data-test=lift-list] .v-list-item")
        expect(page.locator("[data-test=lift-list]")).to_have_count(0)
        page.keyboard.press("q")
        self.fill(page, "brush-radius", "25")
        self.settled(page)
        page.mouse.move(spot[0] + 1, spot[1])
        expect(page.locator("[data-test=brush-on]")).to_contain_text("would go")
        page.mouse.down()
        page.mouse.up()
        self.says(page, "uprooted: Birch")
        self.assertTrue(Entry.objects.first().lost > 0)
        self.take_all_back()
        self.assertEqual(Pin.objects.count(), pins)

    def test_many_plants_are_selected_moved_removed_and_brought_back(self):
        page = self.page_of("north")
        self.open_level(page)
        pins = Pin.objects.count()
        page.keyboard.press("x")
        self.drag(page, "plan", (0.62, 0.6), (60, 50))
        panel = page.locator("[data-test=selection]")
        expect(panel).to_contain_text("plants of Birch")
        many = int(panel.locator("h2").inner_text().split()[0])
        self.assertGreaterEqual(many, 50, "so many are tried before they go")
        self.field(page, "selection-push").check()
        self.fill(page, "selection-turn", "90")
        self.field(page, "selection-turn").press("Enter")
        self.says(page, f"{many} changed by hand")
        self.assertGreaterEqual(Pin.objects.count(), many)
        self.field(page, "selection-turn").blur()
        page.keyboard.press("Delete")
        expect(page.locator("[data-test=trial]")).to_contain_text(f"Remove {many} plants")
        expect(page.locator("[data-test=trial-keep]")).to_be_focused()
        page.keyboard.press("Enter")
        self.says(page, f"{many} removed by hand")
        expect(panel).to_have_count(0)
        self.take_all_back()
        self.assertEqual(Pin.objects.count(), pins)

    def test_so_many_are_scattered_inside_a_box_tried_first(self):
        page = self.page_of("north")
        self.open_level(page)
        pins = Pin.objects.count()
        page.keyboard.press("x")
        self.field(page, "select-scatter").check()
        self.fill(page, "scatter-count", "900")
        self.drag(page, "plan", (0.62, 0.6), (60, 50))
        expect(page.locator("[data-test=brush-bar] [role=alert]")).to_contain_text("of 900 have room there")
        self.fill(page, "scatter-count", "12")
        self.drag(page, "plan", (0.62, 0.6), (60, 50))
        expect(page.locator("[data-test=trial]")).to_contain_text("Scatter 12 of Birch")
        self.assertEqual(Pin.objects.count(), pins)
        expect(page.locator("[data-test=trial-keep]")).to_be_focused()
        page.keyboard.press("Enter")
        self.says(page, "Birch: 12 scattered by hand")
        self.assertEqual(Pin.objects.count(), pins + 12)
        self.field(page, "select-scatter").uncheck()
        self.take_all_back()
        self.assertEqual(Pin.objects.count(), pins)

    def test_rows_of_a_list_select_plants_and_plants_are_found_in_it(self):
        page = self.page_of("north")
        self.open_level(page)
        page.click("[data-test=part-plant-list]")
        total = page.locator("[data-test=list-total]")
        count = self.planting().count()
        expect(total).to_contain_text(re.compile(rf"^{count:,} plants".replace(",", r"\s")))
        page.click("[data-test=sort-height]")
        first = page.locator("[data-test=list-row-0]")
        tallest = float(self.planting().plants_in(self.planting().everywhere).form[:, 8].max())
        expect(first).to_contain_text(re.compile(r"\d"))
        tall = float(first.locator(".number").first.inner_text())
        self.assertGreater(tall, tallest, "m, of a mesh that is taller than 1 m")
        first.click()
        expect(page.locator("[data-test=selection] h2")).to_have_text("1 plant of Birch")
        expect(first).to_have_class(re.compile(r"\bon\b"))
        page.locator("[data-test=list-row-3]").click(modifiers=["Shift"])
        expect(page.locator("[data-test=selection] h2")).to_have_text("4 plants of Birch")
        self.choose(page, "list-grouped", "by drawing cell")
        cell = page.locator("[data-test=list-groups] .v-list-item").first
        many = re.sub(r"\s", "", cell.locator(".number").inner_text()).split(",")[0]
        cell.click()
        expect(total).to_contain_text(f"{many} plant")
        cell.click()
        self.choose(page, "list-grouped", "not at all")
        page.keyboard.press("x")
        page.keyboard.press("Escape")
        expect(page.locator("[data-test=selection]")).to_have_count(0)
        page.mouse.click(*self.at(page, (0.65, 0.64)))
        expect(page.locator("[data-test=selection] h2")).to_have_text("1 plant of Birch")
        expect(page.locator("[data-test=plant-list] .line.on")).to_have_count(1)
        page.click("[data-test=part-plant-list]")

    def test_a_kept_mix_is_piled_up_and_the_pile_moved_by_its_handles(self):
        page = self.page_of("north", views="eye")
        self.open_level(page)
        pins = Pin.objects.count()
        mix = [
            {"item": item, "weight": 1, "footprint": 1, "mark": ""} for item in ("slate-block", "slate-slab")
        ]
        kept = SavedMix.objects.create(name="Dry stone", by=User.objects.get(username="north"), mix=mix)
        self.addCleanup(kept.delete)
        page.keyboard.press("x")
        self.field(page, "select-scatter").check()
        self.field(page, "scatter-pile").check()
        self.fill(page, "scatter-count", "8")
        page.click("[data-test=brush-mix]")
        page.click(f"[data-test=brush-mix-{kept.pk}]")
        items = [entry["item"] for entry in mix]
        off = self.field(page, f"brush-mix-item-{items[0]}")
        off.uncheck()
        page.keyboard.press("Escape")
        expect(page.locator("[data-test=brush-mix]")).to_have_attribute("aria-pressed", "true")
        self.drag(page, "eye", (0.45, 0.72), (60, 30))
        expect(page.locator("[data-test=trial]")).to_contain_text("Pile up 8 of Birch")
        self.assertEqual(Pin.objects.count(), pins)
        page.click("[data-test=trial-keep]")
        self.says(page, "Birch: 8 piled up")
        mine = Pin.objects.order_by("-pk")[:8]
        self.assertNotIn(items[0], {pin.item for pin in mine}, "what is switched off is not drawn")
        page.click("[data-test=select-pins]")
        expect(page.locator("[data-test=selection] h2")).to_contain_text("of Birch")
        before = {pin.plant: pin.lift for pin in Pin.objects.filter(pk__in=[p.pk for p in mine])}
        self.field(page, "selection-push").check()
        handle = page.locator("[data-test=selection-move-up]")
        box = handle.bounding_box()
        at = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        page.mouse.move(*at)
        page.mouse.down()
        page.mouse.move(at[0], at[1] - 20, steps=4)
        expect(page.locator("[data-test=selection-by]")).to_contain_text("m up")
        page.mouse.up()
        self.says(page, "changed by hand")
        after = {pin.plant: pin.lift for pin in Pin.objects.filter(plant__in=before)}
        risen = {round(after[plant] - lift, 2) for plant, lift in before.items()}
        self.assertEqual(len(risen), 1, "all by as much")
        self.assertGreater(min(risen), 0)
        self.field(page, "select-scatter").uncheck()
        self.take_all_back()
        self.assertEqual(Pin.objects.count(), pins)

    def test_a_key_is_changed_and_the_journal_takes_back(self):
        page = self.page_of("north")
        self.open_level(page)
        page.keyboard.press("?")
        page.click("[data-test=key-thin]")
        page.keyboard.press("t")
        expect(page.locator("[data-test=keys-trouble]")).to_contain_text("taken by: Thicken")
        with page.expect_response(lambda answer: answer.url.endswith("/session/keys")):
            page.keyboard.press("f")
        page.keyboard.press("Escape")
        expect(page.locator("[data-test=keys]")).to_have_count(0)
        page.reload()
        page.wait_for_selector("[data-test=bookmarks]")
        page.keyboard.press("f")
        self.drag(page, "plan", (0.7, 0.7), (30, 0))
        self.says(page, "Thinned Birch")
        page.click("[data-test=open-journal]")
        entry = Entry.objects.get()
        row = page.locator(f"[data-test=entry-{entry.pk}]")
        expect(row).to_contain_text("north")
        row.locator("button").click()
        expect(row.locator("button")).to_have_attribute("aria-label", re.compile("Do again"))
        entry.refresh_from_db()
        self.assertTrue(entry.undone)
        self.assertEqual(Profile.objects.get().keys, {"thin": "f"})
        page.keyboard.press("Escape")
        page.keyboard.press("?")
        page.click("[data-test=keys-reset]")
        expect(page.locator("[data-test=key-thin]")).to_have_text("N")

    def test_they_see_each_other_and_lose_nothing(self):
        north, south = self.page_of("north", 820, 520), self.page_of("south", 820, 520)
        for page in (north, south):
            self.open_level(page)
        expect(north.locator("[data-test=person-south]")).to_be_attached()
        expect(south.locator("[data-test=person-north]")).to_be_attached()
        before = self.planting().count()
        for page in (north, south):
            page.click("[data-test=thin]")
            self.fill(page, "brush-radius", "40")
        self.drag(north, "plan", (0.72, 0.75), (30, 0))
        self.drag(south, "plan", (0.72, 0.78), (30, 0))
        for page in (north, south):
            self.says(page, "Thinned Birch")
        north.keyboard.press("Control+z")
        self.says(north, "Undone: Thinned Birch")
        mine, theirs = Entry.objects.get(user__username="north"), Entry.objects.get(user__username="south")
        self.assertEqual((mine.undone, theirs.undone), (True, False))
        now = self.planting().count()
        self.assertLess(now, before)
        for page in (north, south):
            expect(page.locator("[data-test=count-birch]")).to_have_text(f"{now:,}".replace(",", "\u202f"))
        for page, value in ((north, "30"), (south, "45")):
            page.keyboard.press("Escape")
            self.fill(page, "fullness", value)
        expect(north.locator("[data-test=expected]")).to_be_visible()
        north.click("[data-test=keep]")
        self.says(north, "Birch: fullness")
        south.click("[data-test=keep]")
        expect(south.locator("[data-test=clashes]")).to_contain_text("north made it 0.3, you 0.45")
        south.click("[data-test=keep-mine]")
        self.says(south, "Birch: fullness")
        self.assertEqual(Stand.objects.get(slug="birch").settings["fullness"], 0.45)
        self.take_all_back()
        self.assertEqual(self.planting().count(), before)
