"""Surfaces of the works: colours, normals and roughness made from seeded noise."""

from enum import IntEnum
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.level.demos.patterns import brick_height, colour_map, noise, normal_map, tile_height
from wallum.level.model.model import Material, Picture, TextureUse

__all__ = ["Surface", "kilnworks_materials", "kilnworks_pictures"]

SIZE: Final = 512
Map = NDArray[np.float64]


class Surface(IntEnum):
    """Numbers of the materials."""

    EARTH = 0
    BRICK = 1
    PLASTER = 2
    CLAY = 3
    TIMBER = 4
    TILE = 5
    ROOF = 6
    ROCK = 7
    GLAZE_GREEN = 8
    GLAZE_BLUE = 9
    EMBER = 10
    LAMP_GLASS = 11
    IRON = 12
    LEAF = 13
    REED = 14
    SIGN_GLOW = 15
    WET_CLAY = 16
    SCRUB = 17
    ROPE = 18
    PALE_STONE = 19
    PAVING = 20


# (picture names in order; a surface names its colour map, its normal map follows.)
PICTURES: Final = ("earth", "brick", "plaster", "clay", "timber", "tile", "roof", "rock", "ember", "reed")


def _mix(low: tuple[float, ...], high: tuple[float, ...], amount: Map) -> Map:
    share = np.clip(amount, 0.0, 1.0)[..., None]
    return np.array(low) * (1.0 - share) + np.array(high) * share


def _stones(seed: int, cells: int) -> tuple[Map, Map]:
    """Height of pebbles strewn about (distance to seeded points), and a number for each."""
    rng = np.random.default_rng(seed)
    points, size = rng.random((cells, 2)), 0.35 + 0.65 * rng.random(cells)
    v, u = np.mgrid[0:SIZE, 0:SIZE] / SIZE
    best, owner = np.full((SIZE, SIZE), 9.0), np.zeros((SIZE, SIZE), int)
    for number, ((x, y), own) in enumerate(zip(points, size, strict=True)):
        du, dv = np.abs(u - x), np.abs(v - y)
        far = np.hypot(np.minimum(du, 1 - du), np.minimum(dv, 1 - dv)) / own
        nearer = far < best
        best[nearer], owner[nearer] = far[nearer], number
    return np.clip(1.0 - best * np.sqrt(cells) * 2.2, 0.0, 1.0) ** 0.5, rng.random(cells)[owner]


def _earth() -> list[Picture]:
    fine, broad, mottle = noise(SIZE, 16, 5, 3), noise(SIZE, 2, 4, 4), noise(SIZE, 6, 4, 14)
    stones, each = _stones(5, 260)
    ground = _mix((0.235, 0.135, 0.080), (0.43, 0.275, 0.175), broad * 0.75 + fine * 0.45 - 0.1)
    ground *= (0.86 + 0.28 * mottle)[..., None]
    pebble = _mix((0.20, 0.135, 0.095), (0.42, 0.30, 0.215), each)
    amount = np.clip(stones * 2.4 - 1.35, 0.0, 1.0)[..., None]
    colour = ground * (1.0 - amount) + pebble * amount
    return [
        colour_map("earth colour", colour),
        normal_map("earth normal", 0.5 * fine + 0.35 * stones + 0.5 * broad, 5.0),
    ]


def _brick() -> list[Picture]:
    fine, stain = noise(SIZE, 14, 5, 21), noise(SIZE, 2, 4, 22)
    height, each = brick_height(SIZE, 14, 5, 5)
    brick = _mix((0.215, 0.075, 0.042), (0.46, 0.215, 0.12), each * 0.85 + 0.2 * fine)
    brick *= (0.72 + 0.45 * fine)[..., None]
    scorched = np.clip((each - 0.86) * 6.0, 0.0, 1.0)[..., None]
    brick = brick * (1.0 - 0.55 * scorched)
    mortar = _mix((0.31, 0.26, 0.205), (0.45, 0.385, 0.31), fine)
    face = mortar * (1.0 - height[..., None]) + brick * height[..., None]
    soot = np.clip(stain * 1.6 - 0.75, 0.0, 0.5)[..., None]
    return [
        colour_map("brick colour", np.clip(face * (1.0 - soot), 0.0, 1.0)),
        normal_map("brick normal", height * 0.9 + fine * 0.4, 4.5),
    ]


def _plaster() -> list[Picture]:
    fine, broad, patch = noise(SIZE, 22, 4, 31), noise(SIZE, 2, 4, 32), noise(SIZE, 4, 5, 33)
    colour = _mix((0.50, 0.385, 0.275), (0.74, 0.62, 0.475), broad * 1.2 - 0.1 + 0.15 * fine)
    bare = np.clip((patch - 0.63) * 9.0, 0.0, 1.0)
    mud = _mix((0.31, 0.20, 0.125), (0.43, 0.29, 0.19), fine)
    colour = colour * (1.0 - bare[..., None]) + mud * bare[..., None]
    return [
        colour_map("plaster colour", colour),
        normal_map("plaster normal", 0.5 * fine + 0.5 * broad - 0.30 * bare, 4.5),
    ]


