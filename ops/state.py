"""A state folder: its database, the environment of the processes that work on it, what runs on it."""

from __future__ import annotations

import contextlib
import json
import os
import subprocess
from pathlib import Path

from ops.backup import back_up_before_migrating
from ops.base import NUMBA, PYTHON, ROOT, TOOLS, Trouble, digest, secret, step
from ops.database import Database


def state_folder() -> Path:
    """The state folder of this run: `var/`, or what KT_VAR names."""
    return Path(os.environ.get("KT_VAR") or TOOLS).resolve()


class State:
    """One state folder."""

    def __init__(self, var: Path) -> None:
        self.var = var
        self.database = Database(var)

    def environment(self, tests: bool = False) -> dict[str, str]:
        """The environment of a process that works on this state; for tests, with the account that may only
        reach their schemas."""
        user, word = ("kt_test", "db-test-password") if tests else ("kt", "db-password")
        return (
            # Memory of freed arrays goes back to the system; otherwise, after some large ones, it would not.
            {"MALLOC_ARENA_MAX": "4", "MALLOC_MMAP_THRESHOLD_": str(1 << 20)}
            | os.environ
            | {
                "KT_VAR": str(self.var),
                "KT_DB_PORT": str(self.database.port),
                "KT_DB_USER": user,
                "KT_DB_PASSWORD": secret(self.var, word),
                "KT_FIRST_CODE": self.first_code,
                "KT_SECRET": secret(self.var, "secret-key"),
                "DJANGO_SETTINGS_MODULE": "server.settings",
                "PYTHONPATH": str(ROOT),
                "NUMBA_CACHE_DIR": NUMBA,
                "PYTHONUNBUFFERED": "1",
            }
        )

    @property
    def first_code(self) -> str:
        """With it, the first account of this state is made on the screen."""
        word = secret(self.var, "first-code")
        return f"{word[:4]}-{word[4:8]}-{word[8:12]}"

    def fill_shelf(self) -> None:
        """Put the items to begin with on the shelf, once."""
        with step("shelf", digest(ROOT / "demo", ROOT / "thicket" / "stock"), self.database.data) as work:
            if work and self.django("fill_shelf"):
                raise Trouble("The shelf could not be filled; the message is above.")

    def django(self, *arguments: str, tests: bool = False) -> int:
        return subprocess.run(
            [str(PYTHON), "-m", "django", *arguments], env=self.environment(tests), cwd=ROOT
        ).returncode

    def migrate(self) -> None:
        """Bring the database up to date; what is there is backed up before.

        Raises: Trouble when it cannot be done, or a newer version has worked on it.
        """
        sources = sorted((ROOT / "server").glob("*/migrations/*.py")) + [ROOT / "requirements.txt"]
        with step("migrated", digest(*sources), self.database.data) as work:
            if not work:
                return
            asked = subprocess.run(
                [str(PYTHON), "-m", "django", "database_state"],
                env=self.environment(),
                cwd=ROOT,
                capture_output=True,
                text=True,
            )
            if asked.returncode:
                raise Trouble(
                    f"The database could not be asked what it holds:\n{asked.stderr.strip()[-2000:]}"
                )
            found = json.loads(asked.stdout)
            if found["unknown"]:
                raise Trouble(
                    f"A newer version of Knee Thicket has worked on {self.var} "
                    f"({', '.join(found['unknown'][:4])}). "
                    "Use that version, or restore a backup from before it into an empty folder."
                )
            if found["too_old"]:
                raise Trouble(
                    f"{self.var} was last used by a version of Knee Thicket that this one cannot carry over. "
                    "Start it once with the version of 30 November 2026, then with this one."
                )
            if found["behind"] and found["applied"]:
                back_up_before_migrating(self)
            if self.django("migrate", "--verbosity", "0"):
                raise Trouble("The database could not be brought up to date; the message is above.")

    def note(self, running: dict[str, int]) -> None:
        """Note which processes serve this state, for `./kt status`."""
        fresh = self.var / "running.json.new"
        fresh.write_text(json.dumps(running))
        fresh.replace(self.var / "running.json")  # whoever reads it never finds half of it

    def noted(self) -> dict[str, int]:
        with contextlib.suppress(OSError, ValueError):
            return json.loads((self.var / "running.json").read_text())
        return {}
