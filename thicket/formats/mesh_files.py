"""Meshes of things to plant, from glTF and OBJ files, read by trimesh."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from pathlib import PurePosixPath
from typing import Any
from urllib.parse import unquote

import numpy as np

from thicket.formats.plain_gltf import RESOLVED, plain_gltf, split
from thicket.formats.stock import Material, Part
from thicket.refused import Refused

SUFFIXES = (".glb", ".gltf", ".obj")
MOST_TRIANGLES, MOST_SIDE, MOST_BYTES, LARGEST_TEXTURE = 2_000_000, 8192, 512 << 20, 2048
UNITS = {"m": 1.0, "cm": 0.01, "mm": 0.001, "in": 0.0254, "ft": 0.3048}
"""Metres in one of each unit."""
KNOWN = RESOLVED | {
    "KHR_draco_mesh_compression",
    "KHR_materials_unlit",
    "KHR_materials_pbrSpecularGlossiness",
    "KHR_materials_ior",
    "KHR_materials_specular",
    "KHR_materials_clearcoat",
    "KHR_materials_transmission",
}
"""Extensions that a file may require."""
LOD = re.compile(r"^(.*?)[ _.-]*lod[ _.-]*(\d+)", re.IGNORECASE)
BILLBOARD = re.compile(r"^(.*?)[ _.-]*(?:billboard|impostor)$", re.IGNORECASE)
LEFT_OUT = re.compile(r"^(collider|collision)\b", re.IGNORECASE)
FLAT = -1
"""The number that the billboard has among the states of a file."""


@dataclass
class Brought:
    """What a file holds, in m, y up: the parts of each LOD, coarser and coarser, and of the billboard if it
    brings one, and what a person should know, sentences."""

    name: str
    lods: list[list[Part]]
    unit: str
    notes: list[str] = field(default_factory=list)
    billboard: list[Part] = field(default_factory=list)


class _Given:
    """Hands trimesh the files that were given, and no others."""

    def __init__(self, files: Mapping[str, bytes], base: str) -> None:
        self._by_path = {str(PurePosixPath(path)): data for path, data in files.items()}
        self._by_name = {PurePosixPath(path).name: data for path, data in files.items()}
        self._base = PurePosixPath(base).parent
        self.missing: list[str] = []

    def get(self, name: str) -> bytes:
        path = PurePosixPath(unquote(str(name)).replace("\\", "/"))
        found = self._by_path.get(str(self._base / path)) or self._by_name.get(path.name)
        if found is None:
            self.missing.append(path.name)
            raise ValueError(f"{path.name} was not given")
        return found

    def __getitem__(self, name: str) -> bytes:
        return self.get(name)

    def namespaced(self, namespace: str) -> _Given:
        return self

    def write(self, name: str, data: bytes) -> None:
        raise ValueError("files that are read are not written")


def unpacked(files: Mapping[str, bytes]) -> dict[str, bytes]:
    """Files with those of zip archives in place of the archives.

    Raises: Refused when an archive is damaged, unpacks to too much, or has paths that lead out of it.
    """
    out: dict[str, bytes] = {}
    for name, data in files.items():
        if not name.lower().endswith(".zip"):
            out[name] = data
            continue
        try:
            with zipfile.ZipFile(io.BytesIO(data)) as archive:
                entries = [e for e in archive.infolist() if not e.is_dir()]
                if sum(e.file_size for e in entries) > MOST_BYTES:
                    raise Refused(f"{name}: it unpacks to more than {MOST_BYTES >> 20} MB")
                for entry in entries:
                    path = PurePosixPath(entry.filename.replace("\\", "/"))
                    if path.is_absolute() or ".." in path.parts or ":" in entry.filename:
                        raise Refused(f"{name}: its entry {entry.filename[:60]!r} leads out of the archive")
                    with archive.open(entry) as packed:
                        out[str(path)] = packed.read(entry.file_size + 1)[: entry.file_size]
        except (zipfile.BadZipFile, OSError, EOFError, NotImplementedError, RuntimeError) as error:
            raise Refused(f"{name}: it is damaged, or locked with a password") from error
    return out


def guessed_unit(height: float) -> str:
    """The unit that a height most likely is in: things to plant are between a few centimetres and sixty
    metres tall."""
    return "m" if height <= 60 else "cm" if height <= 6000 else "mm"


def guessed_up(place: np.ndarray) -> str:
    """The axis that is upright, of a file that may have either: z when the mesh stands on z = 0 and lies to
    both sides of y = 0.

    Parameters: its corners (n, 3).
    """
    low, high = place.min(0), place.max(0)
    size = np.maximum(high - low, 1e-9)
    stands = np.abs(low) < 0.04 * size
    return "z" if stands[2] and not stands[1] and abs(low[1] + high[1]) < 0.3 * size[1] else "y"


def read_mesh(
    files: Mapping[str, bytes], main: str, unit: str | None = None, up: str | None = None
) -> Brought:
    """Read one mesh file.

    Parameters: files, all that were given, by path; main, the path of the mesh; unit, one of `UNITS`, guessed
    from the size where it is not given; up, the file's upright axis, y or z, which is y in glTF and guessed
    in OBJ where it is not given.

    Raises: Refused naming the file and the cause.
    """
    suffix, resolver = PurePosixPath(main).suffix.lower(), _Given(files, main)
    try:
        data = files[main]
        notes: list[str] = []
        if suffix in (".gltf", ".glb"):
            _check_gltf(data, suffix)
            data, suffix, notes = plain_gltf(data, suffix, resolver.get)
        scene = _load(data, suffix, resolver)
        states, more = _states(scene, linear=suffix != ".obj")
        notes = [*notes, *more]
        name = PurePosixPath(main).stem
        if not states:
            raise Refused("it holds no triangles")
        if up is None and suffix == ".obj":
            up = guessed_up(np.concatenate([p.position for parts in states.values() for p in parts]))
            notes += ["It stands on z = 0, so z is taken for up."] if up == "z" else []
        return _settled(LOD.sub(r"\1", name) or name, states, unit, up or "y", notes + _missed(resolver))
    except Refused as error:
        raise Refused(f"{PurePosixPath(main).name}: {error}") from error


def _check_gltf(data: bytes, suffix: str) -> None:
    """Refuse what would be read wrong, followed for ever, or looked for elsewhere."""
    document, _ = split(data, suffix)
    try:
        nodes = document.get("nodes", [])
        uris = [e["uri"] for kind in ("buffers", "images") for e in document.get(kind, []) if "uri" in e]
        required = set(document.get("extensionsRequired", []))
        seen: set[int] = set()
        level = [n for s in document.get("scenes", []) for n in s.get("nodes", [])]
        for _ in range(len(nodes) + 1):
            if not level:
                break
            if seen & set(level):
                raise Refused("its nodes lie in themselves, or in several places")
            seen |= set(level)
            level = [c for n in level for c in nodes[n].get("children", [])]
    except (ValueError, TypeError, AttributeError, KeyError, IndexError) as error:
        if isinstance(error, Refused):
            raise
        raise Refused("it is damaged, or no glTF") from error
    for uri in uris:
        path = unquote(uri)
        if not uri.startswith("data:") and (
            "://" in uri or ".." in PurePosixPath(path).parts or path.startswith("/")
        ):
            raise Refused(f"it points to {uri[:60]!r}, outside what was given; that is never read")
    unknown = sorted(required - KNOWN)
    if unknown:
        raise Refused(f"it needs {', '.join(unknown)}, which is not read here; write it without")


def _load(data: bytes, suffix: str, resolver: _Given) -> Any:
    import trimesh

    options: dict[str, Any] = {"resolver": resolver, "process": False}
    if suffix == ".obj":
        options["split_objects"] = True
    try:
        return trimesh.load_scene(io.BytesIO(data), file_type=suffix[1:], **options)
    except MemoryError:
        raise
    except Exception as error:  # a damaged file breaks the reader in its own ways
        if resolver.missing:
            raise Refused(f"it needs {resolver.missing[0]}, which was not given with it") from error
        raise Refused("it is damaged or cut short and cannot be read as a mesh") from error


def _states(scene: Any, linear: bool) -> tuple[dict[int, list[Part]], list[str]]:
    """The parts of each LOD by its number, in the scene's places; 0 for what has no number, `FLAT` for a
    billboard.

    Parameters: linear, whether plain colours and those of corners are given in linear light.
    """
    parents = scene.graph.transforms.parents
    states: dict[int, list[Part]] = {}
    notes: list[str] = []
    materials: dict[int, Material] = {}
    total = 0
    for node in scene.graph.nodes_geometry:
        transform, name = scene.graph[node]
        mesh = scene.geometry[name]
        if not len(getattr(mesh, "faces", ())) or LEFT_OUT.match(str(node)):
            continue
        total += len(mesh.faces)
        if total > MOST_TRIANGLES:
            raise Refused(f"it holds more than {MOST_TRIANGLES:,} triangles")
        number = _lod_number([name, *_with_parents(node, parents)])
        states.setdefault(number, []).append(_part(mesh, transform, materials, notes, linear))
    return states, list(dict.fromkeys(notes))


def _with_parents(node: Any, parents: Mapping) -> list:
    out: list[Any] = []
    while node is not None and len(out) < 1000:
        out.append(node)
        node = parents.get(node)
    return out


def _lod_number(names: list) -> int:
    """The number of the LOD that the first name that has one gives; 0 when none has, `FLAT` for a
    billboard."""
    if any(BILLBOARD.match(str(name)) for name in names):
        return FLAT
    return next((int(m.group(2)) for m in map(LOD.match, map(str, names)) if m), 0)


def _corner_colours(mesh: Any, linear: bool) -> np.ndarray | None:
    """The colours of a mesh's corners in linear light, uint8 (n, 4); None when it has none."""
    if getattr(mesh.visual, "kind", None) == "vertex":
        colours = np.asarray(mesh.visual.vertex_colors)
    else:
        colours = np.asarray(getattr(mesh.visual, "vertex_attributes", {}).get("color", ()))
    if len(colours) != len(mesh.vertices):
        return None
    colours = colours / 255.0 if colours.dtype == np.uint8 else np.clip(np.asarray(colours, float), 0, 1)
    alpha = colours[:, 3] if colours.shape[1] > 3 else np.ones(len(colours))
    colours = np.c_[colours[:, :3] if linear else colours[:, :3] ** 2.2, alpha]
    return None if (colours[:, :3] > 0.995).all() else np.rint(colours * 255).astype(np.uint8)


