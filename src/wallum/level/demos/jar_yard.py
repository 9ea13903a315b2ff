"""The jar yard: a generated level of about 100,000 triangles for measuring speed.

A walled yard with a brick kiln, an arcade and rows of jars on uneven earth, hills around.
Everything is made here from seeds; nothing is read from disk.
"""

import math
from collections.abc import Iterator
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from wallum.document.air import Air
from wallum.document.fields import Vector
from wallum.document.lanes import Lane, Peg, PegTime
from wallum.document.look import AS_METERED, Look
from wallum.document.project import Project, Setting, Shot, base_light
from wallum.document.sources import PointSource, Source, SpotSource
from wallum.level.demos.patterns import brick_height, colour_map, noise, normal_map, tile_height
from wallum.level.model.model import Level, Material, Mesh, Part, Picture, Primitive, TextureUse
from wallum.level.model.solids import box, grid, revolve

__all__ = ["jar_yard", "jar_yard_project", "yard_lamps"]

EARTH, BRICK, PLASTER, CLAY, GLAZE, FIRE, LAMP_GLASS, TILE = range(8)
SIZE: Final = 512
# Number of the picture that the fire glows with.
EMBERS: Final = 10


def _mixed(
    low: tuple[float, ...], high: tuple[float, ...], amount: NDArray[np.float64]
) -> NDArray[np.float64]:
    mix = amount[..., None]
    return np.array(low) * (1.0 - mix) + np.array(high) * mix


def _pictures() -> tuple[Picture, ...]:
    fine, broad, heat = noise(SIZE, 8, 6, 3), noise(SIZE, 3, 3, 4), noise(SIZE, 6, 5, 9)
    earth = _mixed((0.16, 0.10, 0.065), (0.36, 0.26, 0.18), np.clip(fine * 0.7 + broad * 0.5 - 0.1, 0, 1))
    height, each = brick_height(SIZE, 16, 6, 5)
    brick = _mixed((0.24, 0.085, 0.05), (0.42, 0.19, 0.11), each) * (0.75 + 0.5 * fine[..., None])
    mortar = _mixed((0.30, 0.26, 0.21), (0.40, 0.36, 0.30), fine)
    brick = mortar * (1.0 - height[..., None]) + brick * height[..., None]
    plaster = _mixed((0.44, 0.36, 0.27), (0.66, 0.58, 0.47), np.clip(broad * 1.3 - 0.1 + 0.2 * fine, 0, 1))
    clay = _mixed((0.30, 0.115, 0.06), (0.47, 0.22, 0.13), np.clip(broad * 0.8 + fine * 0.3, 0, 1))
    tiles = tile_height(SIZE, 8)
    tile = _mixed((0.06, 0.09, 0.10), (0.16, 0.30, 0.30), np.clip(tiles * 0.6 + broad * 0.4, 0, 1))
    return (
        colour_map("earth colour", earth),
        normal_map("earth normal", noise(SIZE, 24, 4, 6), 9.0),
        colour_map("brick colour", np.clip(brick, 0, 1)),
        normal_map("brick normal", height * 0.8 + fine * 0.5, 5.0),
        colour_map("plaster colour", plaster),
        normal_map("plaster normal", noise(SIZE, 12, 5, 7), 5.0),
        colour_map("clay colour", clay),
        normal_map("clay normal", noise(SIZE, 20, 4, 8), 2.5),
        colour_map("tile colour", tile),
        normal_map("tile normal", tiles, 4.0),
        colour_map(
            "embers", _mixed((0.12, 0.008, 0.001), (1.0, 0.36, 0.06), np.clip(heat * 1.7 - 0.35, 0, 1))
        ),
    )


def _material(name: str, picture: int, roughness: float) -> Material:
    maps = {"base": TextureUse(picture), "normal": TextureUse(picture + 1)}
    return Material(name, metallic=0.0, roughness=roughness, textures=maps)  # type: ignore[arg-type]


