"""An acknowledged stroke outlives the sudden death of the server and of its database."""

import importlib.machinery
import importlib.util
import os
import signal
import subprocess
import sys
import tempfile
import time
import urllib.error
import uuid
from unittest import mock

from django.conf import settings
from django.test import SimpleTestCase

from bench.stroke import Client
from tests.browser.base import Server

LEVEL = "/api/levels/test-moor"


def load_kt(folder: str):
    """The script `kt` as a module, with its state in a folder of its own."""
    path = str(settings.BASE_DIR / "kt")
    loader = importlib.machinery.SourceFileLoader("kt_apart", path)
    module = importlib.util.module_from_spec(importlib.util.spec_from_loader("kt_apart", loader))
    with mock.patch.dict(os.environ, {"KT_VAR": folder}), mock.patch.object(sys, "dont_write_bytecode", True):
        loader.exec_module(module)
    return module


class SuddenDeath(SimpleTestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.kt = load_kt(folder.name)
        self.kt.start_database()
        self.addCleanup(lambda: self.kt.stop(self.kt.database_pid()))
        make = "import django; django.setup(); from tests.fixtures import small_level; small_level()"
        for command in (["-m", "django", "migrate", "--verbosity", "0"], ["-c", make]):
            subprocess.run([sys.executable, *command], env=self.env, cwd=settings.BASE_DIR, check=True)
        self.server = Server(**self.env)
        self.addCleanup(lambda: self.server.kill())

    @property
    def env(self):
        return self.kt.environment() | {"KT_DB_NAME": "knee_thicket"}

    def signed_in(self) -> Client:
        client = Client(self.server.address)
        client.opener.open(self.server.address + "/api/session").close()
        client.post("/api/session", {"name": "north", "password": "slate-and-birch"})
        return client

    def state(self, client: Client) -> tuple[bytes, bytes]:
        """The stands with their content keys, and the journal."""
        return tuple(client.opener.open(self.server.address + LEVEL + path).read() for path in ("/stands", "/journal"))

    def test_acknowledged_strokes_are_there_after_restart(self):
        client = self.signed_in()
        before = self.state(client)
        for k in range(5):
            client.post(f"{LEVEL}/strokes", {"key": str(uuid.uuid4()), "stand": 2, "verb": "thin", "radius": 20, "soft": 0.5,
                                             "strength": 0.7, "path": [[40 + 30 * k, 60], [60 + 30 * k, 120]]})
        acknowledged = self.state(client)
        self.assertNotEqual(acknowledged[0], before[0])
        client.post(f"{LEVEL}/strokes", {"key": str(uuid.uuid4()), "stand": 2, "verb": "thicken", "radius": 9, "soft": 0,
                                         "strength": 1, "path": [[128, 200]]})
        os.kill(self.kt.database_pid(), signal.SIGKILL)
        self.server.kill()
        while self.kt.database_pid():
            time.sleep(0.05)
        self.kt.start_database()
        self.server = Server(**self.env)
        after = self.state(self.signed_in())
        self.assertEqual(after[1].count(b'"id"'), 6)
        self.assertIn(acknowledged[1].strip(b"[]"), after[1])
        self.assertNotEqual(after[0], acknowledged[0])
        with self.assertRaises(urllib.error.HTTPError):
            self.signed_in().post(f"{LEVEL}/redo", {})
