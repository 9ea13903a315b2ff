"""The pale room: a level with exact sizes, for measuring.

Inside: 6 m wide (x -3 to 3), 3 m high (y 0 to 3), 8 m long (z -4 to 4). Floor, ceiling and
walls have base colour 0.5 exactly, metal 0, roughness 1: no maps, nothing else. One
block stands on the floor, 1 m on each side, x 1 to 2, y 0 to 1, z -2.5 to -1.5. Nothing
else is there: whatever a meter or a picture shows can be put beside a closed form.
"""

from typing import Final

import numpy as np

from wallum.document.project import Project, Shot, base_light
from wallum.document.sources import PointSource, SpotSource
from wallum.level.model.model import Level, Material, Mesh, Part
from wallum.level.model.solids import box

__all__ = ["BLOCK", "REFLECTANCE", "ROOM", "pale_room", "pale_room_project"]

ROOM: Final = ((-3.0, 0.0, -4.0), (3.0, 3.0, 4.0))
BLOCK: Final = ((1.0, 0.0, -2.5), (2.0, 1.0, -1.5))
REFLECTANCE: Final = 0.5


def pale_room() -> Level:
    """The level: one room, one block."""
    grey = Material("pale", (REFLECTANCE, REFLECTANCE, REFLECTANCE, 1.0), metallic=0.0, roughness=1.0)
    meshes = (
        Mesh("room", (box(*ROOM, 0, inward=True),)),
        Mesh("block", (box(*BLOCK, 0),)),
    )
    parts = tuple(Part(mesh.name, mesh.name, i, np.eye(4)) for i, mesh in enumerate(meshes))
    shots = (
        Shot(id="shot-long", name="Long side", eye=(-2.4, 1.6, 3.6), direction=(0.42, -0.16, -0.9)),
        Shot(
            id="shot-floor",
            name="Floor from above",
            eye=(0.0, 2.9, 0.0),
            fov=100.0,
            direction=(0.0, -1.0, -0.001),
        ),
    )
    return Level("pale-room", meshes, parts, (grey,), shots=shots)


def pale_room_project() -> Project:
    """A project on it: sun and sky off, one bare lamp and one spot."""
    level = pale_room()
    base = tuple(item.revised(on=False) for item in base_light())
    lamp = PointSource(
        id="lamp",
        name="Ceiling Lamp",
        position=(-1.2, 2.5, 0.4),
        intensity=90.0,
        kelvin=2900.0,
        shadow=True,
        radius=0.08,
        role="key",
    )
    spot = SpotSource(
        id="spot",
        name="Block Spot",
        position=(0.0, 2.7, -0.6),
        direction=(1.5, -2.2, -1.4),
        intensity=420.0,
        inner=12.0,
        outer=26.0,
        kelvin=4300.0,
        shadow=True,
        radius=0.03,
    )
    return Project(
        name="Pale room",
        level="builtin:pale-room",
        shots=level.shots,
        sources=(*base, lamp, spot),
    ).revised(look={"ev100": 4.0})