def _materials() -> tuple[Material, ...]:
    return (
        _material("earth", 0, 0.95),
        _material("brick", 2, 0.85),
        _material("plaster", 4, 0.9),
        _material("clay", 6, 0.65),
        Material("glaze", (0.05, 0.17, 0.16, 1.0), metallic=0.0, roughness=0.16),
        Material(
            "fire",
            (0.05, 0.03, 0.02, 1.0),
            0.0,
            1.0,
            emissive=(1.0, 1.0, 1.0),
            emissive_strength=420.0,
            textures={"emissive": TextureUse(EMBERS)},
        ),
        Material(
            "lamp glass",
            (0.6, 0.55, 0.45, 1.0),
            0.0,
            0.4,
            emissive=(1.0, 0.62, 0.30),
            emissive_strength=360.0,
        ),
        _material("tile", 8, 0.3),
    )


def ground_height(x: NDArray[np.float64], z: NDArray[np.float64]) -> NDArray[np.float64]:
    """Height of the earth [m]: nearly level in the yard, hills beyond the walls."""
    away = np.hypot(x, z)
    waves = 0.06 * np.sin(x * 0.7 + 1.3) * np.cos(z * 0.55) + 0.03 * np.sin(x * 2.1) * np.sin(z * 1.7)
    hill = np.clip((away - 24.0) / 30.0, 0.0, 1.0) ** 2 * (7.0 + 4.0 * np.sin(np.arctan2(z, x) * 5.0 + 1.0))
    return waves * np.clip(1.4 - away / 30.0, 0.0, 1.0) + hill


def _earth() -> Primitive:
    side = np.sign(np.linspace(-1, 1, 112)) * np.abs(np.linspace(-1, 1, 112)) ** 1.6 * 70.0
    x, z = np.meshgrid(side, side)
    points = np.stack([x, ground_height(x, z), z], axis=-1)
    built = grid(points[::-1], EARTH)
    uv = (built.positions[:, [0, 2]] / 3.0).astype(np.float32)
    return Primitive(built.positions, built.normals, built.triangles, EARTH, built.tangents, uv)


def _jar_profile(belly: float, neck: float, height: float) -> NDArray[np.float64]:
    t = np.linspace(0.0, 1.0, 17)
    outside = np.interp(
        t, [0, 0.08, 0.2, 0.45, 0.75, 1.0], [neck * 1.25, neck, neck * 1.15, belly, belly * 0.8, belly * 0.45]
    )
    inside = np.array([[0.01, height * 0.55], [neck * 0.8, height * 0.8], [neck * 1.05, height]])
    return np.concatenate([inside, np.stack([outside, height * (1.0 - t)], axis=1)])


def _kiln() -> Primitive:
    t = np.linspace(0.0, 1.0, 40)
    radius = np.interp(t, [0, 0.02, 0.3, 0.62, 0.9, 1.0], [0.62, 0.75, 0.95, 2.3, 2.75, 2.9])
    height = 7.2 * (1.0 - t)
    inner = np.array([[0.02, 5.5], [0.5, 7.0]])
    return revolve(np.concatenate([inner, np.stack([radius, height], axis=1)]), 96, BRICK, 9.0)


def _fire_mouth() -> tuple[Primitive, ...]:
    frame = [
        box((-0.62, 0.0, -0.2), (-0.4, 1.0, 0.35), BRICK),
        box((0.4, 0.0, -0.2), (0.62, 1.0, 0.35), BRICK),
        box((-0.72, 1.0, -0.2), (0.72, 1.24, 0.42), BRICK),
    ]
    return (*frame, box((-0.4, 0.0, -0.3), (0.4, 1.0, -0.02), FIRE))


def _column() -> Primitive:
    profile = [
        [0.02, 3.0],
        [0.34, 3.0],
        [0.34, 2.86],
        [0.22, 2.74],
        [0.2, 2.0],
        [0.23, 1.0],
        [0.24, 0.3],
        [0.32, 0.2],
        [0.36, 0.0],
    ]
    dense = np.array(profile)
    steps = np.linspace(0, len(dense) - 1, 25)
    smooth = np.stack([np.interp(steps, np.arange(len(dense)), dense[:, i]) for i in (0, 1)], axis=1)
    return revolve(smooth, 24, PLASTER, 2.0)


def _lantern() -> Primitive:
    t = np.linspace(0.0, np.pi, 9)
    return revolve(np.stack([0.09 * np.sin(t) + 1e-4, 0.11 * np.cos(t)], axis=1), 12, LAMP_GLASS)


