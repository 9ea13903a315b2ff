"""The eye of the desk while a day is played: after the hour in the level's time, after a walk in life's."""

from types import SimpleNamespace

import numpy as np
import pytest

from wallum.desk.session.exposure_follower import ExposureFollower
from wallum.document.look import Look


def _played(monkeypatch, day_s, light, walk=lambda seconds: 0.0, seconds=4.0):
    """(N, 2) exposure shown and metered of a day of `day_s` played at 20 pictures a second: `light` by hour,
    `walk` by second, both in stops."""
    clock = [100.0]
    monkeypatch.setattr("wallum.desk.session.exposure_follower.time.perf_counter", lambda: clock[0])
    eye, look, out = ExposureFollower(), Look(exposed="metered"), []
    asked = eye.held(look, dragging=False, pace=86_400.0 / day_s, camera=(0.0,))
    for n in range(round(seconds * 20)):
        clock[0] += 0.05
        passed = n * 0.05
        metered = light((17.0 + passed * 24.0 / day_s) % 24.0) + walk(passed)
        eye.note(SimpleNamespace(ev100=metered if asked is None else asked, metered=metered))
        out.append((eye.shown_ev, metered))
        asked = eye.held(look, dragging=False, pace=86_400.0 / day_s, camera=(walk(passed + 0.05),))
    return np.array(out)


@pytest.mark.parametrize("day_s", [12.0, 30.0, 120.0, 600.0])
def test_a_day_in_seconds_never_goes_black(monkeypatch, day_s):
    """Dusk takes 14 stops in an hour and a half, however fast it is played."""

    def dusk(hour):
        gone = np.clip((hour - 17.5) / 1.5, 0.0, 1.0)
        return 13.0 - 14.0 * gone * gone * (3.0 - 2.0 * gone)

    shown = _played(monkeypatch, day_s, dusk, seconds=day_s * 3.0 / 24.0)
    assert shown[-1, 1] < 0.0
    assert np.abs(shown[:, 0] - shown[:, 1]).max() < 1.0


def test_a_walk_into_the_cellar_takes_its_time_in_a_fast_day_too(monkeypatch):
    """Down the stair in half a second, six stops darker: at 1.5 stops/s that takes four."""

    def stair(seconds):
        return -6.0 * np.clip((seconds - 1.0) / 0.5, 0.0, 1.0)

    shown = _played(monkeypatch, 120.0, lambda hour: 12.0, stair, 8.0)
    off = shown[:, 0] - shown[:, 1]
    assert off[40] > 3.5
    assert 0.0 < off[90] < 1.5
    assert abs(off[-1]) < 0.05
