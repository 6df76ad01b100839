"""Mesh building blocks for the demo's stock: tubes, cards and broken slabs."""

from __future__ import annotations

import numpy as np

from thicket.formats.stock import Material, Part


class Builder:
    """Gathers triangles of one material into a `Part`."""

    def __init__(self, material: Material) -> None:
        self.material = material
        self.place: list[np.ndarray] = []
        self.normal: list[np.ndarray] = []
        self.uv: list[np.ndarray] = []
        self.index: list[np.ndarray] = []
        self.count = 0

    def add(self, place, normal, uv, index) -> None:
        """Add vertices (n, 3), (n, 3), (n, 2) and triangles (t, 3) that count from 0."""
        self.place.append(np.asarray(place, float))
        self.normal.append(np.asarray(normal, float))
        self.uv.append(np.asarray(uv, float))
        self.index.append(np.asarray(index, int) + self.count)
        self.count += len(place)

    def tube(self, path: np.ndarray, radii: np.ndarray, sides: int, tile: float) -> None:
        """A tapering tube along a path (n, 3); the texture repeats every `tile` m of its length."""
        ring = np.arange(sides + 1) * 2 * np.pi / sides
        along = np.r_[0.0, np.cumsum(np.linalg.norm(np.diff(path, axis=0), axis=1))]
        heading = np.gradient(path, axis=0)
        heading /= np.linalg.norm(heading, axis=1, keepdims=True)
        place, normal, uv = [], [], []
        for at, axis, radius, run in zip(path, heading, radii, along):
            side = np.cross(axis, [0.0, 0.0, 1.0] if abs(axis[2]) < 0.9 else [1.0, 0.0, 0.0])
            side /= np.linalg.norm(side)
            other = np.cross(axis, side)
            out = np.cos(ring)[:, None] * side + np.sin(ring)[:, None] * other
            place.append(at + out * radius)
            normal.append(out)
            uv.append(np.c_[ring / (2 * np.pi), np.full(sides + 1, run / tile)])
        faces = []
        for k in range(len(path) - 1):
            for s in range(sides):
                a, b = k * (sides + 1) + s, (k + 1) * (sides + 1) + s
                faces += [(a, a + 1, b), (a + 1, b + 1, b)]
        self.add(np.concatenate(place), np.concatenate(normal), np.concatenate(uv), faces)

    def card(self, foot, tip, width: float, across, centre=None, uv=(0.0, 0.0, 1.0, 1.0)) -> None:
        """A quad from foot to tip; normals point away from `centre`, which shades a crown as a whole."""
        foot, tip, across = (np.asarray(v, float) for v in (foot, tip, across))
        half = across / np.linalg.norm(across) * width / 2
        place = np.array([foot - half, foot + half, tip + half, tip - half])
        if centre is None:
            n = np.cross(half, tip - foot)
            normal = np.tile(n / np.linalg.norm(n), (4, 1))
        else:
            normal = place - np.asarray(centre)
            normal /= np.linalg.norm(normal, axis=1, keepdims=True)
        u0, v0, u1, v1 = uv
        self.add(place, normal, [(u0, v1), (u1, v1), (u1, v0), (u0, v0)], [(0, 1, 2), (0, 2, 3)])

    def slab(
        self, outline: np.ndarray, low: float, high: float, taper: float, tilt=(0.0, 0.0), tile: float = 1.0
    ):
        """A prism over an outline (n, 2) of x, z with hard edges; its top tapers in and may tilt."""
        n = len(outline)
        base = np.c_[outline[:, 0], np.full(n, low), outline[:, 1]]
        top = np.c_[outline[:, 0] * taper, high + outline @ np.asarray(tilt), outline[:, 1] * taper]
        run = 0.0
        for k in range(n):
            q = np.array([base[k], base[(k + 1) % n], top[(k + 1) % n], top[k]])
            width = np.linalg.norm(q[1] - q[0])
            face = np.cross(q[3] - q[0], q[1] - q[0])
            uv = np.array([(run, low), (run + width, low), (run + width, high), (run, high)]) / tile
            self.add(q, np.tile(face / np.linalg.norm(face), (4, 1)), uv, [(0, 2, 1), (0, 3, 2)])
            run += width
        face = np.cross(top[2] - top[0], top[1] - top[0])
        face *= np.sign(face[1]) / np.linalg.norm(face)
        fan = [(0, k + 1, k) for k in range(1, n - 1)]
        self.add(top, np.tile(face, (n, 1)), top[:, [0, 2]] / tile * 0.25 + 0.03, fan)

    def part(self) -> Part:
        """All that was gathered."""
        return Part(
            self.material,
            np.concatenate(self.place).astype(np.float32),
            np.concatenate(self.normal).astype(np.float32),
            np.concatenate(self.uv).astype(np.float32),
            np.concatenate(self.index).astype(np.uint16).ravel(),
        )
