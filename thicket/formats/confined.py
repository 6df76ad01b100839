"""Dropping the rights of a process that is about to read a file somebody brought: Linux only, for good,
and as far as the kernel lets a process do it for itself. docs/running.md says what is not held.

Sources: landlock(7), network_namespaces(7), user_namespaces(7), capabilities(7), prctl(2).
"""

from __future__ import annotations

import ctypes
import os
import resource
import struct
import sys
from collections.abc import Iterable
from pathlib import Path

USER = 64_123
"""The user and group id that a process started by root takes; no account has it."""
_libc = ctypes.CDLL(None, use_errno=True)

_PR_SET_DUMPABLE, _PR_SET_KEEPCAPS, _PR_SET_NO_NEW_PRIVS = 4, 8, 38
_CLONE_NEWUSER, _CLONE_NEWNET = 0x10000000, 0x40000000
_CREATE_RULESET, _ADD_RULE, _RESTRICT_SELF = 444, 445, 446
_CAPABILITIES_3, _DAC_READ_SEARCH = 0x20080522, 1 << 2
_READ = 1 << 0 | 1 << 2 | 1 << 3
"""Landlock's rights to run and read files and to list folders."""
_FILE_RIGHTS = {1: 13, 2: 14, 3: 15, 5: 16}
"""How many rights on files each version of Landlock knows; they are its lowest bits."""


def landlock_version() -> int:
    """The version of Landlock that the kernel offers; 0 when it offers none."""
    return max(_libc.syscall(_CREATE_RULESET, None, 0, 1), 0)


def confine(reads: Iterable[Path], writes: Iterable[Path] = ()) -> None:
    """Leave this process the libraries of Python, the core, and the given paths; no network, and no user of
    the system's where root started it. It cannot be taken back.

    Parameters: reads, files and folders that may be read; writes, folders in which files may be made as well.

    Raises: OSError when the kernel offers a restriction and refuses it.
    """
    _no_network()
    if os.geteuid() == 0:
        _become_nobody()
    _check(_libc.prctl(_PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0))
    _check(_libc.prctl(_PR_SET_DUMPABLE, 0, 0, 0, 0))
    if version := landlock_version():
        _restrict_paths(version, [*_libraries(), *reads], writes)
    elif os.geteuid() == USER:
        _drop_capabilities(0)  # without Landlock, the right to read everything is worth too much


def _check(result: int) -> None:
    if result < 0:
        number = ctypes.get_errno()
        raise OSError(number, os.strerror(number))


def _no_network() -> None:
    """A network of its own with nothing in it. Without root that takes a user namespace, which some systems
    forbid; Landlock still refuses TCP then."""
    if os.geteuid() == 0:
        _libc.unshare(_CLONE_NEWNET)
    elif _libc.unshare(_CLONE_NEWUSER | _CLONE_NEWNET) == 0:
        _drop_capabilities(0)


def _become_nobody() -> None:
    """Give up root for `USER`, but for reading what file modes forbid: Landlock says which files those
    are."""
    _check(_libc.prctl(_PR_SET_KEEPCAPS, 1, 0, 0, 0))
    os.setgroups([])
    os.setresgid(USER, USER, USER)
    os.setresuid(USER, USER, USER)
    _drop_capabilities(_DAC_READ_SEARCH)
    resource.setrlimit(resource.RLIMIT_NPROC, (64, 64))


def _drop_capabilities(but: int) -> None:
    head = struct.pack("=Ii", _CAPABILITIES_3, 0)
    _check(_libc.capset(head, struct.pack("=6I", but, but, 0, 0, 0, 0)))


def _libraries() -> list[Path]:
    """Where the code lies that this process may still have to load."""
    kernels = os.environ.get("NUMBA_CACHE_DIR")
    folders = [
        Path(sys.prefix),
        Path(sys.base_prefix) / "lib",
        Path(__file__).resolve().parent.parent,
        *map(Path, ("/usr/lib", "/lib", "/lib64", "/usr/share/zoneinfo", "/dev/null", "/dev/urandom")),
        *([Path(kernels)] if kernels else []),
    ]
    return [folder for folder in folders if folder.exists()]


def _restrict_paths(version: int, reads: Iterable[Path], writes: Iterable[Path]) -> None:
    """Landlock: all rights on files that it knows are refused but those given here, so are TCP, and signals
    and abstract sockets to processes that are not confined with this one."""
    rights = (1 << max(count for since, count in _FILE_RIGHTS.items() if since <= version)) - 1
    network, scopes = (3 if version >= 4 else 0), (3 if version >= 6 else 0)
    attributes = struct.pack("=3Q", rights, network, scopes)
    size = 24 if version >= 6 else 16 if version >= 4 else 8
    rules = _libc.syscall(_CREATE_RULESET, attributes, size, 0)
    _check(rules)
    try:
        for paths, allowed in ((reads, _READ), (writes, rights)):
            for path in paths:
                _allow(rules, path, allowed & rights)
        _check(_libc.syscall(_RESTRICT_SELF, rules, 0))
    finally:
        os.close(rules)


def _allow(rules: int, path: Path, rights: int) -> None:
    if not path.is_dir():
        rights &= ~(1 << 3)  # listing is a folder's
    under = os.open(path, os.O_PATH | os.O_CLOEXEC)
    try:
        _check(_libc.syscall(_ADD_RULE, rules, 1, struct.pack("=Qi", rights, under), 0))
    finally:
        os.close(under)
