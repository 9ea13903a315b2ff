"""Scopes count every pixel once, where BT.709 and the stops of its light say."""

import numpy as np
import pytest

from wallum.physics.exposure import MID_GREY
from wallum.physics.scopes import (
    PER_STOP,
    STOPS,
    bin_of,
    colour_difference,
    parade,
    stops_histogram,
    stops_of,
    vectors,
    waveform,
)


def test_a_histogram_has_each_stop_in_its_place_and_all_pixels():
    values = MID_GREY * 2.0 ** np.array([-3.0, -3.0, 0.0, 4.1])[:, None] * np.ones(3)
    shares = stops_histogram(values)
    assert shares.sum() == pytest.approx(1.0)
    assert shares[int((-3.0 - STOPS[0]) * PER_STOP)] == pytest.approx(0.5)
    assert shares[int((4.0 - STOPS[0]) * PER_STOP)] == pytest.approx(0.25)
    assert stops_histogram(np.zeros((5, 3)))[0] == 1.0
    assert bin_of(stops_of(np.full(3, 1e9))) == len(shares) - 1


@pytest.mark.parametrize(
    ("colour", "blue", "red"),
    [
        ((1, 0, 0), -0.1146, 0.5),
        ((0, 0, 1), 0.5, -0.0458),
        ((0, 1, 0), -0.3854, -0.4542),
        ((1, 1, 1), 0.0, 0.0),
    ],
)
def test_colour_differences_are_those_of_bt_709(colour, blue, red):
    """Worked from its equations: (B - Y) / 1.8556 and (R - Y) / 1.5748."""
    assert colour_difference(np.array(colour)) == pytest.approx([blue, red], abs=1e-4)


def test_a_signal_stands_in_its_column_at_its_level(rng):
    picture = rng.random((90, 160, 3))
    picture[:, :80] = 0.25
    counts = waveform(picture)
    assert counts.sum() == 90 * 160
    assert counts[32, :119].sum() == counts[:, :119].sum()
    three = parade(picture)
    assert three.sum() == 3 * 90 * 160
    picture[..., 1] = 0.999
    assert parade(picture)[1, -1].sum() == 90 * 160


def test_grey_is_the_middle_of_the_plane_of_colours():
    grey = np.repeat(np.linspace(0.0, 1.0, 50)[:, None], 3, axis=1)
    counts = vectors(grey)
    assert counts[63:65, 63:65].sum() == 50
    red = vectors(np.array([[1.0, 0.0, 0.0]]))
    assert red[-1].sum() == 1
