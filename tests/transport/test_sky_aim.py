"""The sky that paths aim at through openings: densities, closed forms, and the same light for less noise."""

import numpy as np
import pytest
from level_shapes import field_of, grey_level

from wallum.document.look import Look
from wallum.document.project import Project, base_light
from wallum.level.model.solids import box
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import Moment
from wallum.physics.colour import luminance
from wallum.transport.paths.reference import Reference
from wallum.transport.paths.sky_aim import SkyAim

W = 0.2
SKY = next(item for item in base_light() if item.kind == "sky")


@pytest.fixture(scope="module")
def cellar():
    """A room of 4 x 3 x 5 m with a window of 0.6 x 0.5 m high in its far wall, and no ground outside."""
    slabs = [
        ((-W, -W, -W), (4.0 + W, 0.0, 5.0 + W)),
        ((-W, 3.0, -W), (4.0 + W, 3.0 + W, 5.0 + W)),
        ((-W, 0.0, -W), (0.0, 3.0, 5.0 + W)),
        ((4.0, 0.0, -W), (4.0 + W, 3.0, 5.0 + W)),
        ((0.0, 0.0, 5.0), (4.0, 3.0, 5.0 + W)),
        ((0.0, 0.0, -W), (4.0, 2.2, 0.0)),
        ((0.0, 2.7, -W), (4.0, 3.0, 0.0)),
        ((0.0, 2.2, -W), (1.7, 2.7, 0.0)),
        ((2.3, 2.2, -W), (4.0, 2.7, 0.0)),
    ]
    level = grey_level(*(box(low, high, 0) for low, high in slabs))
    rays, built = field_of(level)
    scene = evaluate(Project(sources=(SKY,), look=Look(ev100=6.0)), Moment(12.0))
    return level, rays, built, scene


def test_the_density_is_that_with_which_directions_come(cellar, rng):
    """Drawn by chance over the sky, what a probe aims with adds up to 1; what it draws lies where it says."""
    _, _, built, scene = cellar
    aim = SkyAim(built, scene.sky)
    floor = np.array([[2.0, 0.0, 2.5]]), np.array([[0.0, 1.0, 0.0]])
    probe = aim.find(*floor)
    assert probe[0] >= 0
    count = 200_000
    up, turn = rng.random(count), 2.0 * np.pi * rng.random(count)
    flat = np.sqrt(1.0 - up * up)
    directions = np.stack([flat * np.sin(turn), up, -flat * np.cos(turn)], axis=1)
    assert aim.density(np.repeat(probe, count), directions).mean() * 2.0 * np.pi == pytest.approx(
        1.0, rel=0.02
    )
    drawn, density = aim.aim(np.repeat(probe, count), rng)
    assert np.linalg.norm(drawn, axis=1) == pytest.approx(np.ones(count), abs=1e-5)
    assert aim.density(np.repeat(probe, count), drawn) == pytest.approx(density)
    # The mean of 1 / density over what is drawn is the solid angle that may be drawn.
    own = (aim.density(np.repeat(probe, count), directions) > 0.0).mean() * 2.0 * np.pi
    assert (1.0 / density).mean() == pytest.approx(own, rel=0.03)
    below = directions * [1.0, -1.0, 1.0]
    assert not aim.density(np.repeat(probe, count), below).any()


def test_it_aims_through_the_window(cellar, rng):
    """From the floor in the middle far more of what is aimed goes out by the window than of what is by chance."""
    _, rays, built, scene = cellar
    aim = SkyAim(built, scene.sky)
    place, up = np.array([[2.0, 0.02, 2.5]]), np.array([[0.0, 1.0, 0.0]])
    probe = np.repeat(aim.find(place, up), 20_000)
    start = np.repeat(place, len(probe), axis=0).astype(np.float32)
    aimed, _ = aim.aim(probe, rng)
    disc = np.sqrt(rng.random(len(probe)))[:, None]
    turn = 2.0 * np.pi * rng.random(len(probe))
    flat = disc * np.stack([np.cos(turn), np.sin(turn)], axis=1)
    by_chance = np.stack([flat[:, 0], np.sqrt(1.0 - (flat**2).sum(axis=1)), flat[:, 1]], axis=1)
    endless = np.full(len(probe), np.inf, np.float32)
    out = [
        (~rays.blocked(start, directions.astype(np.float32), endless)).mean()
        for directions in (aimed, by_chance)
    ]
    assert out[0] > 8.0 * out[1] > 0.0


def test_the_light_is_the_same_and_its_noise_less(cellar):
    level, rays, built, scene = cellar
    camera = Camera((2.0, 1.5, 4.6), (0.0, -0.35, -0.94), 70.0, 1.5)
    result = []
    for field in (None, built):
        reference = Reference(rays, level, scene, camera, (48, 32), 3).aim_by(field)
        for _ in range(48):
            reference.step()
        result.append(luminance(reference.luminance))
    plain, aimed = result
    # The lower half shows floor and walls, not the window itself.
    plain, aimed = (item.reshape(32, 48)[16:] for item in (plain, aimed))
    assert aimed.mean() == pytest.approx(plain.mean(), rel=0.1)
    rough, fine = (item.reshape(4, 4, 12, 4).mean(axis=(1, 3)) for item in (plain, aimed))
    assert np.median(rough / fine) == pytest.approx(1.0, abs=0.2)
    # Beside each other pixels of a dull floor are alike: how much they are not is noise.
    uneven = [np.abs(np.diff(np.log2(item + 1e-3), axis=1)).mean() for item in (plain, aimed)]
    assert uneven[1] < 0.6 * uneven[0]


def test_the_open_is_left_to_chance(rng):
    """Where most of the sky is seen nothing is aimed, and the picture is path for path as without."""
    level = grey_level(box((-6.0, -0.2, -6.0), (6.0, 0.0, 6.0), 0))
    rays, built = field_of(level)
    scene = evaluate(Project(sources=(SKY,), look=Look(ev100=12.0)), Moment(12.0))
    camera = Camera((0.0, 2.0, 4.0), (0.0, -0.5, -0.86), 50.0, 1.5)
    pictures = []
    for field in (None, built):
        reference = Reference(rays, level, scene, camera, (24, 16), 2).aim_by(field)
        for _ in range(4):
            reference.step()
        pictures.append(reference.luminance)
    assert np.array_equal(*pictures)