def _clay() -> list[Picture]:
    broad, fine, rings = noise(SIZE, 3, 4, 41), noise(SIZE, 18, 4, 42), np.arange(SIZE) / SIZE
    colour = _mix((0.33, 0.125, 0.064), (0.52, 0.245, 0.14), broad * 0.9 + 0.25 * fine)
    bloom = np.clip(noise(SIZE, 4, 4, 43) * 2.0 - 1.05, 0.0, 0.55)[..., None]
    colour = colour * (1.0 - bloom) + np.array((0.60, 0.42, 0.30)) * bloom
    grooves = (0.5 + 0.5 * np.sin(rings * 2.0 * np.pi * 24.0))[:, None] * np.ones((1, SIZE))
    return [
        colour_map("clay colour", colour),
        normal_map("clay normal", 0.25 * grooves + 0.6 * fine, 2.2),
    ]


def _timber() -> list[Picture]:
    u = np.arange(SIZE)[None, :] / SIZE * np.ones((SIZE, 1))
    warp, long = noise(SIZE, 3, 4, 51), noise(SIZE, 4, 5, 52)
    grain = 0.5 + 0.5 * np.sin((u * 14.0 + warp * 1.6) * 2.0 * np.pi)
    cracks = np.clip((noise(SIZE, 24, 3, 53)[:, :] - 0.5) * 3.0, 0.0, 1.0) * (grain > 0.7)
    colour = _mix((0.155, 0.092, 0.052), (0.36, 0.235, 0.145), 0.55 * grain + 0.5 * long)
    silver = np.clip(long * 1.6 - 0.7, 0.0, 0.6)[..., None]
    colour = colour * (1.0 - silver) + np.array((0.34, 0.29, 0.24)) * silver
    return [
        colour_map("timber colour", colour * (1.0 - 0.4 * cracks[..., None])),
        normal_map("timber normal", grain * 0.6 - cracks * 0.5 + 0.3 * long, 3.0),
    ]


