"""Glow that paths aim at, against closed forms and against glow that is only met."""

from dataclasses import replace

import numpy as np
import pytest
from level_shapes import level_of

from wallum.document.look import Look
from wallum.document.project import Project
from wallum.level.model.flatten import flatten
from wallum.level.model.model import Level, Material, Mesh, Part
from wallum.level.model.solids import box, grid
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.physics.colour import luminance
from wallum.transport.paths.glow_aim import GlowAim
from wallum.transport.paths.reference import Reference
from wallum.transport.paths.through import returned_illuminance
from wallum.transport.scene.rays import RayScene
from wallum.transport.scene.surface_tables import SurfaceTables

GLOW = 250.0
PANE = Material("pane", (0.0, 0.0, 0.0, 1.0), 0.0, 1.0, emissive=(1.0,) * 3, emissive_strength=GLOW)
FLOOR = Material("floor", (0.5, 0.5, 0.5, 1.0), 0.0, 1.0, double_sided=True)


def plane(number, half, height, up=True):
    """A square that faces up or down."""
    x, z = np.meshgrid([-half, half], [half, -half] if up else [-half, half])
    return Mesh(f"m{number}", (replace(grid(np.stack([x, 0 * x + height, z], axis=-1), 0), material=number),))


def pane_over_floor(double_sided=False, up=False):
    pane = replace(PANE, double_sided=double_sided)
    parts = tuple(Part(f"p{n}", f"p{n}", n, np.eye(4)) for n in range(2))
    return Level("pane", (plane(0, 6.0, 0.0), plane(1, 0.5, 1.0, up)), parts, (FLOOR, pane))


def aim_of(level):
    rays = RayScene(level, flatten(level))
    return GlowAim(rays, SurfaceTables(level, rays.triangles), np.ones(len(level.parts), np.float32)), rays


def corner_share(a, b):
    """Configuration factor of an element below the corner of a parallel rectangle, its sides over the
    distance (Howell, C-11 as an element's)."""
    item = a / np.hypot(1.0, a) * np.arctan(b / np.hypot(1.0, a))
    return (item + b / np.hypot(1.0, b) * np.arctan(a / np.hypot(1.0, b))) / (2.0 * np.pi)


def test_a_pane_gives_what_its_configuration_factor_says(rng):
    aim, _ = aim_of(pane_over_floor())
    target = aim.aim(np.tile(np.array([[0.0, 0.0, 0.0]], np.float32), (200_000, 1)), rng)
    inputs = GLOW * target.toward[:, 1] / target.chance
    assert inputs.mean() == pytest.approx(np.pi * GLOW * 4.0 * corner_share(0.5, 0.5), rel=0.005)


def test_the_density_is_one_over_all_directions(rng):
    """Of a body of many triangles, from within and from beside: what is aimed at is what is met."""
    level = level_of(box((-1, -1, -1), (1, 1, 1), 0, inward=True), PANE)
    aim, rays = aim_of(level)
    directions = rng.standard_normal((300_000, 3))
    directions = (directions / np.linalg.norm(directions, axis=1, keepdims=True)).astype(np.float32)
    for place in ((0.2, -0.4, 0.3), (0.9, 0.9, -0.9)):
        places = np.tile(np.array(place, np.float32), (len(directions), 1))
        chance = aim.chance(places, directions, rays.first_hit(places, directions))
        assert chance.mean() * 4.0 * np.pi == pytest.approx(1.0, rel=0.03)


def test_what_has_one_side_shines_to_that_side(rng):
    places = np.tile(np.array([[0.0, 2.0, 0.0]], np.float32), (64, 1))
    assert not aim_of(pane_over_floor())[0].aim(places, rng).chance.any()
    assert aim_of(pane_over_floor(double_sided=True))[0].aim(places, rng).chance.all()


@pytest.mark.parametrize(
    ("double_sided", "up", "share"), [(False, False, 1.0), (True, True, 1.0), (False, True, 0.0)]
)
def test_the_picture_of_a_floor_below_it(double_sided, up, share):
    level = pane_over_floor(double_sided, up)
    camera = Camera((0.0, 0.5, 0.0), (0.0, -1.0, -0.001), 2.0, 1.0)
    reference = Reference(
        RayScene(level, flatten(level)), level, evaluate(Project(look=Look(ev100=7.0))), camera, (16, 16), 0
    )
    for _ in range(64):
        reference.step()
    lit = 0.5 * GLOW * 4.0 * corner_share(0.5, 0.5)
    # A dull floor keeps a few per cent more by its gloss than its base.
    assert luminance(reference.luminance).mean() == pytest.approx(share * lit, rel=0.06)


