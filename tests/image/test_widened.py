"""Pictures of every second column, made whole."""

import numpy as np
import pytest

from wallum.image.widened import widened


@pytest.mark.parametrize("width", [1, 2, 3, 64, 65])
def test_known_columns_stay_and_a_slope_is_a_slope_between_them(width):
    slope = np.arange(width)[None, :, None] * np.array([1.0, 3.0, -2.0]) + np.arange(4)[:, None, None]
    whole = widened(slope[:, ::2], width)
    assert whole.shape == (4, width, 3)
    np.testing.assert_allclose(whole[:, ::2], slope[:, ::2])
    inner = slice(0, (width - 1) // 2 * 2 + 1)  # beyond the last known column nothing is known
    np.testing.assert_allclose(whole[:, inner], slope[:, inner])
    np.testing.assert_allclose(whole[:, -1], slope[:, (width - 1) // 2 * 2])


def test_what_is_known_is_not_changed():
    half = np.ones((3, 4, 3), np.float32)
    widened(half, 8)[:] = 7.0
    assert (half == 1.0).all()