def _part(
    mesh: Any, transform: np.ndarray, materials: dict[int, Material], notes: list[str], linear: bool
) -> Part:
    """A mesh where its node puts it. (Copying it would have its images decoded and copied, too.)"""
    turn = transform[:3, :3]
    place = np.asarray(mesh.vertices, np.float64) @ turn.T + transform[:3, 3]
    faces = np.asarray(mesh.faces)
    if np.linalg.det(turn) < 0:
        faces = faces[:, ::-1]
    if not np.isfinite(place).all():
        raise Refused("it has corners that are not numbers")
    if faces.min() < 0 or faces.max() >= len(place):
        raise Refused("its triangles name corners that it does not have")
    uv = getattr(mesh.visual, "uv", None)
    uv = (
        np.zeros((len(place), 2))
        if uv is None or len(uv) != len(place)
        else np.asarray(uv) * [1, -1] + [0, 1]
    )
    source = getattr(mesh.visual, "material", None)
    if id(source) not in materials or source is None:
        materials[id(source)] = _material(source, notes, linear)
    normal = np.nan_to_num(np.asarray(mesh.vertex_normals) @ np.linalg.pinv(turn)).astype(np.float32)
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), np.float32(1e-9))
    return Part(
        materials[id(source)],
        place.astype(np.float32),
        normal,
        uv.astype(np.float32),
        faces.astype(np.uint32).ravel(),
        _corner_colours(mesh, linear),
    )