def _walls() -> tuple[Primitive, ...]:
    runs = [
        ((-15, -0.5, -15.4), (15, 2.6, -15)),
        ((-15.4, -0.5, -15.4), (-15, 2.6, 15)),
        ((15, -0.5, -15.4), (15.4, 2.6, 15)),
        ((-15, -0.5, 15), (-3, 2.6, 15.4)),
        ((3, -0.5, 15), (15, 2.6, 15.4)),
    ]
    tops = [((a[0] - 0.08, 2.6, a[2] - 0.08), (b[0] + 0.08, 2.74, b[2] + 0.08)) for a, b in runs]
    return (*(box(a, b, PLASTER) for a, b in runs), *(box(a, b, CLAY) for a, b in tops))


def _arcade() -> tuple[Primitive, ...]:
    return (
        box((-14.6, 3.0, -11.6), (14.6, 3.35, -10.9), PLASTER),
        box((-14.8, 3.35, -15.2), (14.8, 3.5, -10.6), CLAY),
        box((-14.6, -0.2, -14.9), (14.6, 0.12, -10.4), TILE),
    )


def _at(x: float, y: float, z: float, turn: float = 0.0, scale: float = 1.0) -> NDArray[np.float64]:
    out = np.eye(4)
    c, s = np.cos(turn), np.sin(turn)
    out[:3, :3] = np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]]) * scale
    out[:3, 3] = (x, y, z)
    return out


def _ground_at(x: float, z: float) -> float:
    return float(ground_height(np.array(x), np.array(z)))


