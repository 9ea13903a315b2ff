"""Small levels that several tests share."""

import numpy as np

from wallum.level.model import Level, Material, Mesh, Part
from wallum.level.solids import grid


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
