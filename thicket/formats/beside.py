"""The files that a mesh file on disk names beside it."""

from __future__ import annotations

from contextlib import suppress
from pathlib import Path, PurePosixPath
from urllib.parse import unquote

from thicket.formats.mesh_files import MOST_BYTES
from thicket.formats.plain_gltf import split
from thicket.refused import Refused


def files_of(path: Path) -> dict[str, bytes]:
    """A mesh file on disk with the files that it names, by their paths from its folder; those that are not
    there, or lie outside of the folder, are left out. Other files come alone.

    Raises: OSError when the file itself cannot be read.
    """
    out = {path.name: path.read_bytes()}
    waiting = [path.name]
    while waiting:
        name = waiting.pop()
        for rest in _named(out[name], PurePosixPath(name).suffix.lower()):
            other = str(PurePosixPath(name).parent / rest)
            there = (path.parent / other).resolve()
            inside = there.is_relative_to(path.parent.resolve()) and there.is_file()
            if other not in out and inside and _fits(out, there):
                out[other] = there.read_bytes()
                waiting.append(other)
    return out


def _fits(have: dict[str, bytes], path: Path) -> bool:
    return sum(map(len, have.values())) + path.stat().st_size <= MOST_BYTES


def _named(data: bytes, suffix: str) -> list[str]:
    """The files that a mesh file, or a library of materials, names, by their paths from where it lies."""
    found: list[str] = []
    if suffix == ".gltf":
        with suppress(Refused, AttributeError, TypeError):
            document, _ = split(data, suffix)
            entries = [*document.get("buffers", []), *document.get("images", [])]
            found = [unquote(e["uri"]) for e in entries if not e.get("uri", "data:").startswith("data:")]
    elif suffix in (".obj", ".mtl"):
        for line in data.decode(errors="replace").splitlines():
            word, _, rest = line.strip().partition(" ")
            if word == "mtllib":
                found.append(rest.strip())
            elif word.lower().startswith("map_"):
                found += rest.split()[-1:]
    paths = [PurePosixPath(name.replace("\\", "/")) for name in found]
    return [str(path) for path in paths if not path.is_absolute() and ".." not in path.parts]