def _jar_parts(rng: np.random.Generator) -> Iterator[Part]:
    """Rows of jars along the walls and clusters near the kiln."""
    spots = [(-12.5 + 1.15 * i, 12.6 + 0.25 * (i % 2)) for i in range(8)]
    spots += [(4.5 + 1.15 * i, 12.5 + 0.3 * (i % 2)) for i in range(8)]
    spots += [(-13.2 + 0.3 * (i % 3), -8.0 + 1.2 * i) for i in range(14)]
    spots += [(4.8 + 0.9 * (i % 5), 2.0 + 0.95 * (i // 5)) for i in range(20)]
    for number, (x, z) in enumerate(spots):
        x, z = x + rng.normal(0, 0.08), z + rng.normal(0, 0.08)
        mesh = 5 + int(rng.integers(0, 3))
        turn, size = rng.random() * 6.28, 0.75 + 0.4 * rng.random()
        yield Part(f"jar {number}", f"jar {number}", mesh, _at(x, _ground_at(x, z) - 0.02, z, turn, size))


def _small_lamp(kind: str, number: int, name: str, position: Vector, **more: Any) -> PointSource:
    return PointSource(
        id=f"{kind}-{number}", name=f"{name} {number + 1}", position=position, radius=0.09, **more
    )


def _spot(kind: str, number: int, name: str, position: Vector, aim: Vector, **more: Any) -> SpotSource:
    return SpotSource(
        id=f"{kind}-{number}",
        name=f"{name} {number + 1}",
        position=position,
        direction=aim,
        shadow=True,
        **more,
    )


def yard_lamps() -> list[Source]:
    """Forty lamps: 32 small ones without shadow, 8 spots with."""
    lamps: list[Source] = []
    for i in range(16):
        place = (-13.5 + 1.8 * i, 2.45, -11.25)
        lamps.append(_small_lamp("arc", i, "Arcade", place, intensity=26.0, kelvin=2400.0, range=4.2))
    for i in range(16):
        place = (-14.55 if i < 8 else 14.55, 2.0, -9.0 + 3.0 * (i % 8))
        lamps.append(_small_lamp("wall", i, "Wall", place, intensity=30.0, kelvin=2300.0, range=4.5))
    fire = {"intensity": 420.0, "kelvin": 1850.0, "inner": 30.0, "outer": 68.0, "range": 10.0, "radius": 0.25}
    for i in range(4):
        x, z = math.sin(math.pi / 2 * i + math.pi / 4), math.cos(math.pi / 2 * i + math.pi / 4)
        lamps.append(_spot("mouth", i, "Fire Mouth", (3.25 * x, 0.85, 3.25 * z), (x, -0.3, z), **fire))
    mast = {"intensity": 620.0, "inner": 18.0, "outer": 44.0, "range": 12.0, "radius": 0.08}
    places = ((-8.0, 6.0, 3200.0), (8.5, 6.5, 3200.0), (-7.0, -6.0, 2900.0), (7.0, -6.0, 2900.0))
    for i, (x, z, kelvin) in enumerate(places):
        aim = (math.copysign(0.35, -x), -1.0, math.copysign(0.25, -z))
        lamps.append(_spot("mast", i, "Mast", (x, 4.6, z), aim, kelvin=kelvin, **mast))
    return lamps


SHOTS: Final = (
    Shot(
        id="shot-gate",
        name="From the gate",
        eye=(6.4, 1.75, 14.2),
        direction=(-0.5, -0.07, -0.92),
        fov=52.0,
    ),
    Shot(id="shot-kiln", name="Kiln", eye=(-4.2, 1.5, 8.6), direction=(0.42, 0.12, -0.82), fov=48.0),
    Shot(
        id="shot-arcade",
        name="Along the arcade",
        eye=(-13.2, 1.7, -9.0),
        direction=(0.93, -0.1, -0.16),
        fov=50.0,
    ),
)


def jar_yard() -> Level:
    """The level."""
    rng = np.random.default_rng(11)
    meshes = (
        Mesh("earth", (_earth(),)),
        Mesh("kiln", (_kiln(),)),
        Mesh("column", (_column(),)),
        Mesh("walls", _walls()),
        Mesh("arcade", _arcade()),
        Mesh("jar round", (revolve(_jar_profile(0.42, 0.18, 0.95), 32, CLAY),)),
        Mesh("jar tall", (revolve(_jar_profile(0.34, 0.15, 1.25), 32, CLAY),)),
        Mesh("jar glazed", (revolve(_jar_profile(0.38, 0.2, 0.8), 32, GLAZE),)),
        Mesh("fire mouth", _fire_mouth()),
        Mesh("lantern", (_lantern(),)),
    )
    parts = [
        Part("earth", "earth", 0, np.eye(4)),
        Part("kiln", "kiln", 1, _at(0, 0, 0)),
        Part("walls", "walls", 3, np.eye(4)),
        Part("arcade", "arcade", 4, np.eye(4)),
    ]
    parts += [Part(f"column {i}", f"column {i}", 2, _at(-13.5 + 2.7 * i, 0.1, -11.25)) for i in range(11)]
    for i in range(4):
        angle = np.pi / 2 * i + np.pi / 4
        parts.append(
            Part(f"mouth {i}", f"mouth {i}", 8, _at(3.02 * np.sin(angle), 0.0, 3.02 * np.cos(angle), angle))
        )
    parts += list(_jar_parts(rng))
    for lamp in yard_lamps()[:32]:
        x, y, z = lamp.position  # type: ignore[union-attr]
        parts.append(Part(f"lantern {lamp.id}", f"lantern {lamp.id}", 9, _at(x, y, z)))
    return Level("jar-yard", meshes, tuple(parts), _materials(), _pictures(), shots=SHOTS)


# High desert in autumn, as made up as the yard.
DUSK: Final = Setting(latitude=31.4, longitude=-109.2, utc_offset=-7.0, date="2027-10-12", clock=17.85)


def _darker_by_night() -> Lane:
    """By day the picture is metered to mid grey; the night stays a night."""
    events = ((-6.0, -1.0, "rising"), (8.0, 0.8, "rising"), (8.0, 0.8, "setting"), (-6.0, -1.0, "setting"))
    pegs = tuple(
        Peg(at=PegTime(tie=tie, angle=angle), value=value)  # type: ignore[arg-type]
        for angle, value, tie in events
    )
    return Lane(owner="look", name="compensation", pegs=pegs)


def jar_yard_project() -> Project:
    """The yard at dusk, the sun just gone: a clear sky and forty lamps that the dusk switches on."""
    lamps = tuple(lamp.revised(switched="by light", on_below=400.0, off_above=800.0) for lamp in yard_lamps())
    return Project(
        name="Jar yard",
        level="builtin:jar-yard",
        setting=DUSK,
        air=Air(on=True, visibility=25_000.0, scale_height=400.0),
        sources=(*base_light(), *lamps),
        shots=SHOTS,
        look=Look(exposed="metered", ev100=6.6).revised(**AS_METERED),
        lanes=(_darker_by_night(),),
    )
