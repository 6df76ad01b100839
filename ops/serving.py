"""Serving: the database, the server and the worker started, watched, and started again when one of them
ends."""

from __future__ import annotations

import contextlib
import errno
import fcntl
import json
import os
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.request
from collections import deque
from collections.abc import Callable
from pathlib import Path

from ops.base import PYTHON, ROOT, Trouble, end_with_parent, free_port, say, stop
from ops.state import State

WORKERS = "worker", "worker-2"
"""Two, so that long work of one level does not hold up the others'."""
DEATHS, WITHIN = 3, 60.0
"""After so many deaths within so many seconds, serving ends."""


class Watched:
    """A process that is started again when it ends."""

    def __init__(self, name: str, start: Callable[[], subprocess.Popen]) -> None:
        self.name, self._start = name, start
        self.process = start()

    def ended(self) -> bool:
        return self.process.poll() is not None

    def start(self) -> None:
        self.process = self._start()


class Deaths:
    """Counts deaths, and ends all when there are too many."""

    def __init__(self) -> None:
        self._at: deque[float] = deque(maxlen=DEATHS)

    def note(self, what: str) -> None:
        self._at.append(time.monotonic())
        if len(self._at) == DEATHS and self._at[-1] - self._at[0] < WITHIN:
            raise Trouble(
                f"{what} ended, the third death within a minute: it is not started again. The "
                f"messages above say why."
            )
        say(f"{what} ended; it is started again.")


@contextlib.contextmanager
def _only_one(state: State):
    with (state.var / ".serve.lock").open("w") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            raise Trouble(
                f"{state.var} is served already, at {state.noted().get('address')}: see ./kt status."
            ) from None
        yield


def address(host: str, port: int) -> str:
    """Where this machine reaches what listens on a host's address."""
    here = "127.0.0.1" if host in ("0.0.0.0", "::") else host
    return f"http://{f'[{here}]' if ':' in here else here}:{port}"


def ready(at: str) -> tuple[bool, str]:
    """Whether the server at an address can do its work; what it says."""
    try:
        with urllib.request.urlopen(f"{at}/ready", timeout=5) as answer:
            return True, answer.read().decode()
    except urllib.error.HTTPError as error:
        return False, error.read().decode(errors="replace")
    except OSError:
        return False, "it does not answer"


def _listen(host: str, port: int) -> socket.socket:
    """The socket that all server processes take connections from."""
    try:
        family = socket.AF_INET6 if ":" in host else socket.AF_INET
        return socket.create_server((host, port), family=family, backlog=1024)
    except OSError as error:
        if error.errno != errno.EADDRINUSE:
            raise Trouble(f"This machine has no address {host} to listen on: {error.strerror}.") from None
        raise Trouble(
            f"Port {port} is taken by another program. Choose another: ./kt {sys.argv[1]} "
            f"--port {free_port()}"
        ) from None


def allow(host: str, names: list[str]) -> None:
    """Have the server answer to host names; to be called before it is started.

    Raises: Trouble when it is to be reached from elsewhere, under no name.
    """
    if names:
        os.environ["KT_HOSTS"] = ",".join([*filter(None, [os.environ.get("KT_HOSTS")]), *names])
    loopback = host == "::1" or host.startswith("127.")
    if not loopback and not os.environ.get("KT_HOSTS"):
        raise Trouble(
            f"--host {host} lets other machines in: say under which names or addresses they reach this one, "
            f"with --allow NAME."
        )
    if not loopback and os.environ.get("KT_HTTPS") != "1":
        say("Passwords cross the network as they are: docs/running.md shows a proxy with HTTPS in front.")


