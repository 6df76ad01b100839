"""The demo level in a database of its own, served by gunicorn with the reference endpoints; dropped again at the end."""

from __future__ import annotations

import io
import os
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager, suppress


@contextmanager
def served_demo() -> Iterator[tuple[str, object]]:
    """The server's address and the demo level."""
    import django

    django.setup()
    from django.core.management import call_command
    from django.db import connection
    from django.test.utils import setup_databases, teardown_databases

    old = setup_databases(verbosity=0, interactive=False)
    process = None
    try:
        call_command("build_demo", stdout=io.StringIO())
        from server.levels.models import Level

        level = Level.objects.get()
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            port = probe.getsockname()[1]
        env = os.environ | {"KT_DB_NAME": connection.settings_dict["NAME"], "KT_ROOT_URLCONF": "bench._reference"}
        process = subprocess.Popen([sys.executable, "-m", "gunicorn", "-c", "server/gunicorn.py", "--bind",
                                    f"127.0.0.1:{port}", "server.wsgi"], env=env)
        base = f"http://127.0.0.1:{port}"
        for _ in range(600):
            with suppress(OSError):
                urllib.request.urlopen(base + "/api/session").close()
                break
            time.sleep(0.1)
        yield base, level
    finally:
        if process:
            process.terminate()
            process.wait()
        teardown_databases(old, verbosity=0)
