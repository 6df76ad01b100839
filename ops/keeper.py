"""Keeps a state folder's database running as long as anybody uses it: `python -m ops.keeper VAR OWNER
COMMAND`, the last two as JSON: the user and group id that it runs under, none for our own, and what is run.

It is a process of its own, so that the database outlives whoever began to use it first, and ends also when
its users were killed."""

from __future__ import annotations

import fcntl
import json
import subprocess
import sys
from contextlib import suppress
from pathlib import Path

from ops.base import end_with_parent
from ops.database import unused


def main() -> None:
    var, owner, command = Path(sys.argv[1]), json.loads(sys.argv[2]), json.loads(sys.argv[3])
    under = {"user": owner[0], "group": owner[1], "extra_groups": []} if owner else {}
    database = subprocess.Popen(command, stdin=subprocess.DEVNULL, preexec_fn=end_with_parent, **under)
    while True:
        try:
            sys.exit(database.wait(0.5))
        except subprocess.TimeoutExpired:
            with (var / ".database.lock").open("w") as turn, suppress(BlockingIOError):
                fcntl.flock(turn, fcntl.LOCK_EX | fcntl.LOCK_NB)  # nobody is just beginning to use it
                if unused(var):
                    database.terminate()
                    sys.exit(database.wait())


if __name__ == "__main__":
    main()
