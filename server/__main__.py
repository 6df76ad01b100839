"""Serve the application: `python -m server --port N`, or `--socket FD` for one of several processes that take
connections from a socket they were given.

Waitress reads every request whole before a thread is given to it, so slow and silent connections cost no
thread. What processes must share lies in the database; the memory of each is a cache.
"""

from __future__ import annotations

import argparse
import gc
import os
import resource
import signal
import socket
import sys

import waitress
from waitress.server import BaseWSGIServer

THREADS = 12
CONNECTIONS = 2000
SILENCE = 60
"""Seconds after which a connection that says nothing is ended."""


def main() -> None:
    parser = argparse.ArgumentParser(prog="server")
    where = parser.add_mutually_exclusive_group(required=True)
    where.add_argument("--port", type=int)
    where.add_argument("--socket", type=int, metavar="FD")
    parser.add_argument("--processes", default="1", metavar="N", help="how many share the memory")
    options = parser.parse_args()
    os.environ["KT_PROCESSES"] = options.processes
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.settings")
    _allow_connections()
    import django

    django.setup()
    from django.conf import settings

    from server import bodies
    from server.wsgi import application

    BaseWSGIServer.channel_class = bodies.Channel
    bodies.RECEIVING = bodies.Receiving(int(options.processes))
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
        sockets=[
            socket.create_server(("127.0.0.1", options.port), backlog=1024)
            if options.socket is None
            else socket.socket(fileno=options.socket)
        ],
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
    from thicket.warm import warm

    warm()
    gc.collect()
    gc.freeze()
    gc.set_threshold(20_000, 20, 20)


if __name__ == "__main__":
    main()