def test_a_small_pane_is_found_and_not_only_met():
    """A pane of 4 cm in a dark hall: met by chance it would leave nearly all pixels black."""
    small = Mesh("m1", (replace(plane(0, 0.02, 2.5, up=False).primitives[0], material=1),))
    parts = tuple(Part(f"p{n}", f"p{n}", n, np.eye(4)) for n in range(2))
    level = Level("small", (plane(0, 4.0, 0.0), small), parts, (FLOOR, PANE))
    camera = Camera((0.0, 1.5, 0.0), (0.0, -1.0, -0.001), 40.0, 1.0)
    reference = Reference(RayScene(level, flatten(level)), level, evaluate(Project()), camera, (24, 24), 0)
    for _ in range(8):
        reference.step()
    seen = luminance(reference.luminance)
    assert (seen > 0.0).all()
    assert reference.noise < 0.1
    below = seen[10:14, 10:14].mean()
    # As a point of its intensity: L A / d2, of which the floor shows its share.
    assert below == pytest.approx(0.5 / np.pi * GLOW * 0.04**2 / 2.5**2, rel=0.1)


def _of_body(bodies):
    level, camera = pane_over_floor(double_sided=True), Camera((0.0, 0.4, 3.0), (0.0, 0.1, -1.0), 70.0, 1.0)
    scene = replace(evaluate(Project(look=Look(ev100=7.0))), bodies=bodies)
    return Reference(RayScene(level, flatten(level)), level, scene, camera, (24, 24), 2)


def test_what_is_a_lamps_body_shows_and_lights_nothing():
    """The same pixels see the pane, as bright as ever; the floor, which nothing else lights, is black."""
    plain, body = _of_body(frozenset()), _of_body(frozenset({"p1"}))
    for item in (plain, body):
        for _ in range(16):
            item.step()
    bright, shown = luminance(plain.luminance), luminance(body.luminance)
    pane = shown > 0.0
    assert 0 < pane.sum() < pane.size / 2
    assert np.median(shown[pane]) == pytest.approx(np.median(bright[pane]), rel=0.05)
    assert (bright[~pane] > 0.0).mean() > 0.4


def test_the_meter_has_no_light_of_a_lamps_body():
    up = (np.array([0.0, 0.01, 0.0]), np.array([0.0, 1.0, 0.0]))
    _, plain, met = _of_body(frozenset()).arriving(*up, 4000)
    back, none, _ = _of_body(frozenset({"p1"})).arriving(*up, 4000)
    wanted = np.pi * GLOW * 4.0 * corner_share(0.5, 0.5)
    assert luminance(plain).mean() == pytest.approx(wanted, rel=0.08)
    assert ((met >= 0) == (luminance(plain) > 0.0)).mean() > 0.99
    assert not none.any()
    assert not back.any()


def test_the_meter_reads_the_glow_of_each_material_by_its_name():
    """Two panes over a place, one near and one far and brighter: each gives what its configuration factor says."""
    far = replace(PANE, name="far pane", emissive_strength=4.0 * GLOW)
    meshes = (plane(0, 6.0, 0.0), plane(1, 0.5, 1.0, up=False), plane(2, 3.0, 2.0, up=False))
    parts = tuple(Part(f"p{n}", f"p{n}", n, np.eye(4)) for n in range(3))
    level = Level("panes", meshes, parts, (FLOOR, replace(PANE, double_sided=True), far))
    scene = evaluate(Project(look=Look(ev100=7.0)))
    place = (np.array([0.0, 0.01, 0.0]), np.array([0.0, 1.0, 0.0]))
    _, whole, by_name = returned_illuminance(
        RayScene(level, flatten(level)), level, scene, *place, samples=60_000
    )
    near = np.pi * GLOW * 4.0 * corner_share(0.5, 0.5)
    # Of the far one the near one hides what lies behind it: twice as wide, as seen from here.
    rest = 4.0 * np.pi * GLOW * 4.0 * (corner_share(1.5, 1.5) - corner_share(0.5, 0.5))
    assert set(by_name) == {"pane", "far pane"}
    assert by_name["pane"] == pytest.approx(near, rel=0.04)
    assert by_name["far pane"] == pytest.approx(rest, rel=0.04)
    assert sum(by_name.values()) == pytest.approx(whole.mean_lx, rel=1e-5)
