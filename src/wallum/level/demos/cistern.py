"""The cistern: a generated hall under ground with one opening above, columns and still water."""

from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.document.look import AS_METERED, Look
from wallum.document.project import PartMarks, Project, Setting, Shot, base_light
from wallum.document.sources import PointSource
from wallum.level.demos.kilnworks.shapes import at, bevelled_box, joined, sheet, turned, wall
from wallum.level.demos.patterns import brick_height, colour_map, noise, normal_map
from wallum.level.model.model import Level, Material, Mesh, Part, Primitive, TextureUse
from wallum.level.model.solids import grid

__all__ = ["VERSION", "cistern", "cistern_project"]

# Counts up when the level changes, so that kept files are made anew.
VERSION: Final = 3
STONE, WATER, GLASS, EARTH = range(4)
BAY, ACROSS, ALONG = 4.0, 4, 6  # a bay's side [m], bays across and along
SPRING, RISE, DEEP, THICK = 3.4, 1.5, -1.2, 4.0
# The bay whose vault is open to the sky.
OPEN: Final = (1, 3)
SIZE: Final = 512
LAMPS: Final = (((-6.0, 2.0, 8.0), 34.0), ((2.0, 2.0, -9.6), 26.0))


def _materials() -> tuple[tuple[Material, ...], tuple[object, ...]]:
    fine, broad = noise(SIZE, 14, 5, 5), noise(SIZE, 2, 4, 6)
    height, each = brick_height(SIZE, 9, 4, 7)
    tone = np.clip(0.55 * each + 0.5 * broad, 0.0, 1.0)[..., None]
    colour = np.array((0.24, 0.21, 0.175)) * (1.0 - tone) + np.array((0.44, 0.395, 0.33)) * tone
    damp = np.clip(noise(SIZE, 3, 5, 8) * 2.2 - 0.9, 0.0, 0.6)[..., None]
    colour = colour * (0.75 + 0.4 * fine[..., None]) * (1.0 - 0.55 * damp)
    colour = colour * (0.55 + 0.45 * height[..., None])
    pictures = (
        colour_map("stone colour", np.clip(colour, 0.0, 1.0)),
        normal_map("stone normal", height + 0.5 * fine, 4.0),
        normal_map("water normal", noise(SIZE, 6, 3, 9), 0.35),
    )
    scale = (0.5, 0.5)
    maps = {"base": TextureUse(0, scale=scale), "normal": TextureUse(1, scale=scale)}
    stone = Material("stone", metallic=0.0, roughness=0.82, textures=maps)  # type: ignore[arg-type]
    water = Material(
        "water", (0.012, 0.022, 0.02, 1.0), 0.0, 0.05, textures={"normal": TextureUse(2, scale=(0.2, 0.2))}
    )
    glass = Material(
        "lamp glass", (0.6, 0.5, 0.4, 1.0), 0.0, 0.4, emissive=(1.0, 0.6, 0.3), emissive_strength=320.0
    )
    earth = Material("earth", (0.30, 0.24, 0.16, 1.0), 0.0, 0.95)
    return (stone, water, glass, earth), pictures


def _vault_height(x: NDArray[np.float64], z: NDArray[np.float64]) -> NDArray[np.float64]:
    """Height of a groin vault over one bay, from its middle [m]."""
    half = BAY / 2
    a, b = np.clip(np.abs(x) / half, 0.0, 1.0), np.clip(np.abs(z) / half, 0.0, 1.0)
    return np.asarray(SPRING + RISE * np.maximum(np.sqrt(1.0 - a**2), np.sqrt(1.0 - b**2)))


def _bay(x: float, z: float) -> Primitive:
    steps = np.linspace(-BAY / 2, BAY / 2, 15)
    gx, gz = np.meshgrid(steps, steps)
    points = np.stack([x + gx, _vault_height(gx, gz), z + gz], axis=-1)
    return sheet(points, STONE)  # seen from below


def _column() -> Primitive:
    outline = [(0.42, SPRING), (0.46, SPRING - 0.12), (0.34, SPRING - 0.3), (0.27, SPRING - 0.55), (0.26, 1.4),
               (0.29, 0.2), (0.38, -0.1), (0.40, DEEP)]  # fmt: skip
    return turned(outline, 24, STONE, 2)


def _shaft(x: float, z: float) -> list[Primitive]:
    """Walls of the opening, from the vault up to the ground."""
    half, top = BAY / 2, SPRING + RISE + 2.4
    out = []
    for a, b in (
        ((-half, -half), (half, -half)),
        ((half, -half), (half, half)),
        ((half, half), (-half, half)),
        ((-half, half), (-half, -half)),
    ):
        out += wall((x + a[0], z + a[1]), (x + b[0], z + b[1]), SPRING, top, 0.35, STONE)
    return out


