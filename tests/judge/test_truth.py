"""How far a picture is from a reference, told so that noise is not taken for error."""

import numpy as np
import pytest

from wallum.judge.truth import BLOCKS, EACH, PICTURE, compare

COLUMNS, ROWS = BLOCKS
SOLID = np.ones(COLUMNS * ROWS, dtype=bool)
WHERE = ("Yard", "09:00", False)


def test_a_picture_twice_as_bright_is_off_by_a_stop(rng):
    true = rng.uniform(1.0, 9.0, (ROWS, COLUMNS, 3))
    picture = 2.0 * np.repeat(np.repeat(true, EACH, axis=0), EACH, axis=1)
    assert picture.shape[:2] == PICTURE[::-1]
    off = compare(picture, true, SOLID, WHERE, 0.01)
    assert (off.bias, off.median, off.most, off.whole) == pytest.approx((1.0, 1.0, 1.0, 1.0))
    assert off.blocks == COLUMNS * ROWS


def test_rare_bright_paths_shift_a_median_and_not_the_means(rng):
    """Of a hundred blocks one has met all the light of them: right in the mean, black for the most part."""
    true = np.zeros((ROWS * COLUMNS, 3))
    true[rng.permutation(len(true))[: len(true) // 16]] = 16.0
    true += 0.01
    off = compare(np.ones((*PICTURE[::-1], 3)), true.reshape(ROWS, COLUMNS, 3), SOLID, WHERE, 4.0)
    assert off.bias > 5.0
    assert off.whole == pytest.approx(0.0, abs=0.03)
    assert "noise 400%" in off.as_text()


def test_only_blocks_that_are_all_surface_count():
    solid = SOLID.copy()
    solid[:10] = False
    true = np.ones((ROWS, COLUMNS, 3))
    true[0, :10] = 1e6
    off = compare(np.ones((*PICTURE[::-1], 3)), true, solid, WHERE, 0.0)
    assert (off.median, off.whole, off.blocks) == (0.0, 0.0, COLUMNS * ROWS - 10)
    assert compare(np.ones((*PICTURE[::-1], 3)), true, ~SOLID, WHERE, 0.0).blocks == 0
