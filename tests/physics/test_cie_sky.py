"""The atmosphere against the standard's clear sky, type 12 (CIE S 011:2003): an independent measure."""

import numpy as np
import pytest

from wallum.physics.clear_sky import clear_dome
from wallum.physics.colour import luminance
from wallum.physics.dome import dome_directions

# Gradation a, b and indicatrix c, d, e of type 12.
A, B, C, D, E = -1.0, -0.32, 10.0, -3.0, 0.45


def type_12(zenith, off):
    gradation = 1.0 + A * np.exp(B / np.cos(zenith))
    return gradation * (1.0 + C * (np.exp(D * off) - np.exp(D * np.pi / 2.0)) + E * np.cos(off) ** 2)


@pytest.mark.parametrize("elevation", [20.0, 35.0, 50.0, 65.0])
def test_light_is_spread_as_over_the_standards_clear_sky(elevation):
    e = np.radians(elevation)
    toward = np.array([0.0, np.sin(e), -np.cos(e)])
    ours = luminance(clear_dome(toward, elevation, 10_000.0))
    directions, solid = dome_directions()
    up, off = directions[..., 1], np.arccos(np.clip(directions @ toward, -1.0, 1.0))
    fair = (up > np.sin(np.radians(5.0))) & (off > np.radians(12.0))
    standard = type_12(np.arccos(np.clip(up, 1e-3, 1.0)), off)
    stops = np.log2(ours[fair] / standard[fair])
    weight = solid[fair] / solid[fair].sum()
    stops -= (stops * weight).sum()
    assert np.sqrt((stops**2 * weight).sum()) < 0.45
    assert np.abs(stops).max() < 1.6
    # Darkest a quarter of the way around from the sun, as the standard has it.
    darkest, theirs = (directions[fair][np.argmin(x[fair])] for x in (ours, standard))
    assert darkest @ theirs > np.cos(np.radians(30.0))
