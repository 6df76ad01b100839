"""Placed meshes as binary glTF."""

from __future__ import annotations

import numpy as np

from thicket.formats.glb import ARRAY, INDEX, GlbWriter
from thicket.surfaces.mesh import Mesh

GREY = (0.19, 0.175, 0.155, 1.0)
"""The colour of what is made here, in linear light."""


def mesh_glb(mesh: Mesh, name: str) -> bytes:
    """A mesh with a plain material: each triangle has its own corners, so that edges stay sharp where the
    mesh bends by more than 40°."""
    writer = GlbWriter()
    place = mesh.corners.reshape(-1, 3).astype("<f4")
    attributes = {
        "POSITION": writer.accessor(place, ARRAY, bounds=True),
        "NORMAL": writer.accessor(_normals(mesh).astype("<f4"), ARRAY),
    }
    index = writer.accessor(np.arange(len(place), dtype="<u4"), INDEX)
    surface = {"baseColorFactor": GREY, "metallicFactor": 0.0, "roughnessFactor": 0.95}
    material = writer.add("materials", {"name": name, "pbrMetallicRoughness": surface})
    primitive = {"attributes": attributes, "indices": index, "material": material}
    made = writer.add("meshes", {"primitives": [primitive]})
    return writer.finish([writer.add("nodes", {"name": name, "mesh": made})])


def _normals(mesh: Mesh) -> np.ndarray:
    """The direction of each triangle's corners: that of the corner, where it bends little there."""
    _, corner = np.unique(mesh.vertices.round(6), axis=0, return_inverse=True)
    corner = corner.reshape(-1)[mesh.faces]
    total = np.zeros((corner.max() + 1, 3))
    for k in range(3):
        np.add.at(total, corner[:, k], mesh.normals * mesh.areas[:, None])
    length = np.linalg.norm(total, axis=1, keepdims=True)
    smooth = (total / np.where(length > 0, length, 1))[corner]
    flat = np.repeat(mesh.normals[:, None], 3, axis=1)
    bent = np.einsum("mkd,mkd->mk", smooth, flat) < np.cos(np.radians(40))
    return np.where(bent[..., None], flat, smooth).reshape(-1, 3)
