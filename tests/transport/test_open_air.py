"""How open the air is: closed forms, walls, and the picture's own reading of it."""

from dataclasses import replace

import numpy as np
import pytest
from level_shapes import field_of, glowing_room, grey_level, slabs_about
from level_shapes import level_of as shared_level
from scipy.ndimage import map_coordinates

from wallum.document.project import Project
from wallum.level.model.flatten import flatten
from wallum.level.model.model import Level, Material, Mesh, Part
from wallum.level.model.solids import box, grid
from wallum.moment.evaluate import evaluate
from wallum.moment.scene import Dome
from wallum.physics.colour import luminance
from wallum.physics.dome import dome_directions, dome_illuminance
from wallum.transport.field.bounce import BounceField, Field
from wallum.transport.field.make_field import make_field
from wallum.transport.field.sky_parts import PARTS, SOLID, WEIGHTS, sky_parts
from wallum.transport.scene.rays import RayScene


def level_of(*primitives, name="made"):
    meshes = tuple(Mesh(f"m{i}", (primitive,)) for i, primitive in enumerate(primitives))
    parts = tuple(Part(f"p{i}", f"p{i}", i, np.eye(4)) for i in range(len(meshes)))
    return Level(name, meshes, parts, (Material("grey", (0.5, 0.5, 0.5, 1.0), 0.0, 1.0, double_sided=False),))


def ground(side=20.0):
    line = np.linspace(-side, side, 17)
    x, z = np.meshgrid(line, line)
    return grid(np.stack([x, 0 * x, z], axis=-1)[::-1], 0)


def cellar():
    """A yard with a house without a roof beside a house that is closed but for its door."""
    walls = [
        ((-8.0, 0.0, -4.0), (-2.0, 3.0, -3.8)), ((-8.0, 0.0, 3.8), (-2.0, 3.0, 4.0)),
        ((-8.0, 0.0, -4.0), (-7.8, 3.0, 4.0)), ((-2.2, 0.0, -4.0), (-2.0, 3.0, 4.0)),
        ((2.0, 0.0, -4.0), (8.0, 3.0, -3.8)), ((2.0, 0.0, 3.8), (8.0, 3.0, 4.0)),
        ((7.8, 0.0, -4.0), (8.0, 3.0, 4.0)), ((2.0, 0.0, -4.0), (2.2, 3.0, 4.0)),
        ((2.0, 3.0, -4.0), (8.0, 3.2, 4.0)),
    ]  # fmt: skip
    return level_of(ground(10.0), *(box(low, high, 0) for low, high in walls))


def made_of(level):
    rays = RayScene(level, flatten(level))
    return [item for item in make_field(rays, level, level.bounds) if isinstance(item, Field)]


def read(air, places, what=0):
    """(N,) what lies between the places of the grid, as the picture reads it: of the upper half, or of ground."""
    at = ((places - air.low) / air.step).T
    return map_coordinates(air.values[..., what].astype(float), at, order=1, mode="nearest")


@pytest.fixture(scope="module")
def houses():
    return made_of(cellar())


def test_a_quick_look_comes_first_and_knows_what_is_dark(houses):
    """Of few rays: where there is no sky none is seen, and under the open sky all of it."""
    early, built = houses
    assert early.air is None
    assert built.air is not None
    shares = [item.seen.sky.sum(axis=1) + item.seen.land.sum(axis=1) for item in (early, built)]
    inside = (np.abs(built.probes.places - [5.0, 1.5, 0.0]) < [2.85, 1.55, 3.85]).all(axis=1)
    assert inside.sum() > 100
    assert np.median(shares[0][inside]) < 0.03
    up = built.probes.normals[:, 1] > 0.9
    far = up & (np.abs(built.probes.places[:, 2]) > 7.0)
    assert np.median(shares[0][far]) > 0.9
    assert np.abs(shares[0] - shares[1]).mean() < 0.08


