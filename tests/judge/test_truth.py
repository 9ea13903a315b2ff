"""How far a picture is from a reference, told so that noise is not taken for error."""

import numpy as np
import pytest

from wallum.judge.truth import BLOCKS, EACH, PICTURE, TRACED, TRACED_EACH, compare

COLUMNS, ROWS = BLOCKS
SOLID = np.ones(COLUMNS * ROWS, dtype=bool)
WHERE = ("Yard", "09:00", False)
EXACT = np.zeros(TRACED[::-1])


def _spread(blocks, each):
    """Pixels (h, w, 3) of which all of a block have its value."""
    return np.repeat(np.repeat(blocks, each, axis=0), each, axis=1)


def test_a_picture_twice_as_bright_is_off_by_a_stop(rng):
    true = rng.uniform(1.0, 9.0, (ROWS, COLUMNS, 3))
    picture = 2.0 * _spread(true, EACH)
    assert picture.shape[:2] == PICTURE[::-1]
    off = compare(picture, _spread(true, TRACED_EACH), EXACT, SOLID, WHERE)
    assert (off.bias, off.median, off.most, off.whole) == pytest.approx((1.0, 1.0, 1.0, 1.0))
    assert off.blocks == COLUMNS * ROWS
    assert off.noise == 0.0


def test_rare_bright_paths_shift_a_median_and_not_the_means(rng):
    """Of a hundred blocks one has met all the light of them: right in the mean, black for the most part."""
    true = np.zeros((ROWS * COLUMNS, 3))
    true[rng.permutation(len(true))[: len(true) // 16]] = 16.0
    true += 0.01
    reference = _spread(true.reshape(ROWS, COLUMNS, 3), TRACED_EACH)
    off = compare(np.ones((*PICTURE[::-1], 3)), reference, EXACT, SOLID, WHERE)
    assert off.bias > 5.0
    assert off.whole == pytest.approx(0.0, abs=0.03)


def test_noise_told_is_what_two_references_lie_apart(rng):
    """Of pixels that are each a fifth off by chance, a block of 25 is off by a twenty-fifth."""
    errors = np.full(TRACED[::-1], 0.2)
    noisy = [1.0 + 0.2 * np.repeat(rng.normal(size=(*TRACED[::-1], 1)), 3, axis=2) for _ in range(2)]
    item, other = (compare(np.ones((*PICTURE[::-1], 3)), each, errors, SOLID, WHERE) for each in noisy)
    assert item.noise == pytest.approx(np.log2(1.04), abs=0.004)
    # Half of normal errors are under 0.674 of their deviation.
    assert (item.median, other.median) == pytest.approx((0.674 * item.noise,) * 2, rel=0.1)
    assert f"noise {item.noise:4.2f}" in item.as_text()


def test_only_blocks_that_are_all_surface_count():
    solid = SOLID.copy()
    solid[:10] = False
    true = np.ones((*TRACED[::-1], 3))
    true[:TRACED_EACH, : 10 * TRACED_EACH] = 1e6
    white = np.ones((*PICTURE[::-1], 3))
    off = compare(white, true, EXACT, solid, WHERE)
    assert (off.median, off.whole, off.blocks) == (0.0, 0.0, COLUMNS * ROWS - 10)
    assert compare(white, true, EXACT, ~SOLID, WHERE).blocks == 0
