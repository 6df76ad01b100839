"""Nothing that was painted is lost: to an expired sign-in, a dead server, a crashed tab; and what is refused
is said."""

import io
import time

import numpy as np
import trimesh
from django.contrib.sessions.models import Session
from PIL import Image
from playwright.sync_api import expect

from demo.level import PASSWORD
from server.journal.models import Entry
from server.levels.models import Level
from server.stands.models import Stand
from tests.browser.base import BrowserCase

STORED = """count => new Promise(done => { indexedDB.open('keyval-store').onsuccess = ({ target }) => {
  const all = target.result.transaction('keyval').objectStore('keyval').getAll()
  all.onsuccess = () => { target.result.close(); done(all.result.flat().length === count) }
} })"""
"""Whether so many strokes are written down in the browser."""


class Lost(BrowserCase):
    def thin(self, page, x):
        self.drag(page, "plan", (x, 0.72), (12, 0))

    def painter(self):
        page = self.page_of("north", 820, 520)
        self.open_level(page)
        page.click("[data-test=thin]")
        return page

    def order(self):
        return [e.change["edit"]["parts"][0]["box"][0] for e in Entry.objects.order_by("pk")]

    def test_a_sign_in_that_ends_costs_nothing(self):
        page = self.painter()
        self.thin(page, 0.5)
        expect(page.locator("[data-test=difference]")).to_contain_text("Thinned Birch")
        Session.objects.all().delete()
        page.wait_for_selector("[data-test=sign-in-again]")
        self.fill(page, "password-again", "wrong")
        page.click("[data-test=go-on]")
        expect(page.locator("[data-test=sign-in-again]")).to_contain_text("do not belong together")
        self.fill(page, "password-again", PASSWORD)
        page.click("[data-test=go-on]")
        page.wait_for_selector("[data-test=sign-in-again]", state="detached")
        self.signed_in.clear()
        self.thin(page, 0.6)
        page.wait_for_function("() => !document.querySelector('[data-test=undo]').disabled")
        self.eventually(lambda: Entry.objects.count() == 2)

    def eventually(self, true, seconds=20):
        for _ in range(seconds * 10):
            if true():
                return
            time.sleep(0.1)
        self.fail("it did not come about")

    def test_strokes_outlive_a_crashed_tab_and_come_in_order(self):
        page = self.painter()
        self.server.kill()
        for x in (0.45, 0.55, 0.65):
            self.thin(page, x)
        expect(page.locator("[data-test=message]")).to_contain_text("3 strokes wait")
        context = page.context
        page.wait_for_function(STORED, arg=3)
        page.close()
        self.server.start()
        page = context.new_page()
        self.open_level(page)
        self.eventually(lambda: Entry.objects.count() == 3)
        self.assertEqual(self.order(), sorted(self.order()))
        page.reload()
        with page.expect_response("**/beat"):
            page.wait_for_selector("[data-test=bookmarks]")
        self.settled(page)
        self.assertEqual(Entry.objects.count(), 3)

    def test_only_a_refusal_drops_a_stroke_and_says_why(self):
        page = self.painter()
        stand = Stand.objects.get(slug="birch")
        self.addCleanup(lambda: Stand.objects.filter(pk=stand.pk).update(locked=False))
        self.server.kill()
        self.thin(page, 0.5)
        expect(page.locator("[data-test=message]")).to_contain_text("1 stroke waits")
        stand.locked = True
        stand.save()
        self.server.start()
        expect(page.locator("[data-test=message]")).to_contain_text("Birch is locked: unlock it first.")
        self.assertEqual(Entry.objects.count(), 0)


class AllHeights(BrowserCase):
    """Each kind of heights that the guide promises comes in through the browser."""

    def test_every_kind_of_heights_comes_in(self):
        z, x = np.mgrid[0:40, 0:40].astype(float)
        hills = (100 + 5 * np.sin(x / 6) + 3 * np.cos(z / 5)).astype(np.float32)
        steps = np.rint((hills - 90) / 20 * 65535).astype(np.uint16)
        corner = np.arange(1600).reshape(40, 40)
        faces = np.concatenate(
            [
                np.stack([corner[:-1, :-1], corner[1:, :-1], corner[:-1, 1:]], -1).reshape(-1, 3),
                np.stack([corner[:-1, 1:], corner[1:, :-1], corner[1:, 1:]], -1).reshape(-1, 3),
            ]
        )
        mesh = trimesh.Trimesh(np.stack([x, hills, z], -1).reshape(-1, 3), faces, process=False)
        out, table = io.BytesIO(), io.BytesIO()
        Image.fromarray(steps).save(out, "PNG")
        np.save(table, hills)
        files = {
            "a.png": out.getvalue(),
            "c.npy": table.getvalue(),
            "d.r16": steps.astype("<u2").tobytes(),
            "g.gltf": self.gltf(mesh),
        }
        page = self.page_of("lead", 1100, 700)
        page.goto(f"{self.server.address}/levels")
        page.click("[data-test=new-level]")
        self.fill(page, "import-name", "Brought in")
        for name, data in files.items():
            self.field(page, "import-file").set_input_files({"name": name, "mimeType": "", "buffer": data})
            page.wait_for_selector("[data-test=import-numbers]")
            for field, value in (("cell", "1"), ("low", "90"), ("high", "110")):
                box = page.locator(f"[data-test=import-{field}] input")
                if box.count() and (field == "cell" or not box.input_value()):
                    box.fill(value)
                    box.press("Enter")
            expect(page.locator("[data-test=import-numbers]")).to_contain_text("40 × 40")
            expect(page.locator("[data-test=import-keep]")).to_be_enabled()
        page.click("[data-test=import-keep]")
        page.wait_for_url("**/levels/brought-in/ground")
        level = Level.objects.get(slug="brought-in")
        self.addCleanup(level.delete)
        self.assertEqual((level.rows, level.columns, level.cell), (39, 39, 1.0))

    def gltf(self, mesh) -> bytes:
        from tests.core.test_bounds import gltf

        return gltf([{"mesh": 0}], mesh.vertices, mesh.faces)