def _tile() -> list[Picture]:
    tiles, broad = tile_height(SIZE, 8), noise(SIZE, 3, 4, 61)
    rng = np.random.default_rng(62)
    each = np.kron(rng.random((8, 8)), np.ones((SIZE // 8, SIZE // 8)))
    glaze = _mix((0.035, 0.12, 0.115), (0.11, 0.30, 0.25), 0.6 * each + 0.4 * broad)
    joint = np.array((0.34, 0.29, 0.235))
    amount = np.clip(tiles * 1.4, 0.0, 1.0)[..., None]
    return [
        colour_map("tile colour", glaze * amount + joint * (1.0 - amount)),
        normal_map("tile normal", tiles, 3.0),
    ]


def _roof() -> list[Picture]:
    u = np.arange(SIZE)[None, :] / SIZE * np.ones((SIZE, 1))
    waves = 0.5 + 0.5 * np.sin(u * 2.0 * np.pi * 8.0)
    rust, fine = noise(SIZE, 3, 5, 71), noise(SIZE, 20, 3, 72)
    metal = _mix((0.27, 0.265, 0.255), (0.42, 0.41, 0.395), fine)
    eaten = _mix((0.20, 0.075, 0.03), (0.38, 0.17, 0.075), fine)
    amount = np.clip(rust * 2.6 - 1.0, 0.0, 1.0)[..., None]
    return [
        colour_map("roof colour", metal * (1.0 - amount) + eaten * amount),
        normal_map("roof normal", waves + 0.08 * fine, 9.0),
    ]


def _rock() -> list[Picture]:
    v = np.arange(SIZE)[:, None] / SIZE * np.ones((1, SIZE))
    warp, fine = noise(SIZE, 3, 5, 81), noise(SIZE, 12, 5, 82)
    beds = 0.5 + 0.5 * np.sin((v * 7.0 + warp * 1.5) * 2.0 * np.pi)
    streaks = noise(SIZE, 10, 5, 83)[:1] * np.ones((SIZE, 1))
    colour = _mix(
        (0.27, 0.125, 0.078), (0.53, 0.305, 0.20), 0.22 * beds + 0.45 * fine + 0.42 * streaks - 0.02
    )
    pale = np.clip(np.sin((v * 2.0 + warp * 0.6) * 2.0 * np.pi) * 2.0 - 1.4, 0.0, 0.4)[..., None]
    colour = colour * (1.0 - pale) + np.array((0.62, 0.47, 0.36)) * pale
    return [
        colour_map("rock colour", colour),
        normal_map("rock normal", 0.35 * beds + fine + 0.6 * streaks, 6.0),
    ]


def _ember() -> list[Picture]:
    heat, fine = noise(SIZE, 4, 5, 91), noise(SIZE, 14, 4, 92)
    hot = np.clip(1.6 * heat + 0.5 * fine - 0.75, 0.0, 1.0)
    return [colour_map("ember glow", _mix((0.10, 0.006, 0.0006), (1.0, 0.33, 0.055), hot**1.3))]


def _reed() -> list[Picture]:
    u, v = np.meshgrid(np.arange(SIZE) / SIZE, np.arange(SIZE) / SIZE)
    warp = noise(SIZE, 3, 4, 95)
    stalk = np.abs(np.sin((u * 26.0 + warp * 0.35) * np.pi))
    rng = np.random.default_rng(96)
    each = rng.random(26)[np.minimum((u * 26.0).astype(int), 25)]
    colour = _mix((0.36, 0.255, 0.125), (0.62, 0.475, 0.27), each * 0.8 + 0.3 * stalk)
    bound = (np.abs(v * 4.0 % 1.0 - 0.5) > 0.46)[..., None]
    colour = np.where(bound, colour * 0.55, colour)
    gap = (stalk < 0.20 + 0.45 * np.clip(noise(SIZE, 5, 3, 97) * 2.0 - 1.05, 0.0, 1.0)) & ~bound[..., 0]
    alpha = np.where(gap, 0.0, 1.0)
    return [colour_map("reed colour", np.concatenate([colour, alpha[..., None]], axis=-1))]


def kilnworks_pictures() -> tuple[Picture, ...]:
    """Every picture; colour maps are followed by their normal maps."""
    makers = (_earth, _brick, _plaster, _clay, _timber, _tile, _roof, _rock, _ember, _reed)
    return tuple(picture for make in makers for picture in make())


def _mapped(name: str, first: int, metres: float, roughness: float, **more: object) -> Material:
    scale = (1.0 / metres, 1.0 / metres)
    maps = {"base": TextureUse(first, scale=scale), "normal": TextureUse(first + 1, scale=scale)}
    return Material(name, metallic=0.0, roughness=roughness, textures=maps, **more)  # type: ignore[arg-type]


def kilnworks_materials() -> tuple[Material, ...]:
    """Every material, in the order of `Surface`. Maps repeat after the metres given."""
    rock = _mapped("rock", 14, 14.0, 0.95)
    wet = _mapped("wet clay", 6, 1.2, 0.28, base=(0.62, 0.58, 0.55, 1.0))
    stone = _mapped("pale stone", 4, 1.8, 0.8, base=(0.92, 0.92, 0.95, 1.0))
    return (
        _mapped("earth", 0, 4.0, 0.96),
        _mapped("brick", 2, 1.3, 0.88),
        _mapped("plaster", 4, 3.2, 0.92),
        _mapped("clay", 6, 0.9, 0.62),
        _mapped("timber", 8, 0.9, 0.78, double_sided=True),
        _mapped("tile", 10, 1.6, 0.22),
        _mapped("roof", 12, 1.2, 0.55, double_sided=True),
        rock,
        Material("green glaze", (0.045, 0.155, 0.095, 1.0), 0.0, 0.14),
        Material("blue glaze", (0.035, 0.085, 0.18, 1.0), 0.0, 0.12),
        Material(
            "embers", (0.04, 0.02, 0.015, 1.0), 0.0, 1.0, emissive=(1.0, 1.0, 1.0), emissive_strength=2200.0,
            textures={"emissive": TextureUse(16, scale=(0.7, 0.7))},
        ),
        Material(
            "lamp glass", (0.62, 0.55, 0.44, 1.0), 0.0, 0.4, emissive=(1.0, 0.60, 0.27), emissive_strength=700.0
        ),
        Material("iron", (0.16, 0.15, 0.145, 1.0), 0.85, 0.48),
        Material("leaf", (0.105, 0.145, 0.048, 1.0), 0.0, 0.62, double_sided=True),
        Material(
            "reed", (1.0, 1.0, 1.0, 1.0), 0.0, 0.85, alpha="mask", cutoff=0.5, double_sided=True,
            textures={"base": TextureUse(17, scale=(0.9, 0.9))},
        ),
        Material(
            "sign letters", (0.55, 0.48, 0.36, 1.0), 0.0, 0.3, emissive=(1.0, 0.44, 0.13),
            emissive_strength=520.0,
        ),
        wet,
        Material("scrub", (0.20, 0.205, 0.095, 1.0), 0.0, 0.8, double_sided=True),
        Material("rope", (0.30, 0.225, 0.14, 1.0), 0.0, 0.9),
        stone,
        Material(
            "paving", (1.0, 0.93, 0.86, 1.0), 0.0, 0.6,
            textures={"base": TextureUse(6, scale=(0.4, 0.4)), "normal": TextureUse(11, scale=(0.33, 0.33))},
        ),
    )  # fmt: skip
