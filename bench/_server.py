"""The demo level in a database of its own, served by our server with the reference endpoints; dropped again
at the end."""

from __future__ import annotations

import io
import os
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager, suppress

from ops.base import ROOT, end_with_parent, free_port


def built_page() -> None:
    """Build the page that draws the stage by itself, under /reference/page/."""
    build = ["npx", "vite", "build", "-c", "bench/vite.config.ts", "--logLevel", "error"]
    subprocess.run(build, cwd=ROOT / "web", check=True)


@contextmanager
def served_demo() -> Iterator[tuple[str, object]]:
    """The server's address and the demo level; a worker runs beside it."""
    import django

    django.setup()
    from django.core.management import call_command
    from django.db import connection
    from django.test.utils import setup_databases, teardown_databases

    old = setup_databases(verbosity=0, interactive=False)
    processes = []
    try:
        call_command("build_demo", stdout=io.StringIO())
        from server.levels.models import Level

        level, port = Level.objects.get(), free_port()
        env = os.environ | {
            "KT_DB_NAME": connection.settings_dict["NAME"],
            "KT_ROOT_URLCONF": "bench._reference",
        }
        for module in (["server", "--port", str(port)], ["django", "work"]):
            processes.append(
                subprocess.Popen([sys.executable, "-m", *module], env=env, preexec_fn=end_with_parent)
            )
        base = f"http://127.0.0.1:{port}"
        for _ in range(600):
            with suppress(OSError):
                urllib.request.urlopen(base + "/ready").close()
                break
            time.sleep(0.1)
        yield base, level
    finally:
        for process in processes:
            process.terminate()
            process.wait()
        teardown_databases(old, verbosity=0)
