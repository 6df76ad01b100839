"""What was acknowledged outlives sudden death; the database is closed; a backup gives the same level back."""

import os
import signal
import socket
import subprocess
import sys
import tempfile
import time
import urllib.error
import uuid
from concurrent.futures import ThreadPoolExecutor
from functools import cache
from pathlib import Path

from django.conf import settings
from django.test import SimpleTestCase

from bench.stroke import Client
from ops import backup
from ops.base import Trouble, secret
from ops.packages import RUN_TOOLS
from ops.state import State
from tests.serving import AFTER_ALL, Server

LEVEL = "/api/levels/test-moor"
MAKE = "import django; django.setup(); from tests.fixtures import small_level; small_level()"


@cache
def made() -> Path:
    """A state folder whose database has the small level, at rest; made once, to be copied."""
    folder = tempfile.TemporaryDirectory()
    AFTER_ALL.callback(folder.cleanup)
    state = State(Path(folder.name))
    with state.database.running():
        for command in (["-m", "django", "migrate", "--verbosity", "0"], ["-c", MAKE]):
            env = state.environment() | {"KT_DB_NAME": "knee_thicket"}
            subprocess.run([sys.executable, *command], env=env, cwd=settings.BASE_DIR, check=True)
    return state.var


class OwnState(SimpleTestCase):
    """A state folder of the test's own, with its database, the small level and a server."""

    def setUp(self):
        self.state = self.new_state()
        subprocess.run(["cp", "-a", f"{made()}/.", self.state.var], check=True)
        self.state.database.start()
        self.server = Server(**self.env())
        self.addCleanup(lambda: self.server.kill())

    def new_state(self) -> State:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        state = State(Path(folder.name))
        self.addCleanup(state.database.stop)
        return state

    def env(self, state=None):
        return (state or self.state).environment() | {"KT_DB_NAME": "knee_thicket"}

    def signed_in(self, server=None) -> Client:
        client = Client((server or self.server).address)
        client.get("/api/session")
        client.post("/api/session", {"name": "north", "password": "slate-and-birch"})
        return client

    def told(self, client: Client) -> tuple[bytes, bytes]:
        """The stands with their content keys, and the journal."""
        return tuple(client.get(LEVEL + path) for path in ("/stands", "/journal"))

    def stroke(self, client, **changes):
        client.post(
            f"{LEVEL}/strokes",
            {
                "key": str(uuid.uuid4()),
                "stand": 2,
                "verb": "thin",
                "radius": 20,
                "soft": 0.5,
                "strength": 0.7,
                "path": [[40, 60], [60, 120]],
            }
            | changes,
        )


class SuddenDeath(OwnState):
    def test_acknowledged_strokes_are_there_after_restart(self):
        client = self.signed_in()
        before = self.told(client)
        for k in range(5):
            self.stroke(client, path=[[40 + 30 * k, 60], [60 + 30 * k, 120]])
        acknowledged = self.told(client)
        self.assertNotEqual(acknowledged[0], before[0])
        self.stroke(client, verb="thicken", radius=9, soft=0, strength=1, path=[[128, 200]])
        os.kill(self.state.database.pid(), signal.SIGKILL)
        self.server.kill()
        while self.state.database.pid():
            time.sleep(0.05)
        self.state.database.start()
        self.server = Server(**self.env())
        after = self.told(self.signed_in())
        self.assertEqual(after[1].count(b'"id"'), 6)
        self.assertIn(acknowledged[1].strip(b"[]"), after[1])
        self.assertNotEqual(after[0], acknowledged[0])
        with self.assertRaises(urllib.error.HTTPError):
            self.signed_in().post(f"{LEVEL}/redo", {})

    def test_while_the_database_is_away_answers_say_so_and_the_server_reconnects_by_itself(self):
        client = self.signed_in()
        self.state.database.stop()
        for path in ("/api/session", LEVEL, f"{LEVEL}/stands", "/ready"):
            with self.assertRaises(urllib.error.HTTPError) as told:
                client.get(path)
            self.assertEqual(
                (told.exception.code, "Retry-After" in told.exception.headers), (503, True), path
            )
        with self.assertRaises(urllib.error.HTTPError) as told:
            self.stroke(client)
        self.assertEqual(told.exception.code, 503)
        self.assertIn(b"kept and sent later", told.exception.read())
        self.assertIn(b"alive", client.get("/health"))
        self.assertIn(b"<div id=", client.get("/levels"))
        self.state.database.start()
        self.stroke(client)
        self.assertEqual(self.told(client)[1].count(b'"id"'), 1)


