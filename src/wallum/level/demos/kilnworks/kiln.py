"""The great kiln: a bottle of brick with four glowing mouths, bound in iron."""

import numpy as np

from wallum.level.demos.kilnworks.shapes import at, beam, bevelled_box, heap, joined, moved, turned
from wallum.level.demos.kilnworks.surfaces import Surface
from wallum.level.model.model import Primitive
from wallum.level.model.solids import grid

__all__ = ["KILN_AT", "MOUTHS_DEG", "kiln_body", "kiln_iron", "mouth"]

KILN_AT = (-3.0, -3.0)
# Where the mouths look, counter-clockwise from south as seen from above.
MOUTHS_DEG = (-52.0, 38.0, 128.0, 218.0)
BRICK, IRON, EMBER, EARTH = Surface.BRICK, Surface.IRON, Surface.EMBER, Surface.EARTH

OUTLINE = [
    (0.55, 9.9), (0.62, 10.9), (0.80, 11.06), (1.02, 11.0), (1.04, 10.72), (0.88, 10.5), (0.86, 9.6),
    (0.96, 8.5), (1.28, 7.35), (1.95, 6.2), (2.75, 5.15), (3.4, 4.1), (3.82, 3.0), (4.02, 1.9),
    (4.08, 0.9), (4.12, 0.42), (4.5, 0.40), (4.56, 0.30), (4.58, -0.25),
]  # fmt: skip


def radius_at(height: float) -> float:
    """Outer radius of the kiln at a height [m]."""
    outside = OUTLINE[3:]
    return float(np.interp(height, [h for _, h in outside[::-1]], [r for r, _ in outside[::-1]]))


def kiln_body() -> tuple[Primitive, ...]:
    """The bottle, and the bricked-up way in on its north side."""
    body = turned(OUTLINE, 72, BRICK, smooth=2)
    door = [bevelled_box((-0.8, -0.2, 3.75), (0.8, 2.05, 4.28), BRICK, 0.03)]
    door.append(bevelled_box((-0.95, 2.0, 3.7), (0.95, 2.25, 4.32), BRICK, 0.03))
    turned_door = [moved(item, at(0.0, 0.0, 0.0, 165.0)) for item in door]
    return joined([body, *turned_door])


def kiln_iron() -> tuple[Primitive, ...]:
    """Bands about the bottle, and a ladder of iron rungs up to its neck."""
    out = []
    for height in (1.35, 2.7, 4.0, 5.3, 8.2, 9.5):
        r = radius_at(height)
        ring = [
            (r - 0.01, height + 0.05),
            (r + 0.028, height + 0.045),
            (r + 0.028, height - 0.045),
            (r - 0.01, height - 0.05),
        ]
        out.append(turned(ring, 48, IRON, smooth=1))
    turn = np.radians(100.0)
    for height in np.arange(0.8, 10.0, 0.34):
        r = radius_at(float(height)) + 0.07
        x, z = r * np.sin(turn), r * np.cos(turn)
        aside = np.array([np.cos(turn), 0.0, -np.sin(turn)]) * 0.2
        a, b = np.array([x, height, z]) - aside, np.array([x, height, z]) + aside
        out.append(beam(tuple(a), tuple(b), 0.035, 0.035, IRON))
    return joined(out)


def _arch(inner: float, outer: float, deep: float, spring: float, count: int) -> list[Primitive]:
    """Wedge bricks about a half circle, at the front of a mouth."""
    out = []
    for k in range(count):
        turn = np.pi * (k + 0.5) / count
        middle, wide = 0.5 * (inner + outer), np.pi * 0.5 * (inner + outer) / count
        brick = bevelled_box(
            (-(outer - inner) / 2, -wide / 2 + 0.008, -deep / 2), ((outer - inner) / 2, wide / 2 - 0.008, deep / 2),
            BRICK, 0.014,
        )  # fmt: skip
        matrix = np.eye(4)
        c, s = np.cos(turn), np.sin(turn)
        matrix[:3, :3] = np.array([[c, -s, 0.0], [s, c, 0.0], [0.0, 0.0, 1.0]])
        matrix[:3, 3] = (c * middle, spring + s * middle, 0.0)
        out.append(moved(brick, matrix))
    return out


def mouth(rng: np.random.Generator) -> tuple[Primitive, ...]:
    """One fire mouth, looking south (+z), its front at the origin: piers, arch, fire, ash."""
    out = []
    for side in (-1.0, 1.0):
        for course in range(6):
            low = -0.1 + course * 0.135
            shift = 0.03 * (course % 2)
            out.append(
                bevelled_box(
                    (side * 0.46 - 0.15, low, -0.75),
                    (side * 0.46 + 0.15, low + 0.125, 0.02 + shift),
                    BRICK,
                    0.016,
                )
            )
    out += [moved(item, at(0.0, 0.0, -0.16)) for item in _arch(0.33, 0.62, 0.42, 0.70, 11)]
    out.append(bevelled_box((-0.74, 1.3, -1.2), (0.74, 1.46, 0.06), BRICK, 0.03))
    out.append(bevelled_box((-0.74, 0.7, -1.2), (-0.52, 1.34, -0.34), BRICK, 0.02))
    out.append(bevelled_box((0.52, 0.7, -1.2), (0.74, 1.34, -0.34), BRICK, 0.02))
    back = np.array([[[-0.36, 1.1, -0.62], [0.36, 1.1, -0.62]], [[-0.36, 0.12, -0.5], [0.36, 0.12, -0.5]],
                     [[-0.34, 0.05, -0.02], [0.34, 0.05, -0.02]]])  # fmt: skip
    out.append(grid(back[::-1], EMBER, (1.0, 1.6)))
    for _ in range(7):  # lumps that fell out
        x, z, size = rng.uniform(-0.34, 0.34), rng.uniform(-0.1, 0.45), rng.uniform(0.03, 0.065)
        lump = heap(rng, size, size * 0.9, EMBER if z < 0.14 else EARTH, 9)
        out.append(moved(lump, at(x, 0.03, z, rng.uniform(0, 360))))
    out.append(moved(heap(rng, 0.62, 0.07, EARTH, 15), at(0.0, 0.0, 0.35)))
    return joined(out)
