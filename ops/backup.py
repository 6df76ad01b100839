"""Backup and restore: one consistent state of the database and the key that sign-ins are bound to, as one
file."""

from __future__ import annotations

import contextlib
import json
import os
import shutil
import subprocess
import tarfile
import tempfile
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING

from ops.base import Trouble, find, say, secret
from ops.database import SCHEMA

if TYPE_CHECKING:
    from ops.state import State

BACKUPS = 5
"""So many backups from before migrations are kept."""
PARTS = ("manifest.json", "database.sql", "secret-key")


def _client(state: State, program: str, *arguments: str, **options) -> None:
    """Run one of MariaDB's client programs on the application's schema.

    Raises: Trouble with its message when it failed.
    """
    with tempfile.NamedTemporaryFile("w", dir=state.var, suffix=".cnf") as file:
        file.write(
            f"[client]\nhost=127.0.0.1\nport={state.database.port}\nuser=kt\n"
            f"password={secret(state.var, 'db-password')}\n"
        )
        file.flush()
        done = subprocess.run(
            [find(program), f"--defaults-file={file.name}", *arguments], stderr=subprocess.PIPE, **options
        )
    if done.returncode:
        raise Trouble(f"{program} failed: {done.stderr.decode(errors='replace').strip()[-500:]}")


def back_up(state: State, file: Path) -> None:
    """Write the state to a file while people work; its database must run. A file that is there is replaced
    when all is written."""
    if not file.parent.is_dir():
        raise Trouble(f"{file.parent} is not there: make that folder first.")
    with tempfile.TemporaryDirectory(dir=state.var) as folder:
        parts = [Path(folder) / name for name in PARTS]
        parts[0].write_text(
            json.dumps({"what": "Knee Thicket backup", "format": 1, "at": datetime.now(UTC).isoformat()})
        )
        with parts[1].open("wb") as out:
            _client(
                state,
                "mariadb-dump",
                "--single-transaction",
                "--quick",
                "--no-tablespaces",
                "--hex-blob",
                SCHEMA,
                stdout=out,
            )
        parts[2].write_text(secret(state.var, "secret-key"))
        part = file.with_name(f"{file.name}.part")
        try:
            part.touch(mode=0o600)
            with tarfile.open(part, "w:gz", compresslevel=3) as tar:
                for path in parts:
                    tar.add(path, path.name)
            os.replace(part, file)
            (state.var / "last-backup").touch()
        except OSError as error:
            raise Trouble(f"{file} cannot be written: {error.strerror}.") from error
        finally:
            part.unlink(missing_ok=True)


def back_up_before_migrating(state: State) -> None:
    folder = state.var / "backups"
    folder.mkdir(mode=0o700, exist_ok=True)
    file = folder / f"before-migration-{datetime.now(UTC):%Y%m%d-%H%M%S}.tar.gz"
    say(f"Backing up to {file} before the database is brought up to date")
    back_up(state, file)
    for old in sorted(folder.glob("before-migration-*.tar.gz"))[:-BACKUPS]:
        old.unlink()


def restore(state: State, file: Path) -> None:
    """Fill an empty state folder from a backup; all of it or nothing.

    Raises: Trouble when the folder is not empty or the file is no backup.
    """
    if state.database.data.exists():
        raise Trouble(
            f"{state.var} holds a database already. Restore into an empty folder: KT_VAR=FOLDER "
            f"./kt restore FILE"
        )
    state.var.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=state.var) as name:
        folder = Path(name)
        _unpack(file, folder)
        with contextlib.suppress(FileExistsError):
            (state.var / "secret-key").touch(mode=0o600, exist_ok=False)
        (state.var / "secret-key").write_text((folder / "secret-key").read_text())
        try:
            with state.database.running(), (folder / "database.sql").open("rb") as sql:
                _client(state, "mariadb", SCHEMA, stdin=sql)
        except BaseException:
            shutil.rmtree(state.database.data, ignore_errors=True)
            raise


def _unpack(file: Path, folder: Path) -> None:
    try:
        with tarfile.open(file) as tar:
            if sorted(tar.getnames()) != sorted(PARTS):
                raise Trouble(f"{file} is not a backup of Knee Thicket.")
            tar.extractall(folder, filter="data")
        manifest = json.loads((folder / "manifest.json").read_text())
    except (OSError, EOFError, ValueError, tarfile.TarError) as error:
        raise Trouble(f"{file} cannot be read as a backup: {error}.") from error
    if manifest.get("format") != 1:
        raise Trouble(f"{file} was written by a newer version of Knee Thicket.")
