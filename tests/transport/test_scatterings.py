"""Light that goes from air to air: energy kept, and series that are known."""

from dataclasses import replace

import numpy as np
import pytest
from level_shapes import grey_level

from wallum.document.look import Look
from wallum.document.project import Project, base_light
from wallum.document.sources import PointSource
from wallum.level.model.flatten import flatten
from wallum.level.model.solids import box
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.physics.colour import luminance
from wallum.physics.medium import AirLayer, Medium
from wallum.transport.paths.light_paths import add_light
from wallum.transport.paths.reference import Reference
from wallum.transport.paths.through import seen_through
from wallum.transport.scene.rays import RayScene

EVEN = 100.0


def _room(half=4.0, wall=0.3):
    """Six walls about the origin, seen from within."""
    out = half + wall
    sides = []
    for axis in range(3):
        for sign in (-1.0, 1.0):
            low, high = [-out] * 3, [out] * 3
            low[axis], high[axis] = sorted((sign * half, sign * out))
            sides.append(box(tuple(low), tuple(high), 0))
    return grey_level(*sides)


def _even_sky(air):
    """A sky that is the same from everywhere, ground and all."""
    sky = base_light()[2].revised(model="plain", stars=0.0)
    scene = evaluate(Project(sources=(sky,), look=Look(ev100=9.0)))
    even = np.full_like(scene.sky.luminance, EVEN)
    dome = replace(
        scene.sky, luminance=even, ground=np.full(3, EVEN), discs=(), stars=None, veil=(0.0,) * 3, key=(-9.0,)
    )
    return replace(scene, sky=dome, air=air)


def _fog(albedo, thick=0.2, forward=0.0):
    return Medium((AirLayer(thick, 5.0, 1000.0, (albedo,) * 3, forward),))


def test_light_of_pixels_that_come_twice_is_added_twice():
    light = np.zeros((3, 3), np.float32)
    add_light(light, np.array([1, 1, 2]), np.array([[1.0, 2.0, 3.0], [10.0, 20.0, 30.0], [5.0, 5.0, 5.0]]))
    assert light.tolist() == [[0.0, 0.0, 0.0], [11.0, 22.0, 33.0], [5.0, 5.0, 5.0]]


@pytest.mark.parametrize("scatterings", [1, 3])
def test_white_air_in_even_light_is_not_seen_however_often_it_scatters(scatterings):
    level = grey_level(box((-0.5, -0.5, -250.0), (0.5, 0.5, -249.0), 0))
    rays, camera = RayScene(level, flatten(level)), Camera((0.0, 1.5, 8.0), (0.0, 0.1, -1.0), 50.0, 16 / 9)
    reference = Reference(rays, level, _even_sky(_fog(1.0)), camera, (24, 14), 0, scatterings=scatterings)
    for _ in range(24):
        reference.step()
    assert luminance(reference.luminance).mean() == pytest.approx(EVEN, rel=0.03)


def _lamp_seen(albedo, scatterings, thick=0.35, samples=6000):
    level = _room()
    lamp = PointSource(id="l", name="Lamp", position=(0.0, 1.0, 0.0), intensity=100.0, range=0.0, shadow=True)
    scene = replace(evaluate(Project(sources=(lamp,))), air=_fog(albedo, thick))
    seen = seen_through(
        RayScene(level, flatten(level)), level, scene, np.array([-3.0, -2.0, 0.0]), np.array([3.0, -2.0, 0.0]),
        samples, bounces=0, scatterings=scatterings,
    )  # fmt: skip
    return float(luminance(seen.scattered))


def test_each_further_scattering_adds_less_by_what_the_air_swallows():
    item, two, three, four = (_lamp_seen(0.6, n) for n in (1, 2, 3, 4))
    steps = [two - item, three - two, four - three]
    assert steps[0] > 0.0
    # No more than the share that is scattered on can be handed on.
    assert steps[1] < 0.75 * steps[0]
    assert steps[2] < 0.8 * steps[1]


def test_in_thin_air_once_is_all():
    once, thrice = (_lamp_seen(0.9, n, thick=0.002) for n in (1, 3))
    assert thrice == pytest.approx(once, rel=0.03)


def test_its_share_grows_with_the_albedo_to_the_power_of_the_order():
    # The second scattering has the albedo twice, the first once.
    low = [_lamp_seen(0.4, n) for n in (1, 2)]
    high = [_lamp_seen(0.8, n) for n in (1, 2)]
    assert high[0] / low[0] == pytest.approx(2.0, rel=0.03)
    assert (high[1] - high[0]) / (low[1] - low[0]) == pytest.approx(4.0, rel=0.15)
