"""The hand on the stage: every verb with the real pointer, single plants selected and moved, two people on one level."""

from playwright.sync_api import expect

from server.journal.actions import undo_entry
from server.accounts.models import OwnKeys
from server.journal.models import Entry
from server.levels.models import Level
from server.levels.scene import scene_of
from server.pins.models import Pin
from server.stands.models import Stand
from server.stands.touch import touch_of
from tests.browser.base import BrowserCase
from thicket.planting.density import TOUCH_UNIT


class Hand(BrowserCase):
    def planting(self, slug="birch"):
        level = Level.objects.get(slug="hobbin-delph")
        return scene_of(level).planting(level.stands.get(slug=slug))

    def touch(self, slug="birch"):
        stand = Stand.objects.get(slug=slug)
        return touch_of(stand).array

    def says(self, page, text):
        expect(page.locator("[data-test=difference]")).to_contain_text(text)

    def at(self, page, share):
        box = page.locator("[data-test=plan]").bounding_box()
        return box["x"] + share[0] * box["width"], box["y"] + share[1] * box["height"]

    def take_all_back(self):
        """Undo on the server all that a test has done, newest first."""
        level = Level.objects.get(slug="hobbin-delph")
        for entry in Entry.objects.filter(undone=False):
            undo_entry(level, entry.pk)

    def tearDown(self):
        self.take_all_back()
        super().tearDown()

    def test_level_straight_limited_and_filled(self):
        page = self.page_of("north")
        self.open_level(page)
        before = self.touch().copy()
        page.keyboard.press("j")
        page.fill("[data-test=brush-radius]", "40")
        page.fill("[data-test=brush-soft]", "0")
        page.fill("[data-test=brush-strength]", "1")
        page.fill("[data-test=brush-toward]", "-1")
        page.mouse.click(*self.at(page, (0.6, 0.7)))
        self.says(page, "Levelled Birch")
        fresh = before != -TOUCH_UNIT
        once = int((fresh & (self.touch() == -TOUCH_UNIT)).sum())
        page.keyboard.down("Shift")
        page.mouse.click(*self.at(page, (0.72, 0.72)))
        page.keyboard.up("Shift")
        for _ in range(60):
            page.wait_for_timeout(100)
            if Entry.objects.count() == 2:
                break
        page.wait_for_timeout(800)
        self.assertGreater(int((fresh & (self.touch() == -TOUCH_UNIT)).sum()), 1.3 * once)
        page.click("[data-test=brush-more]")
        page.check("[data-test=scope-stratum]")
        page.click("[data-test=fill-level]")
        self.says(page, "everywhere")
        self.assertTrue((self.touch() == -TOUCH_UNIT).all())
        left = Pin.objects.filter(stand__slug="birch", gone=False).count()
        expect(page.locator("[data-test=count-birch]")).to_have_text(str(left))
        self.take_all_back()
        self.assertTrue((self.touch() == before).all())

    def test_set_uproot_and_lift(self):
        page = self.page_of("north")
        self.open_level(page)
        pins = Pin.objects.count()
        spot = self.at(page, (0.66, 0.8))
        page.keyboard.press("d")
        page.mouse.move(*spot)
        page.wait_for_timeout(900)
        page.mouse.wheel(0, 120)
        page.mouse.down()
        page.mouse.up()
        self.says(page, "1 set by hand")
        self.assertEqual(Pin.objects.count(), pins + 1)
        page.wait_for_timeout(600)
        page.keyboard.press("i")
        page.mouse.move(*spot)
        page.mouse.down()
        expect(page.locator("[data-test=lift-list]")).to_contain_text("Birch")
        page.mouse.up()
        page.click("[data-test=lift-list] button")
        expect(page.locator("[data-test=lift-list]")).to_have_count(0)
        page.keyboard.press("q")
        page.fill("[data-test=brush-radius]", "25")
        page.mouse.move(spot[0] + 1, spot[1])
        expect(page.locator("[data-test=brush-bar]")).to_contain_text("would go")
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
        self.assertGreater(many, 5)
        page.check("[data-test=selection-push]")
        page.fill("[data-test=selection-turn]", "90")
        page.press("[data-test=selection-turn]", "Enter")
        self.says(page, f"{many} changed by hand")
        self.assertGreaterEqual(Pin.objects.count(), many)
        page.locator("[data-test=selection-turn]").blur()
        page.keyboard.press("Delete")
        self.says(page, f"{many} removed by hand")
        expect(panel).to_have_count(0)
        self.take_all_back()
        self.assertEqual(Pin.objects.count(), pins)

    def test_a_key_is_changed_and_the_journal_takes_back(self):
        page = self.page_of("north")
        self.open_level(page)
        page.keyboard.press("?")
        page.click("[data-test=key-thin]")
        page.keyboard.press("t")
        expect(page.locator("[data-test=keys-trouble]")).to_contain_text("taken by: Thicken")
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
        expect(row.locator("button")).to_have_text("do again")
        entry.refresh_from_db()
        self.assertTrue(entry.undone)
        self.assertEqual(OwnKeys.objects.get().keys, {"thin": "f"})
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
            page.fill("[data-test=brush-radius]", "40")
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
            page.fill("[data-test=fullness]", value)
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
