"""Paths that leave for what is bright: densities, a closed form for all light in a box, and less noise."""

import numpy as np
import pytest
from level_shapes import field_of, grey_level, slabs_about

from wallum.document.look import Look
from wallum.document.project import Project, base_light
from wallum.document.sources import PointSource
from wallum.level.model.solids import box
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import Moment
from wallum.physics.colour import luminance
from wallum.physics.emitters import sphere_directions
from wallum.transport.paths.light_aim import PARTS, UNEVEN, LightAim, direction_parts
from wallum.transport.paths.reference import Reference

SKY = next(item for item in base_light() if item.kind == "sky")
LAMP = PointSource(
    id="lamp", name="Lamp", position=(0.6, 2.2, 0.7), intensity=100.0, radius=0.01, shadow=True
)
HIGH = (4.0, 3.0, 5.0)


def scene_of(*sources):
    return evaluate(Project(sources=sources, look=Look(ev100=6.0)), Moment(12.0))


@pytest.fixture(scope="module")
def corner():
    """Two rooms of 4 x 3 x 5 m with a door between, the lamp in the far corner of the first."""
    walls = [
        *slabs_about((0.0, 0.0, 0.0), (4.0, 3.0, 10.2), 0.2),
        box((0.0, 0.0, 5.0), (3.2, 3.0, 5.2), 0), box((3.2, 2.0, 5.0), (4.0, 3.0, 5.2), 0),
    ]  # fmt: skip
    level = grey_level(*walls)
    return (level, *field_of(level))


def aim_of(rays, made, scene):
    return LightAim(rays, made, scene, np.ones(len(made.probes), dtype=bool))


def test_parts_of_all_directions_are_alike_in_size(rng):
    bincount = np.bincount(direction_parts(sphere_directions(rng.random((400_000, 2)))), minlength=PARTS)
    assert len(bincount) == PARTS
    assert np.abs(bincount / bincount.mean() - 1.0).max() < 0.15


def test_the_density_is_that_with_which_directions_come(corner, rng):
    _, rays, built = corner
    aim = aim_of(rays, built, scene_of(SKY, LAMP))
    count = 100_000
    probe = np.repeat(built.probes.find(np.array([[2.0, 0.0, 8.0]]), np.array([[0.0, 1.0, 0.0]])), count)
    assert aim.guides[probe[0]]
    around = sphere_directions(rng.random((count, 2)))
    assert aim.density(probe, around).mean() * 4.0 * np.pi == pytest.approx(1.0, rel=0.03)
    drawn = aim.aim(probe, rng)
    assert np.linalg.norm(drawn, axis=1) == pytest.approx(np.ones(count), abs=1e-5)
    # The mean of 1 / density over what is drawn is all solid angle: none is left out.
    assert (1.0 / aim.density(probe, drawn)).mean() == pytest.approx(4.0 * np.pi, rel=0.05)


def test_it_aims_at_the_door_that_light_comes_by(corner, rng):
    _, rays, built = corner
    aim = aim_of(rays, built, scene_of(SKY, LAMP))
    place = np.array([[2.0, 0.0, 8.0]])
    probe = np.repeat(built.probes.find(place, np.array([[0.0, 1.0, 0.0]])), 20_000)
    door = np.array([3.6, 1.0, 5.1]) - place[0]
    door = door / np.linalg.norm(door)
    aimed = (aim.aim(probe, rng) @ door > 0.9).mean()
    by_chance = (sphere_directions(rng.random((20_000, 2))) @ door > 0.9).mean()
    assert aimed > 2.0 * by_chance


def test_light_is_the_less_even_the_less_of_all_around_is_bright(corner):
    """A lamp in a box lights all of it; what sees that by a door alone has its light from there."""
    box_level = grey_level(*slabs_about((0.0, 0.0, 0.0), HIGH, 0.2))
    floor, up = np.array([[2.0, 0.0, 2.0]]), np.array([[0.0, 1.0, 0.0]])
    result = []
    behind = floor + np.array([[0.0, 0.0, 6.0]])
    for place, (rays, item) in ((floor, field_of(box_level)), (behind, corner[1:])):
        aim = aim_of(rays, item, scene_of(SKY, LAMP))
        probe = item.probes.find(place, up)
        result.append(float(aim.unevenness(probe)[0]))
        assert aim.unevenness(np.array([-1]))[0] == UNEVEN
    even, by_a_door = result
    # A half space that is alike has twice the mean of all around: its square over the squared mean is 2.
    assert 1.5 < even < 6.0
    assert by_a_door > 1.5 * even


def test_all_light_of_a_closed_box_is_that_of_its_closed_form(rng):
    """Of a lamp's flux each surface takes half: over all walls there is twice the flux in the end."""
    level = grey_level(*slabs_about((0.0, 0.0, 0.0), HIGH, 0.2))
    rays, built = field_of(level)
    reference = Reference(
        rays, level, scene_of(SKY, LAMP), Camera((2.0, 1.0, 2.0), (0.0, 0.0, -1.0)), (8, 8), 9
    )
    reference.aim_by(built)
    assert reference._aimed.others is not None
    size, area, total = np.array(HIGH), 0.0, 0.0
    for axis in range(3):
        for far in (0, 1):
            places = rng.random((20_000, 3)) * size
            places[:, axis] = far * size[axis]
            normals = np.zeros((20_000, 3), np.float32)
            normals[:, axis] = 1 - 2 * far
            side = float(np.prod(np.delete(size, axis)))
            light = luminance(reference.falling(places.astype(np.float32), normals, normals, rng, True))
            area, total = area + side, total + side * float(light.mean())
    # Rough surfaces of the standard's model send a little less than their albedo of one half.
    assert total == pytest.approx(2.0 * 4.0 * np.pi * 100.0, rel=0.05)


def test_the_light_is_the_same_and_its_noise_less(corner):
    level, rays, built = corner
    scene = scene_of(SKY, LAMP)
    camera = Camera((1.0, 1.5, 9.8), (0.25, -0.35, -0.9), 60.0, 1.5)
    result = []
    for aims in (False, True):
        reference = Reference(rays, level, scene, camera, (48, 32), 1).aim_by(built)
        if not aims:
            reference._aimed.others = None
        for _ in range(160):
            reference.step()
        result.append(luminance(reference.luminance)[16:, :24])  # the second room's floor
    plain, aimed = result
    assert aimed.mean() == pytest.approx(plain.mean(), rel=0.08)
    uneven = [np.abs(np.diff(np.log2(item + 1e-4), axis=1)).mean() for item in result]
    assert uneven[1] < 0.6 * uneven[0]
