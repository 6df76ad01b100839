"""Signing in: wrong passwords are limited by name and by address apart, hashing is bounded, sessions slide,
and all is noted."""

import threading
import time
from unittest import mock

from django.contrib.sessions.models import Session
from django.core.cache import cache
from django.core.management import call_command
from django.test import Client, SimpleTestCase, override_settings
from django.utils import timezone
from ninja.errors import HttpError

from server.accounts import hashing
from server.accounts.hashing import turn_to_hash
from tests.fixtures import PASSWORD
from tests.server.test_api import ApiCase


class SignIn(ApiCase):
    def setUp(self):
        cache.clear()
        super().setUp()

    def sign_in(self, name, password, client=None, address="10.0.0.1"):
        return (client or Client()).post(
            "/api/session",
            {"name": name, "password": password},
            content_type="application/json",
            REMOTE_ADDR=address,
        )

    def test_wrong_passwords_lock_a_name_everywhere_but_not_others_and_not_who_is_signed_in(self):
        lead, south = self.client_of("lead"), Client()
        for k in range(6):
            self.assertIn(self.sign_in("lead", "wrong", address=f"10.0.0.{k}").status_code, (401, 429))
        locked = self.sign_in("lead", PASSWORD, address="10.0.0.99")
        self.assertEqual((locked.status_code, "five minutes" in locked.json()["detail"]), (429, True))
        self.assertEqual(self.sign_in("south", PASSWORD, south).status_code, 200)
        self.assertEqual(self.sign_in("lead", PASSWORD, lead).status_code, 200)
        self.assertEqual(lead.get(self.base).status_code, 200)

    def test_a_flood_of_made_up_names_from_one_address_is_cut_short_before_any_hashing(self):
        with mock.patch.object(hashing.Hasher, "encode", return_value="x") as hashed:
            codes = [self.sign_in(f"nobody-{k}", "x").status_code for k in range(60)]
        self.assertEqual(codes, [401] * 30 + [429] * 30)
        self.assertLessEqual(hashed.call_count, 31)
        self.assertEqual(self.sign_in("north", PASSWORD, address="10.0.0.2").status_code, 200)

    def test_a_password_is_changed_by_who_knows_it_and_ends_every_other_sign_in(self):
        here, there = self.client_of("south"), self.client_of("south")
        fresh = "scree-and-rowan"
        change = lambda client, **body: client.put(
            "/api/session/password", {"old": PASSWORD, "new": fresh} | body, content_type="application/json"
        )
        for body, words in (({"old": "guess"}, "not your password"), ({"new": "short"}, "at least 10")):
            told = change(here, **body)
            self.assertEqual(told.status_code, 422)
            self.assertIn(words, str(told.json()))
        self.assertEqual(there.get("/api/levels").status_code, 200)
        self.assertEqual(change(Client()).status_code, 401)
        self.assertEqual(change(here).json()["name"], "south")
        self.assertEqual(here.get("/api/levels").status_code, 200)
        self.assertEqual(there.get("/api/levels").status_code, 401)
        self.assertEqual(self.sign_in("south", PASSWORD).status_code, 401)
        self.assertEqual(self.sign_in("south", fresh).status_code, 200)

    def test_leads_can_read_who_came_went_and_took_files(self):
        self.sign_in("north", "wrong")
        self.sign_in("stranger", "wrong")
        lead = self.client_of("lead")
        self.handed_over("level.json")
        self.client_of("guest").delete("/api/session")
        rows = lead.get("/api/audit").json()
        told = [(r["person"], r["kind"]) for r in rows]
        for one in (
            ("north", "refused"),
            ("lead", "sign-in"),
            ("north", "export"),
            ("guest", "sign-out"),
            ("guest", "role"),
        ):
            self.assertIn(one, told)
        self.assertNotIn("stranger", [person for person, _ in told])
        older = lead.get(f"/api/audit?before={rows[2]['id']}").json()
        self.assertEqual(older, rows[3:])
        self.assertEqual(self.north.get("/api/audit").status_code, 403)

    def test_sessions_slide(self):
        session = Session.objects.get(pk=self.north.session.session_key)
        data = session.get_decoded() | {"until": (timezone.now() + timezone.timedelta(days=5)).timestamp()}
        session.session_data = Session.objects.encode(data)
        session.expire_date = timezone.now() + timezone.timedelta(days=5)
        session.save()
        self.assertEqual(self.north.get(self.base).status_code, 200)
        session.refresh_from_db()
        self.assertGreater(session.expire_date, timezone.now() + timezone.timedelta(days=13))
        Session.objects.update(expire_date=timezone.now())
        self.assertEqual(self.north.get(self.base).status_code, 401)


class Hashing(SimpleTestCase):
    def test_only_so_many_passwords_are_hashed_at_once(self):
        at_work, most, lock = [0], [0], threading.Lock()

        def work():
            with turn_to_hash():
                with lock:
                    at_work[0] += 1
                    most[0] = max(most[0], at_work[0])
                time.sleep(0.02)
                with lock:
                    at_work[0] -= 1

        threads = [threading.Thread(target=work) for _ in range(16)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(most[0], hashing.AT_ONCE)
        with (
            mock.patch.object(hashing, "PATIENCE", 0.05),
            turn_to_hash(),
            turn_to_hash(),
            self.assertRaises(HttpError),
        ):
            with turn_to_hash():
                pass


class Deployed(SimpleTestCase):
    def test_the_deployment_checks_are_clean_when_it_is_reached_by_https(self):
        import os
        import subprocess
        import sys

        from django.conf import settings

        env = os.environ | {
            "KT_HTTPS": "1",
            "KT_HOSTS": "thicket.example",
            "KT_SECRET": "a-long-made-up-secret-" * 4,
        }
        env.pop("DJANGO_ALLOW_ASYNC_UNSAFE", None)  # what tests with a browser set
        told = subprocess.run(
            [sys.executable, "-m", "django", "check", "--deploy", "--fail-level", "WARNING"],
            env=env,
            cwd=settings.BASE_DIR,
            capture_output=True,
            text=True,
        )
        self.assertEqual(told.returncode, 0, told.stderr)
        told = subprocess.run(
            [sys.executable, "-m", "django", "check"],
            env={**env, "KT_SECRET": ""},
            cwd=settings.BASE_DIR,
            capture_output=True,
            text=True,
        )
        self.assertIn("KT_SECRET is not set", told.stderr)
        with override_settings(ALLOWED_HOSTS=["thicket.example"]):
            self.assertEqual(Client().get("/health", HTTP_HOST="elsewhere.example").status_code, 400)
        call_command("check", verbosity=0)
