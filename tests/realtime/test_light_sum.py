"""Light of many sources summed at many places: against the plain sum of all, whatever has changed."""

import numpy as np
import pytest

from wallum.realtime.passes.interaction.light_sum import LightSum

PLACES, BEYOND = 500, 40


def units(rng, names):
    return {name: rng.gamma(0.5, 3.0, (PLACES + BEYOND, 3)).astype(np.float16) for name in names}


def exact(known, gains, places):
    total = sum(known[gain][places].astype(np.float64) * gains[gain] for gain in gains)
    return np.broadcast_to(total, (len(range(PLACES + BEYOND)[places]), 3))


@pytest.mark.parametrize("kept", [1, 3, 7, 100])
@pytest.mark.parametrize("places", [slice(PLACES), slice(PLACES, None)])
def test_it_is_the_plain_sum_however_few_are_kept_as_floats(kept, places):
    """Gains change, a few or all; sources go and come; their light is found anew."""
    rng, names = np.random.default_rng(5), [f"lamp-{k}" for k in range(12)]
    known = units(rng, names)
    count = len(range(PLACES + BEYOND)[places])
    total = LightSum(places, room=12 * count * kept)
    gains = {name: rng.random(3) for name in names}
    for turn in range(60):
        if turn % 7 == 3:
            gains = {name: rng.random(3) for name in names if rng.random() < 0.8}
        elif turn % 11 == 5:
            known = known | units(rng, names[turn % 3 : turn % 3 + 2])
        else:
            some = rng.choice(names, turn % 3 + 1, replace=False).tolist()
            gains = gains | {item: rng.random(3) * rng.integers(0, 2) for item in some}
        np.testing.assert_allclose(
            total.of(known, gains), exact(known, gains, places), rtol=2e-5, atol=2e-5, err_msg=f"turn {turn}"
        )


def test_without_any_source_there_is_none():
    known = units(np.random.default_rng(1), ["sun"])
    total = LightSum(slice(PLACES))
    assert total.of(known, {"sun": np.ones(3)}).max() > 0.0
    assert (total.of(known, {}) == 0.0).all()


def test_what_has_been_given_before_stays_as_it_was():
    known = units(np.random.default_rng(1), ["sun", "lamp"])
    total = LightSum(slice(PLACES), room=1)
    first = total.of(known, {"sun": np.ones(3), "lamp": np.ones(3)})
    before = first.copy()
    total.of(known, {"sun": np.zeros(3), "lamp": np.full(3, 9.0)})
    assert np.array_equal(first, before)
