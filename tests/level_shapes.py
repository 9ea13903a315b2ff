"""Small levels that several tests share."""

import numpy as np

from wallum.level.model.flatten import flatten
from wallum.level.model.model import Level, Material, Mesh, Part
from wallum.level.model.solids import box, grid
from wallum.transport.field.field_cache import field_key
from wallum.transport.field.make_field import make_field
from wallum.transport.scene.rays import RayScene

_FIELDS = {}


def field_of(level, *boxes):
    """The rays of a level, and its field with boxes of probes: made once for all tests that ask for it."""
    rays = RayScene(level, flatten(level))
    key = field_key(rays, level, boxes)
    if key not in _FIELDS:
        _FIELDS[key] = list(make_field(rays, level, level.bounds, boxes))[-1]
    return rays, _FIELDS[key]


def plain_ground(side=20.0):
    """Rough grey ground at height 0."""
    line = np.linspace(-side, side, 9)
    x, z = np.meshgrid(line, line)
    mesh = Mesh("ground", (grid(np.stack([x, 0 * x, z], axis=-1)[::-1], 0),))
    grey = Material("grey", (0.5, 0.5, 0.5, 1.0), 0.0, 1.0)
    return Level("ground", (mesh,), (Part("ground", "ground", 0, np.eye(4)),), (grey,))


def level_of(primitive, material, name="one"):
    return Level(name, (Mesh(name, (primitive,)),), (Part(name, name, 0, np.eye(4)),), (material,))


def grey_level(*shapes):
    """Several primitives of one rough grey."""
    grey = Material("grey", (0.5, 0.5, 0.5, 1.0), 0.0, 1.0)
    return Level("shapes", (Mesh("shapes", shapes),), (Part("shapes", "shapes", 0, np.eye(4)),), (grey,))


def slabs_about(low, high, wall, material=0):
    """Six slabs about a room from low to high, as thick as `wall` [m]."""
    (x0, y0, z0), (x1, y1, z1) = low, high
    w = wall
    slabs = [
        ((x0 - w, y0 - w, z0 - w), (x1 + w, y0, z1 + w)),
        ((x0 - w, y1, z0 - w), (x1 + w, y1 + w, z1 + w)),
        ((x0 - w, y0, z0 - w), (x0, y1, z1 + w)),
        ((x1, y0, z0 - w), (x1 + w, y1, z1 + w)),
        ((x0, y0, z0 - w), (x1, y1, z0)),
        ((x0, y0, z1), (x1, y1, z1 + w)),
    ]
    return [box(a, b, material) for a, b in slabs]


def corridor():
    """Walls, floor and ceiling of a corridor of 4 x 3 x 26 m, which is looked along toward its end."""
    return [
        box((-2.2, 0.0, -20.0), (-2.0, 3.0, 6.0), 0), box((2.0, 0.0, -20.0), (2.2, 3.0, 6.0), 0),
        box((-2.2, -0.2, -20.0), (2.2, 0.0, 6.0), 0), box((-2.2, 3.0, -20.0), (2.2, 3.2, 6.0), 0),
        box((-2.2, 0.0, -20.2), (2.2, 3.0, -20.0), 0),
    ]  # fmt: skip


# A room whose walls glow, each in its colour: -x, +x, the ceiling, -z, +z.
ROOM_LOW, ROOM_HIGH = np.array([0.0, 0.0, 0.0]), np.array([4.0, 3.0, 5.0])
ROOM_COLOURS = np.array(
    [[400.0, 20.0, 20.0], [20.0, 400.0, 20.0], [90.0, 90.0, 90.0], [20.0, 20.0, 400.0], [300.0, 300.0, 10.0]]
)


def glowing(colour):
    """What glows and sends nothing back."""
    black = (0.0, 0.0, 0.0, 1.0)
    return Material("glow", black, 0.0, 1.0, emissive=tuple(colour.tolist()), reflectance=0.0)


def glowing_room(floor, colours=ROOM_COLOURS):
    """That room, on a floor of some material."""
    (x0, y0, z0), (x1, y1, z1), w = ROOM_LOW, ROOM_HIGH, 0.1
    shapes = (
        box((x0 - w, y0 - w, z0 - w), (x1 + w, y0, z1 + w), 0),
        box((x0 - w, y0, z0 - w), (x0, y1, z1 + w), 1),
        box((x1, y0, z0 - w), (x1 + w, y1, z1 + w), 2),
        box((x0 - w, y1, z0 - w), (x1 + w, y1 + w, z1 + w), 3),
        box((x0, y0, z0 - w), (x1, y1, z0), 4),
        box((x0, y0, z1), (x1, y1, z1 + w), 5),
    )
    part = Part("room", "room", 0, np.eye(4))
    return Level("room", (Mesh("room", shapes),), (part,), (floor, *(glowing(colour) for colour in colours)))
