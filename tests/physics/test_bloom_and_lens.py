"""What a lens and a film do to a picture: light is moved about, and none is made."""

import numpy as np
import pytest

from wallum.physics.bloom import Bloom, bloomed, down_weights, sizes_of, spread, up_weights
from wallum.physics.fringe import HALF_DIAGONAL, fringed
from wallum.physics.grain import draws, grain
from wallum.physics.vignette import EdgeShade, vignette

SIZES = [(64, 48), (160, 90), (63, 41), (97, 54), (8, 8), (3, 5)]


def _lamp(size, rng):
    """A dim picture with one pixel of ten thousand times its light, and one in the corner."""
    out = rng.random((size[1], size[0], 3)) * 0.2
    out[size[1] // 3, size[0] // 3] = 2000.0, 1000.0, 200.0
    out[0, -1] = 500.0
    return out


@pytest.mark.parametrize("size", SIZES)
@pytest.mark.parametrize("bloom", [Bloom(0.04), Bloom(1.0, 0.95), Bloom(0.5, 0.3, (1.0, 0.5, 0.1), 2.0)])
def test_bloom_keeps_the_mean_of_every_channel(size, bloom, rng):
    picture = _lamp(size, rng)
    out = bloomed(picture, bloom)
    assert out.mean(axis=(0, 1)) == pytest.approx(picture.mean(axis=(0, 1)), rel=1e-6)
    assert out.min() >= 0.0
    if min(size) >= 16:
        assert np.abs(out - picture).max() > 1.0


@pytest.mark.parametrize("size", SIZES)
def test_even_light_stays_as_it_is(size):
    even = np.full((size[1], size[0], 3), 0.7)
    assert spread(even, 0.8) == pytest.approx(even, rel=1e-6)


@pytest.mark.parametrize(("many", "few"), [(48, 24), (45, 23), (7, 4), (540, 135), (539, 135)])
def test_steps_keep_what_is_even_and_the_sum(many, few):
    for weights in (down_weights(many, few, False), down_weights(many, few, True), up_weights(many, few)):
        assert weights.min() >= 0.0
        assert weights.sum(axis=1) == pytest.approx(1.0, abs=1e-6)
        assert weights.sum(axis=0) == pytest.approx(weights.shape[0] / weights.shape[1], rel=1e-6)
    assert ((up_weights(many, few) > 0.0).sum(axis=1) <= 2).all()


def test_a_side_that_divides_evenly_goes_up_as_bilinear_enlarging_does():
    assert up_weights(8, 4)[3] == pytest.approx([0.0, 0.75, 0.25, 0.0])
    assert up_weights(16, 4)[5] == pytest.approx([0.125, 0.875, 0.0, 0.0])
    assert up_weights(8, 4)[0] == pytest.approx([1.0, 0.0, 0.0, 0.0])


def test_glow_falls_off_about_a_lamp_and_reaches_further_with_more_spread():
    picture = np.zeros((128, 256, 3))
    picture[64, 128] = 1.0
    near, far = (spread(picture, reach)[64, :, 1] for reach in (0.3, 0.9))
    for line in (near, far):
        assert (np.diff(line[132:250]) <= 1e-12).all()
    assert near[128] > far[128]
    assert near[165] < far[165]


def test_sizes_halve_down_to_a_few_pixels():
    assert sizes_of((960, 540))[:2] == ((240, 135), (120, 68))
    assert all(min(item) >= 4 for item in sizes_of((960, 540)))
    assert sizes_of((15, 30)) == ()


@pytest.mark.parametrize("pixels", [-3.0, 1.0, 5.0])
def test_a_fringe_is_nothing_in_the_middle_and_as_wide_as_stated_at_the_corner(pixels):
    """A thin ring of white: red is found further out, by as much as is stated for that place."""
    half = 301
    y, x = np.mgrid[-half : half + 1, -half : half + 1]
    ring = np.exp(-(((np.hypot(x, y) - 250.0) / 3.0) ** 2))
    out = fringed(np.repeat(ring[..., None], 3, axis=2), pixels)
    line = out[half, half:]
    at = np.arange(half + 1)
    red, green, blue = ((line[:, k] * at).sum() / line[:, k].sum() for k in range(3))
    wide = pixels * 250.0 / HALF_DIAGONAL
    assert red - green == pytest.approx(wide, abs=0.05)
    assert blue - green == pytest.approx(-wide, abs=0.05)
    middle = np.ones((9, 9, 3))
    assert fringed(middle, pixels)[4, 4] == pytest.approx(middle[4, 4], abs=1e-12)


def test_a_vignette_by_hand_begins_at_its_radius_and_is_whole_at_its_end():
    left = np.log2(vignette((1601, 901), 0.0, EdgeShade(1.5, 0.4, 0.4)))
    middle, corner = left[450, 800], left[0, 0]
    assert middle == 0.0
    assert corner == pytest.approx(-1.5, abs=1e-6)
    away = np.hypot(np.arange(1601) - 800.0, 0.0) / np.hypot(800.5, 450.5)
    assert (left[450][away < 0.39] == 0.0).all()
    assert (left[450][away > 0.83] < -1.49).all()


def test_grain_is_of_the_stated_deviation_without_a_pattern_and_brightens_nothing():
    drawn = draws((512, 512), 0)
    assert drawn.mean() == pytest.approx(0.0, abs=0.01)
    assert drawn.std() == pytest.approx(1.0, abs=0.01)
    for step in (1, 2, 64):
        for axis in (0, 1):
            assert abs((drawn * np.roll(drawn, step, axis)).mean()) < 0.01
    other = draws((512, 512), 1)
    assert abs((drawn * other).mean()) < 0.01
    factor = grain((512, 512), 1600.0)
    assert factor.mean() == pytest.approx(1.0, abs=2e-3)
    # A film of index 100 has a density that wavers by 0.009; of 16 times the index by four times as much.
    assert np.log10(factor).std() == pytest.approx(0.036, rel=0.02)
