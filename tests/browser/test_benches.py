"""Every benchmark runs to its end in its short form, whose figures say nothing."""

import contextlib
import importlib
import io
from contextlib import contextmanager
from functools import cache
from pathlib import Path
from unittest import mock

from django.contrib.auth.models import User

from server.journal.models import Entry
from server.levels.models import Level
from server.stands.models import TouchTile
from server.stock.models import ShelfItem
from tests.browser.base import BrowserCase
from tests.serving import Server

NAMES = sorted(p.stem for p in (Path(__file__).parents[2] / "bench").glob("[a-z]*.py"))


class Benches(BrowserCase):
    def test_each_runs_to_its_end_and_tells_a_figure(self):
        level = Level.objects.get(slug="hobbin-delph")
        before = {
            model: set(model.objects.values_list("pk", flat=True)) for model in (Level, User, ShelfItem)
        }
        settings = {stand: stand.settings for stand in level.stands.all()}
        for stand in settings:  # a frame of fewer plants is drawn sooner
            stand.settings = {**stand.settings, "fullness": 0.05 * stand.settings["fullness"]}
            stand.save()
        painted = list(TouchTile.objects.filter(stand__level=level))

        @contextmanager
        def served(processes: int = 1):
            yield self.address, Level.objects.get(pk=level.pk)

        server = Server(worker=True, KT_ROOT_URLCONF="bench._reference")
        self.addCleanup(server.kill)
        self.address = server.address
        shared = importlib.import_module("bench._server")
        with (
            mock.patch.object(shared, "served_demo", served),
            mock.patch.object(shared, "own_database", contextlib.nullcontext),
            mock.patch.object(shared, "chromium", lambda: contextlib.nullcontext(self.browser)),
            mock.patch.object(shared, "stage_page", cache(shared.stage_page)),
        ):
            for name in NAMES:
                told = io.StringIO()
                with self.subTest(bench=name), contextlib.redirect_stdout(told):
                    bench = importlib.reload(importlib.import_module(f"bench.{name}"))
                    self.assertIn(bench.main(), (0, 1))
                    self.assertRegex(told.getvalue(), rf"(?m)^ *{name}")
        server.kill()
        Entry.objects.all().delete()
        for model, known in before.items():
            model.objects.exclude(pk__in=known).delete()
        TouchTile.objects.filter(stand__level=level).delete()
        TouchTile.objects.bulk_create(painted)
        for stand, before_it in settings.items():
            stand.settings = before_it
            stand.save()