def _material(source: Any, notes: list[str], linear: bool) -> Material:
    """A surface as we draw them: one texture, with holes or without."""
    name = str(getattr(source, "name", "") or "surface")[:60]
    image = getattr(source, "baseColorTexture", None) or getattr(source, "image", None)
    factor = getattr(source, "baseColorFactor", None)
    factor = getattr(source, "diffuse", None) if factor is None and image is None else factor
    colour = np.array([255, 255, 255, 255.0]) if factor is None else np.asarray(factor, float).ravel()[:4]
    colour = colour * 255 if factor is not None and colour.max() <= 1.0 else colour
    if linear:
        colour = np.r_[255 * (colour[:3] / 255) ** (1 / 2.2), colour[3:]]
    encoded = None
    if image is None:
        texture = np.tile(np.rint(colour).astype(np.uint8), (4, 4, 1))
    else:
        texture, encoded = _texture(image, name, colour, notes)
    mode = str(getattr(source, "alphaMode", None) or "OPAQUE").upper()
    if mode == "MASK" and getattr(source, "alphaCutoff", None):
        factor = 0.5 / max(float(source.alphaCutoff), 0.01)
        if abs(factor - 1) > 0.05:
            texture = np.dstack(
                [texture[..., :3], np.clip(texture[..., 3] * factor, 0, 255).astype(np.uint8)]
            )
            encoded = None
    if mode == "BLEND":
        notes.append(f"Its see-through surface {name} is drawn as a cut-out.")
    cut = mode in ("MASK", "BLEND") or (
        not hasattr(source, "alphaMode") and 0.01 < float((texture[..., 3] < 128).mean()) < 1
    )
    return Material(
        name, texture, cut=cut, both_sides=bool(getattr(source, "doubleSided", False)), encoded=encoded
    )