class Crowded(OwnState):
    def test_slow_silent_and_half_sent_requests_hold_nobody_up(self):
        client = self.signed_in()
        port, held = self.server.port, []
        for k in range(520):
            line = socket.create_connection(("127.0.0.1", port))
            self.addCleanup(line.close)
            held.append(line)
            half = (
                b"",
                b"GET /api/levels HTTP/1.1\r\nHost: 127",
                b"POST /api/session HTTP/1.1\r\nHost: 127.0.0.1\r\n"
                b"Content-Type: application/json\r\nContent-Length: 400\r\n\r\n{",
            )[k % 3]
            line.sendall(half)
        for _ in range(40):
            line = socket.create_connection(("127.0.0.1", port))
            self.addCleanup(line.close)
            line.sendall(
                b"POST /api/drafts HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 100000000\r\n\r\n"
                + b"x" * 20_000
            )
        for _ in range(20):
            self.assertIn(
                b"Birch", client.opener.open(self.server.address + f"{LEVEL}/stands", timeout=10).read()
            )
        self.stroke(client)


class Secrets(SimpleTestCase):
    def test_several_that_make_one_at_once_have_the_same(self):
        for _ in range(20):
            with tempfile.TemporaryDirectory() as folder, ThreadPoolExecutor(8) as pool:
                found = list(pool.map(lambda _, at=Path(folder): secret(at, "key"), range(8)))
                self.assertEqual((len(set(found)), len(found[0])), (1, 64))
                (file,) = Path(folder).iterdir()
                self.assertEqual((file.name, file.stat().st_mode & 0o777), ("key", 0o600))


class Closed(OwnState):
    def asked(self, *arguments: str, password: str = "") -> subprocess.CompletedProcess:
        """The database asked over its port."""
        base = ["mariadb", "--no-defaults", "-h127.0.0.1", f"-P{self.state.database.port}"]
        return subprocess.run(
            [*base, *arguments], env=os.environ | {"MYSQL_PWD": password}, capture_output=True, text=True
        )

    def test_nobody_gets_into_the_database_without_a_password_and_the_application_reaches_its_own_schema_only(
        self,
    ):
        self.assertIn("mariadb", RUN_TOOLS)
        for user in ("root", "kt", "kt_test", "mysql", ""):
            self.assertIn("Access denied", self.asked(f"-u{user}", "-e", "SELECT 1").stderr, user)
        word = (self.state.var / "db-password").read_text()
        self.assertEqual(
            self.asked(
                "-ukt", "-e", "SELECT count(*) FROM knee_thicket.levels_level", password=word
            ).returncode,
            0,
        )
        for sql in (
            "SELECT * FROM mysql.global_priv",
            "SELECT 1 INTO OUTFILE '/tmp/kt-probe'",
            "CREATE DATABASE other",
            "SELECT LOAD_FILE('/etc/passwd')",
            "CREATE USER x@localhost",
        ):
            told = self.asked("-ukt", "-N", "-e", sql, password=word)
            self.assertTrue(told.returncode or told.stdout.strip() == "NULL", sql)
        secure = self.asked("-ukt", "-N", "-e", "SELECT @@secure_file_priv", password=word).stdout
        self.assertIn(str(self.state.var), secure)

    def test_the_state_folder_is_closed_and_an_open_one_is_mended_at_the_next_start_on_the_same_port(self):
        port, loose = self.state.database.port, self.state.var / "old-draft"
        self.state.database.stop()
        loose.write_text("x")
        for path in (loose, self.state.var, self.state.var / "db"):
            path.chmod(0o777)
        self.state.database.start()
        self.assertEqual(self.state.database.port, port)
        self.assertEqual(self.state.var.stat().st_mode & 0o007, 0)
        for path in self.state.var.iterdir():
            self.assertEqual(path.stat().st_mode & 0o077, 0, path)
        if os.geteuid() == 0:
            owner = Path(f"/proc/{self.state.database.pid()}").stat().st_uid
            self.assertNotEqual(owner, 0)
            self.assertEqual((self.state.var / "db").stat().st_uid, owner)


