"""Edges made smooth by a filter over the finished picture: nearer to what they cover, and nothing else changed."""

import numpy as np
import pytest
from twins.edge_smoothing import smoothed

SIZE = 96


def _half_plane(slope, offset=0.0, finer=16):
    """(H, W, 3) a dark half below a line, by one sample a pixel, and by what it truly covers."""
    y, x = (np.mgrid[: SIZE * finer, : SIZE * finer] + 0.5) / finer
    inside = (y > slope * (x - SIZE / 2) + SIZE / 2 + offset).astype(np.float64)
    true = inside.reshape(SIZE, finer, SIZE, finer).mean(axis=(1, 3))
    hard = inside[finer // 2 :: finer, finer // 2 :: finer]
    return [np.repeat((40.0 + 150.0 * item)[..., None], 3, axis=2) for item in (hard, true)]


@pytest.mark.parametrize("slope", [0.07, 0.21, 0.5, -0.3])
@pytest.mark.parametrize("turned", [False, True])
def test_a_slanted_edge_comes_nearer_to_what_it_covers(slope, turned):
    hard, true = _half_plane(slope)
    if turned:
        hard, true = hard.transpose(1, 0, 2), true.transpose(1, 0, 2)
    inner = np.s_[12:-12, 12:-12]
    out = smoothed(np.round(hard).astype(np.uint8)).astype(np.float64)
    before, after = (np.sqrt(((item - true)[inner] ** 2).mean()) for item in (hard, out))
    assert after < 0.5 * before


def test_straight_edges_and_what_differs_little_stay_bit_for_bit(rng):
    level = np.zeros((40, 60, 3), np.uint8)
    level[20:] = 200
    level[:, 30:] //= 2
    assert np.array_equal(smoothed(level)[:, :14], level[:, :14])
    fine = rng.integers(100, 110, (40, 60, 3), dtype=np.uint8)
    assert np.array_equal(smoothed(fine), fine)


def test_nothing_is_brighter_or_darker_than_its_neighbours(rng):
    picture = rng.integers(0, 256, (50, 70, 3), dtype=np.uint8)
    out = smoothed(picture).astype(int)
    padded = np.pad(picture.astype(int), ((1, 1), (1, 1), (0, 0)), mode="edge")
    near = np.stack(
        [padded[1 + dy : 51 + dy, 1 + dx : 71 + dx] for dy, dx in ((0, 0), (1, 0), (-1, 0), (0, 1), (0, -1))]
    )
    assert (out <= near.max(axis=0) + 1).all()
    assert (out >= near.min(axis=0) - 1).all()
