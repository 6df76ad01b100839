"""A state folder's own MariaDB: made once, closed to everybody else, on a loopback port that stays the
same."""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import pwd
import shutil
import socket
import subprocess
import sys
import time
import zlib
from collections.abc import Iterator
from pathlib import Path
from typing import IO

from ops.base import ROOT, Trouble, alone, find, port_is_free, run, say, secret, stop

ACCOUNT = "knee-thicket"
"""The system account that the database runs under where root starts it."""
SCHEMA = "knee_thicket"
USERS = ".database-users"
"""A file on which everybody who uses the database holds a shared lock."""


def _system_account() -> pwd.struct_passwd | None:
    """The database's account, made when it is missing; None where we are not root or cannot make one."""
    if os.geteuid() != 0:
        return None
    with contextlib.suppress(KeyError):
        return pwd.getpwnam(ACCOUNT)
    if not find("useradd"):
        return None
    run(
        ["useradd", "--system", "--no-create-home", "--user-group", "--shell", "/usr/sbin/nologin", ACCOUNT],
        "Making the database's account",
    )
    return pwd.getpwnam(ACCOUNT)


def unused(var: Path) -> bool:
    """Whether nobody uses a state folder's database now; who does holds a lock, which goes with their
    process."""
    with (var / USERS).open("a") as users:
        try:
            fcntl.flock(users, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            return False
        return True


class Database:
    """The database of one state folder."""

    def __init__(self, var: Path) -> None:
        self.var, self.data = var, var / "db"
        self._owner: pwd.struct_passwd | None = None
        self._using: IO | None = None

    @property
    def port(self) -> int:
        """The port kept for this state folder: chosen once, below those that outgoing connections are
        given."""
        file = self.var / "db-port"
        if not file.exists():
            self.var.mkdir(parents=True, exist_ok=True)
            first = zlib.crc32(str(self.var).encode()) % 10_000
            file.write_text(
                str(
                    next(
                        20_000 + (first + k) % 10_000
                        for k in range(10_000)
                        if port_is_free(20_000 + (first + k) % 10_000)
                    )
                )
            )
        return int(file.read_text())

    def pid(self) -> int | None:
        """The database's process, when it runs."""
        with contextlib.suppress(OSError, ValueError):
            pid = int((self.data / "kt.pid").read_text())
            if f"--datadir={self.data}".encode() in Path(f"/proc/{pid}/cmdline").read_bytes():
                return pid
        return None

    def start(self) -> None:
        """Use it: it is started when it does not run, and lives as long as anybody uses it."""
        with alone(self.var, "database"):
            if self._using is None:
                self._using = (self.var / USERS).open("a")
                fcntl.flock(self._using, fcntl.LOCK_SH)
            if self.pid():
                return
            self._choose_owner()
            self._install()
            self.close()
            if not self._port_comes_free():
                raise Trouble(
                    f"Port {self.port}, which the database of {self.var} uses, is taken by "
                    f"another program. End that, or "
                    f"remove {self.var / 'db-port'} to have another port chosen."
                )
            process = self._spawn()
            for _ in range(600):
                if process.poll() is not None:
                    raise Trouble(f"The database did not start; {self.var / 'db.log'} says why.")
                with (
                    contextlib.suppress(OSError),
                    socket.create_connection(("127.0.0.1", self.port), timeout=1),
                ):
                    if self.pid():
                        return
                time.sleep(0.1)
            raise Trouble(f"The database did not answer within a minute; see {self.var / 'db.log'}.")

    def _port_comes_free(self) -> bool:
        """Whether the port is free; a database that was just killed keeps it for moments after its process
        has lost its name."""
        for _ in range(100):
            if port_is_free(self.port):
                return True
            time.sleep(0.1)
        return False

    @contextlib.contextmanager
    def running(self) -> Iterator[None]:
        """The database, started when it does not run and ended with its last user."""
        self.start()
        try:
            yield
        finally:
            self.stop()

    def stop(self) -> None:
        """Use it no longer; it ends with its last user."""
        with alone(self.var, "database"):
            if self._using is None:
                return
            self._using.close()
            self._using = None
            pid = self.pid()
            if pid and unused(self.var):
                stop(pid)

    def _choose_owner(self) -> None:
        """The account it will run under: one of its own where that can reach the folder, else the one we run
        under."""
        account = _system_account()
        if account is None:
            return
        os.chown(self.var, 0, account.pw_gid)
        self.var.chmod(0o710)
        reached = subprocess.run(
            ["test", "-x", str(self.var)], user=account.pw_uid, group=account.pw_gid, extra_groups=[]
        )
        if reached.returncode:
            os.chown(self.var, 0, 0)
            say(f"The account {ACCOUNT} cannot reach {self.var}, so the database runs as root.")
        else:
            self._owner = account

    def close(self) -> None:
        """Close the state folder and everything in it to others, also what an earlier version left open."""
        self.var.chmod(0o710 if self._owner else 0o700)
        own = {self.data, self.var / "db-files"}
        for path in self.var.iterdir():
            if path.is_symlink():
                continue
            with contextlib.suppress(FileNotFoundError):
                path.chmod(path.stat().st_mode & 0o700)
        for folder in own:
            folder.mkdir(mode=0o700, exist_ok=True)
            if self._owner:
                for path in (folder, *folder.rglob("*")):
                    os.chown(path, self._owner.pw_uid, self._owner.pw_gid)

    def _install(self) -> None:
        if (self.data / "mysql").is_dir():
            return
        fresh = self.var / "db.new"
        shutil.rmtree(fresh, ignore_errors=True)
        run(
            [
                find("mariadb-install-db"),
                "--no-defaults",
                f"--datadir={fresh}",
                "--auth-root-authentication-method=normal",
                "--skip-test-db",
                *(["--user=root"] if os.geteuid() == 0 else []),
            ],
            "Making the database",
        )
        shutil.rmtree(self.data, ignore_errors=True)
        fresh.rename(self.data)

    def _accounts(self) -> str:
        """What is run at every start: three accounts, each with a password, and none besides."""
        root, word, tests = (
            secret(self.var, name) for name in ("db-root-password", "db-password", "db-test-password")
        )
        return (
            f"CREATE DATABASE IF NOT EXISTS {SCHEMA} CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;\n"
            "DELETE FROM mysql.global_priv WHERE NOT (Host = 'localhost' AND User IN ('root', "
            "'mariadb.sys'));\n"
            "DELETE FROM mysql.db;\n"
            "FLUSH PRIVILEGES;\n"
            f"ALTER USER root@localhost IDENTIFIED BY '{root}';\n"
            f"CREATE USER kt@'127.0.0.1' IDENTIFIED BY '{word}';\n"
            f"GRANT ALL ON {SCHEMA}.* TO kt@'127.0.0.1';\n"
            f"CREATE USER kt_test@'127.0.0.1' IDENTIFIED BY '{tests}';\n"
            "GRANT ALL ON `test\\_%`.* TO kt_test@'127.0.0.1';\n"
        )

    def _spawn(self) -> subprocess.Popen:
        init = self.data / "kt-init.sql"
        init.touch(mode=0o600)
        init.write_text(self._accounts())
        owner: list[int] = []
        if self._owner:
            os.chown(init, self._owner.pw_uid, self._owner.pw_gid)
            owner = [self._owner.pw_uid, self._owner.pw_gid]
        command = [
            find("mariadbd"),
            "--no-defaults",
            f"--datadir={self.data}",
            "--socket=kt.sock",
            f"--port={self.port}",
            "--bind-address=127.0.0.1",
            "--skip-name-resolve",
            f"--pid-file={self.data / 'kt.pid'}",
            f"--init-file={init}",
            f"--secure-file-priv={self.var / 'db-files'}",
            "--local-infile=0",
            "--skip-symbolic-links",
            "--innodb-buffer-pool-size=256M",
            "--max-allowed-packet=64M",
            "--character-set-server=utf8mb4",
            *(["--user=root"] if os.geteuid() == 0 and not self._owner else []),
        ]
        with (self.var / "db.log").open("ab") as log:
            return subprocess.Popen(
                [sys.executable, "-m", "ops.keeper", str(self.var), json.dumps(owner), json.dumps(command)],
                stdout=log,
                stderr=log,
                stdin=subprocess.DEVNULL,
                cwd=ROOT,
                start_new_session=True,
                umask=0o077,
            )
