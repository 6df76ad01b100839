"""Serve the application: `python -m server --port N`.

Waitress reads every request whole before a thread is given to it, so slow and silent connections cost no
thread. One process, so that what the core computed is kept once; its kernels release the interpreter lock.
"""

from __future__ import annotations

import argparse
import gc
import os
import resource
import signal
import sys

import waitress

THREADS = 12
CONNECTIONS = 2000
SILENCE = 60
"""Seconds after which a connection that says nothing is ended."""


def main() -> None:
    parser = argparse.ArgumentParser(prog="server")
    parser.add_argument("--port", type=int, required=True)
    port = parser.parse_args().port
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.settings")
    _allow_connections()
    from django.conf import settings

    from server.wsgi import application

    _warm()
    proxied = (
        {
            "trusted_proxy": proxy,
            "trusted_proxy_headers": {"x-forwarded-for", "x-forwarded-proto", "x-forwarded-host"},
        }
        if (proxy := os.environ.get("KT_TRUSTED_PROXY"))
        else {}
    )
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    waitress.serve(
        application,
        listen=f"127.0.0.1:{port}",
        threads=THREADS,
        connection_limit=CONNECTIONS,
        channel_timeout=SILENCE,
        cleanup_interval=10,
        asyncore_use_poll=True,
        max_request_body_size=max(settings.FILE_LIMITS.values()) + settings.BODY_LIMIT,
        max_request_header_size=32 * 1024,
        ident=None,
        clear_untrusted_proxy_headers=True,
        **proxied,
    )


def _allow_connections() -> None:
    """Let the process have as many open files as the system allows."""
    _, most = resource.getrlimit(resource.RLIMIT_NOFILE)
    resource.setrlimit(resource.RLIMIT_NOFILE, (most, most))


def _warm() -> None:
    """Have the core's kernels compiled before the first person asks, and spare what stays from being looked
    through for garbage."""
    from server.warm import warm

    warm()
    gc.collect()
    gc.freeze()
    gc.set_threshold(20_000, 20, 20)


if __name__ == "__main__":
    main()