def test_no_open_air_is_read_within_a_closed_house(houses):
    """Whatever lies between its places; over the house and in the one without a roof the air is open."""
    air = houses[1].air
    x, y, z = np.meshgrid(np.linspace(2.3, 7.7, 12), np.linspace(0.1, 2.9, 8), np.linspace(-3.7, 3.7, 14))
    inside = np.stack([x, y, z], axis=-1).reshape(-1, 3)
    assert read(air, inside).max() < 0.01
    assert read(air, np.array([[5.0, 4.5, 0.0]]))[0] > 0.4
    assert read(air, np.array([[-5.0, 2.0, 0.0]]))[0] > 0.2


def test_over_an_open_plain_half_is_sky_and_half_is_ground():
    """What does not end on ground beyond all probes ends on the probes of the ground."""
    _, built = made_of(level_of(ground(), box((8.0, 0.0, 8.0), (9.0, 4.0, 9.0), 0)))
    places = np.array([[-5.0, 1.0, -5.0], [0.0, 2.0, 3.0], [-8.0, 0.4, 6.0]])
    assert read(built.air, places) == pytest.approx(1.0, abs=0.06)
    number = np.ravel_multi_index((8, 4, 8), built.air.values.shape[:3])
    below = built.air.surfaces[number].sum() + built.air.values.reshape(-1, 2)[number, 1]
    assert below == pytest.approx(0.5, abs=0.03)


def test_down_a_shaft_as_much_of_the_sky_is_seen_as_its_mouth_fills():
    """A square of half side s at a distance d fills 4 asin(s2 / (s2 + d2)) of 2 pi; what is left are walls."""
    s, h = 2.0, 12.0
    walls = [
        box((-s - 1, 0, -s - 1), (-s, h, s + 1), 0), box((s, 0, -s - 1), (s + 1, h, s + 1), 0),
        box((-s, 0, -s - 1), (s, h, -s), 0), box((-s, 0, s), (s, h, s + 1), 0), box((-s, -1, -s), (s, 0, s), 0),
    ]  # fmt: skip
    _, built = made_of(grey_level(*walls))
    air = built.air
    for down in (1.0, 3.0, 6.0):
        fills = 2.0 * np.arcsin(s * s / (s * s + down * down)) / np.pi
        assert read(air, np.array([[0.0, h - down, 0.0]]))[0] == pytest.approx(fills, abs=0.05)
    at = np.round((np.array([0.0, h - 6.0, 0.0]) - air.low) / air.step).astype(int)
    number = np.ravel_multi_index(tuple(at), air.values.shape[:3])
    sky = air.values.reshape(-1, 2)[number, 0] / 2.0
    assert air.surfaces[number].sum() == pytest.approx(1.0 - sky, abs=0.02)


def test_the_air_in_a_room_that_glows_alike_sees_that_glow():
    """Closed form: in a room of one luminance all around the mean over all ways is that luminance."""
    room = box((-2, -2, -2), (2, 2, 2), 0, inward=True)
    glowing = Material("furnace", (0.0, 0.0, 0.0, 1.0), 0.0, 1.0, emissive=(100.0, 50.0, 25.0))
    level = shared_level(room, glowing)
    rays, built = field_of(level)
    bounce = BounceField.of(rays, level, built, {})
    scene = evaluate(Project())
    for _ in bounce.relight(scene):
        pass
    light = np.sum([unit.air for unit in bounce.units.values()], axis=0)
    middle = np.abs(places_of(built.air)).max(axis=1) < 1.5
    assert middle.sum() > 50
    assert light[middle] == pytest.approx(np.tile([100.0, 50.0, 25.0], (middle.sum(), 1)), rel=0.03)
    directions = np.sum([unit.ways for unit in bounce.units.values()], axis=0)
    assert np.abs(directions[middle]).max() < 0.06 * luminance(light[middle].astype(float)).max()