def serve(state: State, host: str, port: int, processes: int, after: str = "") -> int:
    """Serve until Ctrl-C, by so many server processes; the database must run."""
    if several := crowded(processes):
        say(several)
    with _only_one(state), _listen(host, port) as listener:
        server = ["server", "--socket", str(listener.fileno()), "--processes", str(processes)]
        modules = {"server": server} | {f"server-{k}": server for k in range(2, processes + 1)}
        watched: list[Watched] = []
        try:
            for name, module in (modules | dict.fromkeys(WORKERS, ["django", "work"])).items():
                watched.append(
                    Watched(name, lambda name=name, module=module: _spawn(state, name, module, listener))
                )
            _watch(state, watched, address(host, port), after)
        except KeyboardInterrupt:
            say("\nStopping.")
        finally:
            for each in reversed(watched):
                if not each.ended():
                    stop(each.process.pid)
            (state.var / "running.json").unlink(missing_ok=True)
    return 0


def crowded(processes: int) -> str:
    """The message about more server processes than help on this machine; empty of others."""
    cores = os.cpu_count() or 1
    if processes == 1 or 2 * processes <= cores:
        return ""
    return (
        f"{processes} server processes on {cores} cores slow down painting: each works out for itself what "
        f"the others store. They help from two cores for each on; docs/running.md says more."
    )


def _spawn(state: State, name: str, module: list[str], listener: socket.socket) -> subprocess.Popen:
    logs = state.var / "logs"
    logs.mkdir(mode=0o700, exist_ok=True)
    return subprocess.Popen(
        [str(PYTHON), "-m", *module],
        env=state.environment() | {"KT_LOG": str(logs / f"{name}.log")} | _workers_part(name),
        cwd=ROOT,
        start_new_session=True,
        umask=0o077,
        pass_fds=[listener.fileno()],
        preexec_fn=end_with_parent,
    )


def _workers_part(name: str) -> dict[str, str]:
    """What a worker is given besides: its name, and with how many it shares their memory."""
    return {"KT_WORKER": name, "KT_PROCESSES": str(len(WORKERS))} if name in WORKERS else {}


def _watch(state: State, watched: list[Watched], at: str, after: str) -> None:
    deaths, announced, began = Deaths(), False, time.monotonic()
    _note(state, watched, at)
    while True:
        if state.database.pid() is None:
            deaths.note("The database")
            state.database.start()
        for each in watched:
            if each.ended():
                deaths.note(f"The {each.name}")
                each.start()
                _note(state, watched, at)
        if not announced:
            well, answer = ready(at)
            first = _first(state, at) if well else None
            if first is not None:
                announced = True
                say(f"\nKnee Thicket is at {at}/\n{after}{first}Ctrl-C ends it.")
            elif time.monotonic() - began > 120:
                raise Trouble(f"The server is not ready after two minutes: {answer}")
        time.sleep(0.2)


def _first(state: State, at: str) -> str | None:
    """What a new installation, which has no account, is shown; None when the server does not know now."""
    try:
        with urllib.request.urlopen(f"{at}/api/session", timeout=10) as answer:
            first = json.load(answer)["first"]
    except OSError:
        return None
    return (
        f"There is no account yet. Make the first one on that page, with the code {state.first_code}\n"
        if first
        else ""
    )


def _note(state: State, watched: list[Watched], at: str) -> None:
    state.note({"kt": os.getpid(), "address": at} | {each.name: each.process.pid for each in watched})


def status(state: State) -> int:
    """Say what runs on a state folder; 0 when it serves and is ready."""
    noted, pid = state.noted(), state.database.pid()
    say(f"State     {state.var}")
    say(f"Database  {f'runs, process {pid}, port {state.database.port}' if pid else 'does not run'}")
    for name in sorted({"server", *WORKERS, *noted} - {"kt", "address"}):
        alive = noted.get(name) and Path(f"/proc/{noted[name]}").exists()
        say(f"{name.capitalize():9} {f'runs, process {noted[name]}' if alive else 'does not run'}")
    if not noted.get("address"):
        return 1
    if several := crowded(sum(name.startswith("server") for name in noted)):
        say(f"Note      {several}")
    well, answer = ready(noted["address"])
    say(f"Address   {noted['address']}/  {'ready' if well else f'not ready: {answer}'}")
    return 0 if well else 1
