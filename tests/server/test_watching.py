"""`./kt serve` as people run it: what dies is started again, too many deaths end it, and killed it leaves
nothing running."""

import json
import os
import signal
import socket
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.request
from contextlib import suppress
from pathlib import Path

from django.conf import settings
from django.test import SimpleTestCase

from ops.base import free_port
from ops.state import State


class Watching(SimpleTestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.state, self.port = State(Path(folder.name)), free_port()
        self.log = Path(folder.name) / "told"
        self.kt = self.start("box.lan")
        self.addCleanup(self.end)

    def start(self, *names: str) -> subprocess.Popen:
        """`kt serve` for other machines, which reach it under some names."""
        env = {k: v for k, v in os.environ.items() if not k.startswith("KT_DB")} | {
            "KT_VAR": str(self.state.var)
        }
        return subprocess.Popen(
            [
                *(sys.executable, "kt", "serve", "--port", str(self.port), "--processes", "2"),
                *("--host", "0.0.0.0", *(part for name in names for part in ("--allow", name))),
            ],
            cwd=settings.BASE_DIR,
            env=env,
            stdout=self.log.open("ab"),
            stderr=subprocess.STDOUT,
            start_new_session=True,
        )

    def end(self):
        with suppress(ProcessLookupError):
            self.kt.terminate()
        self.kt.wait()

    def until(self, true, what, seconds=90):
        for _ in range(seconds * 10):
            if true():
                return
            time.sleep(0.1)
        self.fail(f"{what}: {self.log.read_text()[-1500:]}")

    def ready(self) -> bool:
        with suppress(OSError):
            return json.load(urllib.request.urlopen(f"http://127.0.0.1:{self.port}/ready", timeout=5))[
                "ready"
            ]
        return False

    def pids(self) -> dict[str, int]:
        return self.state.noted() | {"database": self.state.database.pid()}

    def test_what_dies_is_started_again_and_the_third_death_ends_it(self):
        self.until(self.ready, "it was not ready")
        was, port = self.pids(), self.state.database.port
        self.assertEqual(
            subprocess.run(
                [sys.executable, "kt", "status"],
                cwd=settings.BASE_DIR,
                capture_output=True,
                env=os.environ | {"KT_VAR": str(self.state.var)},
            ).returncode,
            0,
        )
        os.kill(was["database"], signal.SIGKILL)
        self.until(
            lambda: self.pids()["database"] not in (None, was["database"]),
            "the database was not started again",
        )
        self.assertEqual(self.state.database.port, port)
        self.until(self.ready, "it was not ready again")
        self.assertEqual(self.pids()["server"], was["server"])
        os.kill(was["worker"], signal.SIGKILL)
        self.until(lambda: self.pids()["worker"] != was["worker"], "the worker was not started again")
        os.kill(was["server"], signal.SIGKILL)
        self.until(lambda: self.kt.poll() is not None, "it did not end")
        self.assertEqual(self.kt.returncode, 1)
        told = self.log.read_text()
        for sentence in (
            "The database ended; it is started again.",
            "The worker ended; it is started again.",
            "the third death within a minute",
        ):
            self.assertIn(sentence, told)
        self.nothing_is_left(was)

    def others_reach_it_only_under_the_names_told(self):
        socket.create_connection(("127.0.0.2", self.port), 5).close()  # and not on 127.0.0.1 alone
        names = ("box.lan", "127.0.0.1", "other.lan")
        self.assertEqual([self.status_for(name) for name in names], [200, 200, 400])
        self.assertIn("Passwords cross the network", self.log.read_text())
        self.assertEqual(self.start().wait(60), 1)
        self.assertIn("--allow NAME", self.log.read_text())

    def nothing_is_left(self, pids):
        def runs(pid: int) -> bool:
            with suppress(OSError):
                return str(self.state.var).encode() in Path(f"/proc/{pid}/environ").read_bytes()
            return False

        self.until(lambda: not any(runs(pid) for pid in pids.values() if pid), "something runs on", 30)
        self.until(lambda: self.state.database.pid() is None, "the database runs on", 30)

    def status_for(self, name: str) -> int:
        """What the server answers to who reaches it under a name."""
        request = urllib.request.Request(f"http://127.0.0.1:{self.port}/health", headers={"Host": name})
        try:
            return urllib.request.urlopen(request, timeout=5).status
        except urllib.error.HTTPError as error:
            return error.code

    def test_killed_itself_it_leaves_nothing_running(self):
        self.until(self.ready, "it was not ready")
        self.others_reach_it_only_under_the_names_told()
        pids = self.pids()
        os.kill(pids["server"], signal.SIGKILL)
        self.until(self.ready, "the other process does not answer", 2)
        self.until(lambda: self.pids()["server"] != pids["server"], "the server was not started again")
        pids = self.pids()
        self.assertNotEqual(pids["server"], pids["server-2"])
        self.kt.kill()
        self.kt.wait()
        self.nothing_is_left(pids)
