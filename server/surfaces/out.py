"""Placed meshes as the API speaks of them."""

from __future__ import annotations

from pydantic import Field

from server.document.planted import planted_of
from server.levels.models import Level
from thicket.document.surface_settings import PlacedMesh


class SurfaceIn(PlacedMesh):
    """A mesh to be placed; without `id` it is a new one."""

    id: int | None = None

    def placed(self) -> PlacedMesh:
        """The placed mesh itself."""
        return PlacedMesh(**self.model_dump(exclude={"id"}))


class SurfaceOut(PlacedMesh):
    id: int
    mesh: str = Field(description="stands for what is drawn, in the address of the mesh")
    triangles: int = Field(description="that are drawn of it")
    notes: list[str] = Field(description="what was mended of its mesh")
    area: float = Field(description="m² in the level")
    hull: list[tuple[float, float, float]] = Field(
        description="outermost points of its own space, for outlines"
    )


def surfaces_out(level: Level) -> list[dict]:
    """All placed meshes of a level for the API."""
    meshes = planted_of(level).meshes
    out = []
    for number, placed in meshes.level.surfaces.items():
        mesh = meshes.mesh(placed)
        out.append(
            {
                **placed.model_dump(),
                "id": number,
                "mesh": meshes.address(placed),
                "triangles": meshes.read(placed).mesh.triangles,
                "notes": meshes.read(placed).notes,
                "hull": mesh.hull.round(3).tolist(),
                "area": round(mesh.area * placed.scale**2, 2),
            }
        )
    return out
