"""A mesh is placed on the screen, a stand grows all round it, goes along when it is moved, and is undone."""

import io
import json
from uuid import uuid4

import numpy as np
from django.core.management import call_command
from playwright.sync_api import expect

from server.document.planted import planted_of
from server.journal.models import Entry
from server.levels.models import Level
from server.stands.models import Stand
from server.steps import note_effect
from server.surfaces.actions import change_surfaces
from server.surfaces.models import Surface
from tests.browser.base import BrowserCase
from thicket.document.surface_settings import MadeMesh, PlacedMesh

COUNT_OF_DRAWN = "JSON.parse(document.querySelector('[data-test=drawn]').dataset.drawn).triangles"
COUNTED = """() => {
  const d = document.querySelector('[data-test=drawn]')?.dataset
  if (!d) return false
  const a = JSON.parse(d.drawn), b = JSON.parse(d.reckoned)
  const alike = k => a[k] === b[k]
  return a.triangles > 1000 && alike('triangles') && alike('draw_calls')
    && alike('shadow_triangles') && alike('shadow_calls')
}"""


class Surfaces(BrowserCase):
    def clear(self):
        """Take what a test has placed off the level, which the others share."""
        Stand.every.filter(settings__on__0__isnull=False).delete()
        Surface.objects.all().delete()
        Entry.objects.all().delete()
        Level.objects.get(slug="hobbin-delph").new_version()

    def test_the_stage_draws_the_meshes_that_are_paid_for(self):
        level = Level.objects.get(slug="hobbin-delph")
        lead = level.memberships.filter(role="lead").first().user
        self.addCleanup(lambda: Surface.objects.all().delete())
        page = self.page_of("lead", views="eye")
        self.open_level(page, "budget")
        page.wait_for_function(COUNTED)
        before = json.loads(page.get_attribute("[data-test=drawn]", "data-drawn"))
        view = level.bookmarks[0]
        way = np.radians(view["heading"])
        at = view["x"] + 40 * np.sin(way), view["y"], view["z"] - 40 * np.cos(way)
        block = MadeMesh(form="block", size=(4, 4, 4), divisions=1)
        for name, place in (("Ahead", at), ("Behind", (2 * view["x"] - at[0], at[1], 2 * view["z"] - at[2]))):
            put = [(None, PlacedMesh(name=name, made=block, at=tuple(map(float, place)), blocks=False))]
            note_effect(change_surfaces(lead, level, uuid4(), name, put, []))
            level.refresh_from_db()
        page.wait_for_function(f"() => ({COUNTED})() && {COUNT_OF_DRAWN} === {before['triangles'] + 12}")

    def test_a_ball_is_placed_grown_over_dragged_and_taken_back(self):
        page = self.page_of("lead", 1120, 640)
        self.open_level(page, "ground")
        self.addCleanup(lambda: Surface.objects.all().delete())
        page.click("[data-test=place-made]")
        page.click("[data-test=made-sphere]")
        for axis, value in enumerate(("500", "400", "520")):
            self.fill(page, f"surface-at-{axis}", value)
        self.fill(page, "surface-size-1", "0")
        self.field(page, "surface-size-1").blur()
        self.assertEqual(self.field(page, "surface-size-1").input_value(), "6")
        self.fill(page, "surface-scale", "2")
        self.fill(page, "surface-name", "Boulder")
        expect(page.locator("[data-test=surface-tried]")).to_contain_text("plants")
        page.click("[data-test=surface-keep]")
        expect(page.locator("[data-test=difference]")).to_contain_text("Placed meshes: Boulder")
        placed = Surface.objects.get()
        self.assertEqual(placed.settings["at"], [500, 400, 520])
        outline = page.locator(f"[data-test=plan-surface-{placed.number}]")
        expect(outline).to_be_visible()

        self.open_level(page)
        page.click("[data-test=new-stand]")
        page.click("[data-test=new-item]")
        page.click("[data-test=pick-moss-cushion]")
        page.click("[data-test=grows-on]")
        page.get_by_role("option", name="Boulder").click()
        page.keyboard.press("Escape")
        self.fill(page, "new-spacing", "0.6")
        self.fill(page, "new-fullness", "100")
        expect(page.locator("[data-test=new-count]")).to_contain_text("plants")
        self.fill(page, "new-name", "Boulder moss")
        page.click("[data-test=new-add]")
        expect(page.locator("[data-test=difference]")).to_contain_text("Boulder moss added")
        grown = self.count(page, "boulder-moss")
        self.assertGreater(grown, 600)

        self.open_level(page, "ground")
        page.click(f"[data-test=surface-row-{placed.number}] button")
        outline.hover()
        box = outline.bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + 40, y + 10, steps=4)
        page.mouse.up()
        page.click("[data-test=surface-keep]")
        expect(page.locator("[data-test=difference]")).to_contain_text("Placed meshes: Boulder")
        moved = Surface.objects.get().settings["at"]
        self.assertGreater(moved[0], 520)
        self.assertEqual((moved[1], self.count(page, "boulder-moss")), (400, grown))

        page.click("[data-test=surface-remove]")
        expect(page.locator("[data-test=surface-trouble]")).to_contain_text("Boulder moss grows on Boulder")
        page.keyboard.press("Control+z")
        expect(page.locator("[data-test=difference]")).to_contain_text("Undone: Placed meshes: Boulder")
        self.assertEqual(Surface.objects.get().settings["at"], [500, 400, 520])
        for words in ("Undone: Boulder moss added", "Undone: Placed meshes: Boulder"):
            page.click("[data-test=undo]")
            expect(page.locator("[data-test=difference]")).to_contain_text(words)
        expect(page.locator("[data-test=surface-list]")).to_contain_text("None yet")
        self.assertEqual(Level.objects.get(slug="hobbin-delph").surfaces.filter(gone=False).count(), 0)

    def test_a_ball_is_painted_all_round_moved_by_its_handle_and_taken_back(self):
        level = Level.objects.get(slug="hobbin-delph")
        lead = level.memberships.filter(role="lead").first().user
        self.addCleanup(self.clear)
        view = level.bookmarks[0]
        way = np.radians(view["heading"])
        at = view["x"] + 14 * np.sin(way), view["y"] - 1, view["z"] - 14 * np.cos(way)
        ball = PlacedMesh(
            name="Ball", made=MadeMesh(form="sphere", size=(8, 8, 8)), at=tuple(map(float, at)), blocks=False
        )
        change_surfaces(lead, level, uuid4(), "Ball", [(None, ball)], [])
        call_command(
            *("new_stand", "hobbin-delph", "moss-cushion", "--stratum=Moss"),
            *("--spacing=0.8", "--fullness=1", "--on", "Ball"),
            stdout=io.StringIO(),
        )
        stand, number = Stand.objects.latest("pk"), Surface.objects.get().number
        slug = stand.slug

        page = self.page_of("lead", 1120, 640, views="eye")
        page.add_init_script("localStorage['kt-radius'] = '3'; localStorage['kt-soft'] = '0'")
        self.open_level(page)
        page.click(f"[data-test=stand-{slug}]")
        before = self.count(page, slug)
        page.click("[data-test=thin]")
        eye = page.locator("[data-test=eye]").bounding_box()
        middle = eye["x"] + eye["width"] / 2, eye["y"] + eye["height"] / 2
        page.mouse.move(*middle)
        expect(page.locator("[data-test=brush-on]")).to_contain_text(f"Thin {stand.name}")
        self.drag(page, "eye", (0.5, 0.5), (30, 10))
        expect(page.locator("[data-test=difference]")).to_contain_text(f"Thinned {stand.name}")
        page.wait_for_function(
            f"() => parseInt(document.querySelector('[data-test=count-{slug}]').innerText) < {before}"
        )
        thinned = self.count(page, slug)
        planted = planted_of(Level.objects.get())
        self.assertEqual(planted[slug].count(), thinned)
        self.assertEqual(list(planted.level.mesh_touch[stand.number].surfaces), [number])

        self.open_level(page, "ground")
        page.mouse.click(*middle)
        handle = page.locator("[data-test=handle-move]")
        box = handle.bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + 60, y, steps=3)
        page.mouse.up()
        page.click("[data-test=surface-keep]")
        expect(page.locator("[data-test=difference]")).to_contain_text("Placed meshes: Ball")
        self.assertNotEqual(Surface.objects.get().settings["at"], list(ball.at))
        self.assertEqual(planted_of(Level.objects.get())[slug].count(), thinned)
        for words in ("Undone: Placed meshes: Ball", f"Undone: Thinned {stand.name}"):
            page.click("[data-test=undo]")
            expect(page.locator("[data-test=difference]")).to_contain_text(words)
        self.assertEqual(Surface.objects.get().settings["at"], list(ball.at))
        self.assertEqual(self.count(page, slug), before)
