"""The real server, for tests that ask it over HTTP."""

from __future__ import annotations

import os
import subprocess
import sys
import time
import urllib.request
from contextlib import ExitStack, suppress

from django.conf import settings
from django.db import connection

from ops.base import end_with_parent, free_port

AFTER_ALL = ExitStack()
"""What ends after the last test, before the test database goes."""


class Server:
    """The server, and the worker beside it if wished, over a database; can be killed as by a power cut and
    started again."""

    def __init__(self, worker: bool = False, **env: str) -> None:
        self.port = free_port()
        self.env = os.environ | {"KT_DB_NAME": connection.settings_dict["NAME"], "KT_NICER": "0"} | env
        self.wants_worker = worker
        self.start()

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def _spawn(self, *module: str) -> subprocess.Popen:
        return subprocess.Popen(
            [sys.executable, "-m", *module], env=self.env, cwd=settings.BASE_DIR, preexec_fn=end_with_parent
        )

    def start(self) -> None:
        self.process = self._spawn("server", "--port", str(self.port))
        self.worker = self._spawn("django", "work") if self.wants_worker else None
        for _ in range(600):
            with suppress(OSError):
                urllib.request.urlopen(f"{self.address}/health", timeout=2).close()
                return
            time.sleep(0.1)
        raise AssertionError("the server did not start")

    def kill(self) -> None:
        """End both at once, without a word."""
        for process in filter(None, (self.process, self.worker)):
            process.kill()
            process.wait()