def test_air_knows_whence_the_light_of_one_wall_comes():
    """Closed form: the mean over all ways of a wall's luminance times the direction to it, at a place before the
    middle of one that fills a known solid angle; away from it, nothing from any other."""
    colours = np.zeros((5, 3))
    colours[3] = 100.0  # -z
    level = glowing_room(Material("black", (0.0, 0.0, 0.0, 1.0), 0.0, 1.0, reflectance=0.0), colours)
    rays, built = field_of(level)
    bounce = BounceField.of(rays, level, built, {})
    for _ in bounce.relight(evaluate(Project())):
        pass
    directions = np.sum([unit.ways for unit in bounce.units.values()], axis=0)
    x, y = np.meshgrid((np.arange(200) + 0.5) / 50.0, (np.arange(150) + 0.5) / 50.0)
    wall = np.stack([x.ravel(), y.ravel(), np.zeros(x.size)], axis=1)
    places = places_of(built.air)
    inside = np.flatnonzero(((places > 0.8) & (places < [3.2, 2.2, 4.2])).all(axis=1))
    assert len(inside) > 10
    wanted = np.empty((len(inside), 3))
    for row, place in enumerate(places[inside]):
        offset = wall - place
        far = np.linalg.norm(offset, axis=1)
        solid = place[2] / far**3 / 2500.0
        wanted[row] = 100.0 * (offset / far[:, None] * solid[:, None]).sum(axis=0) / (4.0 * np.pi)
    off = np.linalg.norm(directions[inside] - wanted, axis=1) / np.linalg.norm(wanted, axis=1)
    assert np.median(off) < 0.12
    assert np.quantile(off, 0.9) < 0.3


def places_of(air):
    index = np.stack(np.unravel_index(np.arange(len(air.there)), air.values.shape[:3]), axis=1)
    return air.low + index * air.step


def test_without_its_air_a_field_is_as_it_was(houses):
    early, built = houses
    assert np.array_equal(early.probes.places, built.probes.places)
    assert len(replace(built, air=None).rooms) == len(built.rooms)


def test_ground_beyond_lights_no_air_in_a_closed_room():
    """A room that stands on nothing: all about it half of what is seen is far ground."""
    air = made_of(grey_level(*slabs_about((0.0, 0.0, 0.0), (4.0, 3.0, 5.0), 0.1)))[-1].air
    inside = np.stack(np.meshgrid([0.2, 2.0, 3.8], [0.2, 1.5, 2.8], [0.2, 2.5, 4.8]), axis=-1).reshape(-1, 3)
    assert read(air, inside, 1).max() < 0.01
    assert air.values[0, 0, 0, 1] > 0.3


def test_air_beside_a_wall_has_the_half_of_the_sky_that_it_sees():
    """East is bright, west is dark: before a wall in the west the air has all of the light, behind one none."""
    wall = box((-0.1, 0.0, -15.0), (0.1, 15.0, 15.0), 0)
    built = made_of(level_of(ground(4.0), wall))[-1]
    directions, _ = dome_directions()
    light = np.where(directions[..., :1] > 0.0, 1000.0, 10.0) * np.ones(3)
    parts = sky_parts(Dome("sky", light.astype(np.float32), np.zeros(3), (1.0,)))[:PARTS]
    seen = built.air.sky[:, :PARTS].astype(float)
    shape = built.air.values.shape[:3]
    places = built.air.low + np.stack(np.unravel_index(np.arange(len(seen)), shape), axis=1) * built.air.step
    low = (places[:, 1] > 0.0) & (places[:, 1] < 2.0) & (np.abs(places[:, 2]) < 3.0)
    for side, bright in ((1.0, 1000.0), (-1.0, 10.0)):
        near = low & (side * places[:, 0] > 0.2) & (side * places[:, 0] < 1.5)
        assert near.any()
        assert seen[near].sum(axis=1) == pytest.approx(np.full(near.sum(), 0.25), abs=0.07)
        shown = (seen[near] @ parts).sum(axis=0) / seen[near].sum()
        assert shown == pytest.approx(np.full(3, bright), rel=0.08, abs=70.0)


def test_parts_of_the_sky_are_all_of_it():
    assert WEIGHTS.sum() == pytest.approx(1.0)
    assert SOLID.sum() == pytest.approx(2.0 * np.pi)
    directions, _ = dome_directions()
    rising = 100.0 + 900.0 * directions[..., 1:2] * np.ones(3)
    parts = sky_parts(Dome("sky", rising.astype(np.float32), np.full(3, 7.0), (1.0,)))
    assert parts[-1] == pytest.approx(np.full(3, 7.0))
    level_ground = dome_illuminance(rising)
    assert np.pi * WEIGHTS @ parts[:-1] == pytest.approx(level_ground, rel=0.04)