def _texture(image: Any, name: str, colour: np.ndarray, notes: list[str]) -> tuple[np.ndarray, bytes | None]:
    """A surface's picture, RGBA uint8, times its plain colour; and the file it was read from, if it is just
    that."""
    if max(image.size) > MOST_SIDE:
        raise Refused(
            f"its image of {name!r} is {image.width:,} × {image.height:,}; at most {MOST_SIDE:,} "
            f"a side are taken"
        )
    stream = getattr(image, "fp", None)
    encoded = (
        stream.getvalue() if image.format in ("PNG", "JPEG") and isinstance(stream, io.BytesIO) else None
    )
    if max(image.size) > LARGEST_TEXTURE:
        notes.append(
            f"Its image of {name} was {image.width:,} × {image.height:,}; it is kept at "
            f"{LARGEST_TEXTURE:,} a side."
        )
        image, encoded = image.copy(), None
        image.thumbnail((LARGEST_TEXTURE, LARGEST_TEXTURE))
    texture = np.asarray(image.convert("RGBA"))
    if (colour > 254.5).all():
        return texture, encoded
    return np.rint(texture * (colour / 255).astype(np.float32)).astype(np.uint8), None


def _settled(
    name: str, states: dict[int, list[Part]], unit: str | None, up: str, notes: list[str]
) -> Brought:
    """LODs in order, in m, y up, with the foot in the middle of the ground plan."""
    flat = states.pop(FLAT, [])
    if not states:
        raise Refused("it holds a billboard and no mesh")
    lods = [*(states[k] for k in sorted(states)), flat]
    if up == "z":
        turn = np.array([[1, 0, 0], [0, 0, 1], [0, -1, 0]], np.float32)
        lods = [
            [replace(p, position=p.position @ turn.T, normal=p.normal @ turn.T) for p in parts]
            for parts in lods
        ]
    height = max(float(np.ptp(p.position[:, 1])) for p in lods[0])
    if not height > 0:
        raise Refused("it has no height; is its upright axis another?")
    if unit is None:
        unit = guessed_unit(height)
        if unit != "m":
            notes = [*notes, f"It is {height:,.0f} high, which is taken for {unit}."]
    scale = np.float32(UNITS[unit])
    lods = [[replace(p, position=p.position * scale) for p in parts] for parts in lods]
    return Brought(name, lods[:-1], unit, notes, [_facing(p, len(flat)) for p in lods[-1]])


def _facing(part: Part, cards: int) -> Part:
    """A billboard's part: a single card turns to the eye."""
    alone = cards == 1 and len(part.index) == 6
    return replace(part, material=replace(part.material, cut=True, facing=alone))


def _missed(resolver: _Given) -> list[str]:
    return [
        f"Its image {name} was not given; that surface is drawn plain."
        for name in dict.fromkeys(resolver.missing)
    ]