def _ground(x: float, z: float) -> Primitive:
    """Earth above, open over the shaft."""
    half = BAY / 2
    xs = np.array([-26.0, x - half, x + half, 26.0])
    zs = np.array([-30.0, z - half, z + half, 30.0])
    gx, gz = np.meshgrid(xs, zs)
    points = np.stack([gx, np.full_like(gx, SPRING + RISE + 2.3), gz], axis=-1)
    built = sheet(points[::-1], EARTH)
    middle = built.positions[built.triangles].mean(axis=1)
    hole = (np.abs(middle[:, 0] - x) < half) & (np.abs(middle[:, 2] - z) < half)
    return Primitive(built.positions, built.normals, built.triangles[~hole], EARTH, built.tangents, built.uv0)


def cistern() -> Level:
    """The level."""
    wide, long = ACROSS * BAY, ALONG * BAY
    centres = [
        (i, j, -wide / 2 + BAY * (i + 0.5), -long / 2 + BAY * (j + 0.5))
        for i in range(ACROSS)
        for j in range(ALONG)
    ]
    ox, oz = next((x, z) for i, j, x, z in centres if (i, j) == OPEN)
    vaults = [_bay(x, z) for i, j, x, z in centres if (i, j) != OPEN]
    walls: list[Primitive] = []
    # Walls as thick as the earth about them: no light comes from the sides.
    w, h = wide / 2 + THICK / 2, long / 2 + THICK / 2
    corners = ((-w, -h), (w, -h), (w, h), (-w, h))
    for a, b in zip(corners, corners[1:] + corners[:1], strict=True):
        walls += wall(a, b, DEEP - 1.0, SPRING + RISE + 2.35, THICK, STONE)
    ledge = [bevelled_box((-wide / 2, DEEP, -long / 2), (-wide / 2 + 1.6, 0.25, long / 2), STONE, 0.04)]
    ledge += [bevelled_box((-wide / 2 + 1.6 + 0.3 * k, DEEP, 7.0), (-wide / 2 + 1.9 + 0.3 * k, 0.25 - 0.2 * (k + 1), 9.4), STONE, 0.03) for k in range(4)]  # fmt: skip
    x, z = np.meshgrid(np.linspace(-wide / 2, wide / 2, 17), np.linspace(-long / 2, long / 2, 25))
    water = sheet(np.stack([x, np.zeros_like(x), z], axis=-1)[::-1], WATER)
    bed = np.array(
        [
            [[-wide / 2, DEEP, long / 2], [wide / 2, DEEP, long / 2]],
            [[-wide / 2, DEEP, -long / 2], [wide / 2, DEEP, -long / 2]],
        ]
    )
    glass = turned([(0.001, 0.1), (0.07, 0.05), (0.07, -0.05), (0.001, -0.1)], 12, GLASS, 2)
    built = (
        ("vaults", joined(vaults)), ("walls", joined(walls)), ("ledge", joined(ledge)), ("shaft", joined(_shaft(ox, oz))),
        ("water", (water,)), ("bed", (grid(bed, STONE, (wide / 2, long / 2)),)), ("ground", (_ground(ox, oz),)),
    )  # fmt: skip
    meshes = [Mesh(name, primitives) for name, primitives in built]
    parts = [Part(name, name, number, np.eye(4)) for number, (name, _) in enumerate(built)]
    meshes += [Mesh("column", (_column(),)), Mesh("lamp glass", (glass,))]
    for i in range(1, ACROSS):
        for j in range(1, ALONG):
            name = f"column {i} {j}"
            parts.append(Part(name, name, len(built), at(-wide / 2 + BAY * i, 0.0, -long / 2 + BAY * j)))
    for number, (place, _) in enumerate(LAMPS):
        parts.append(Part(f"lamp glass {number + 1}", f"lamp glass {number + 1}", len(built) + 1, at(*place)))
    materials, pictures = _materials()
    return Level("cistern", tuple(meshes), tuple(parts), materials, pictures, shots=SHOTS)  # type: ignore[arg-type]


SHOTS: Final = (
    Shot(
        id="shot-ledge",
        name="From the ledge",
        eye=(-7.2, 1.75, 10.6),
        direction=(0.46, -0.06, -0.886),
        fov=60.0,
    ),
    Shot(
        id="shot-under",
        name="Under the opening",
        eye=(3.4, 1.1, 7.6),
        direction=(-0.58, 0.24, -0.78),
        fov=64.0,
    ),
)


def cistern_project() -> Project:
    """At noon: one beam of day from above, and two lamps."""
    lamps = tuple(
        PointSource(id=f"lamp-{n + 1}", name=f"Lamp {n + 1}", position=place, intensity=candela, kelvin=2200.0,
                    range=14.0, radius=0.07, shadow=False)
        for n, (place, candela) in enumerate(LAMPS)
    )  # fmt: skip
    marks = tuple(
        PartMarks(part=f"lamp glass {n + 1}", follows=f"lamp-{n + 1}", is_lamp=True)
        for n in range(len(LAMPS))
    )
    return Project(
        name="Cistern",
        level="builtin:cistern",
        setting=Setting(latitude=31.4, longitude=-109.2, utc_offset=-7.0, date="2027-06-12", clock=12.4),
        sources=(*base_light(), *lamps),
        shots=SHOTS,
        look=Look(exposed="metered", ev100=6.0, compensation=0.2).revised(**AS_METERED),
        marks=marks,
    )