class Shared(OwnState):
    def test_the_database_ends_with_its_last_user_whoever_began_to_use_it(self):
        first, second = self.state.database, State(self.state.var).database
        second.start()
        first.stop()
        self.assertIsNotNone(second.pid(), "it is still used")
        first.start()
        second.stop()
        self.assertIn(b"Birch", self.signed_in().get(f"{LEVEL}/stands"))
        hold = "import sys, time; from ops.state import State; from pathlib import Path\n"
        hold += "mine = State(Path(sys.argv[1])).database; mine.start()\n"
        hold += "print('used', flush=True); time.sleep(60)"
        command = [sys.executable, "-c", hold, str(self.state.var)]
        user = subprocess.Popen(command, cwd=settings.BASE_DIR, stdout=subprocess.PIPE)
        self.assertEqual(user.stdout.readline(), b"used\n")
        first.stop()
        self.assertIsNotNone(first.pid())
        user.kill()
        user.communicate()
        for _ in range(300):
            if first.pid() is None:
                break
            time.sleep(0.1)
        self.assertIsNone(first.pid(), "its last user was killed")


class Backups(OwnState):
    def test_restoring_gives_the_same_plants_journal_and_sign_ins(self):
        client = self.signed_in()
        for k in range(3):
            self.stroke(client, path=[[40 + 30 * k, 60]])
        told, plants, file = self.told(client), self.plants(self.state), self.state.var / "kept.tar.gz"
        backup.back_up(self.state, file)
        self.assertEqual(file.stat().st_mode & 0o077, 0)
        self.stroke(client)
        other = self.new_state()
        backup.restore(other, file)
        other.database.start()
        server = Server(**self.env(other))
        self.addCleanup(server.kill)
        client.base = server.address
        self.assertEqual(self.told(client), told)
        self.assertEqual(client.post(f"{LEVEL}/undo", {})[1]["entry"]["what"], "Thinned Birch")
        client.post(f"{LEVEL}/redo", {})
        self.assertEqual(self.plants(other), plants)
        self.assertGreater(len(plants), 1000)
        with self.assertRaisesMessage(Trouble, "empty folder"):
            backup.restore(other, file)

    def plants(self, state: State) -> bytes:
        with tempfile.TemporaryDirectory() as folder:
            subprocess.run(
                [
                    sys.executable,
                    "-m",
                    "django",
                    "handover",
                    "test-moor",
                    "--formats",
                    "csv",
                    "--out",
                    folder,
                ],
                env=self.env(state),
                cwd=settings.BASE_DIR,
                check=True,
                capture_output=True,
            )
            return (Path(folder) / "plants.csv").read_bytes()

    def test_what_is_no_backup_is_refused_and_leaves_nothing(self):
        state, bad = self.new_state(), self.state.var / "bad.tar.gz"
        bad.write_bytes(b"no backup")
        with self.assertRaisesMessage(Trouble, "cannot be read as a backup"):
            backup.restore(state, bad)
        self.assertFalse(state.database.data.exists())

    def record_migrations(self, change: str):
        make = (
            "import django; django.setup(); from django.db.migrations.recorder import MigrationRecorder; "
            f"rows = MigrationRecorder.Migration.objects; {change}"
        )
        subprocess.run([sys.executable, "-c", make], env=self.env(), cwd=settings.BASE_DIR, check=True)

    def test_older_code_refuses_a_newer_database(self):
        self.record_migrations("rows.create(app='levels', name='0999_from_tomorrow')")
        with self.assertRaisesMessage(Trouble, "newer version"):
            self.state.migrate()

    def test_a_database_of_the_last_version_with_single_migrations_is_carried_over(self):
        squashed = "from importlib import import_module; "
        squashed += "old = import_module('server.levels.migrations.0001_squashed').Migration.replaces; "
        squashed += "were = ['0001_squashed', *(name for app, name in old if app == 'levels')]; "
        squashed += "rows.filter(app='levels', name__in=were).delete(); "
        self.record_migrations(squashed + "[rows.create(app=app, name=name) for app, name in old[:-1]]")
        with self.assertRaisesMessage(Trouble, "cannot carry over"):
            self.state.migrate()
        self.record_migrations(squashed + "[rows.create(app=app, name=name) for app, name in old]")
        self.state.migrate()
        self.record_migrations("assert rows.filter(app='levels', name='0001_squashed').exists()")
