"""Strengths of pops against what the stage draws."""

import numpy as np
from scipy.stats import spearmanr

import thicket
from bench._server import built_page
from bench.pops import crossings_by_chance, pictured, walker_of
from server.catalogue.whole import document_of
from server.levels.models import Level
from tests.browser.base import BrowserCase
from tests.serving import Server


class Truth(BrowserCase):
    def test_strengths_rank_as_the_changes_of_the_pictures_do(self):
        """A smaller sample than `bench pops` takes."""
        built_page()
        document = document_of(Level.objects.get(slug="hobbin-delph"))

        crossings = crossings_by_chance(walker_of(thicket.plant(document, 1), whole=True), 24, 2)
        server = Server(KT_ROOT_URLCONF="bench._reference")
        self.addCleanup(server.kill)
        page = self.page_of("lead")
        page.goto(f"{server.address}/reference/page/index.html")
        page.wait_for_function("window.bench")
        page.evaluate("bench.open('hobbin-delph')")
        changed = pictured(page, crossings, 1080)
        self.assertGreater((changed > 0).mean(), 0.8, changed)
        told = np.array([crossing["strength"] for crossing in crossings])
        self.assertGreaterEqual(spearmanr(told, changed).statistic, 0.8)
