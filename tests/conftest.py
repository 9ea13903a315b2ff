"""Shared fixtures. Tests that need a window run offscreen unless they start a screen."""

import math
import os
import threading
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, settings

from wallum.realtime.passes.interaction import pace as paces

# How quick the machine is on the day decides no test: speed has its own command. Nor does chance: the same
# examples are tried each time, and `./wallum soak` tries others.
settings.register_profile(
    "no clock", deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow]
)
settings.load_profile("no clock")

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")


def pytest_collection_modifyitems(items):
    """Slow proofs run last."""
    items.sort(key=lambda item: item.get_closest_marker("slow") is not None)


@pytest.fixture(scope="session")
def cache_folder(tmp_path_factory):
    """Derived data is made once for all tests, and none of it is the artist's."""
    shared = os.environ.get("WALLUM_TESTS_CACHE")
    return Path(shared) if shared else tmp_path_factory.mktemp("cache")


@pytest.fixture(autouse=True)
def state_folder(tmp_path, monkeypatch, cache_folder):
    """No test touches the artist's own unsaved work, settings or derived data."""
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))
    monkeypatch.setenv("XDG_CACHE_HOME", str(cache_folder))
    # Programs that the driver compiled serve tests that want all else made anew, too.
    if "MESA_SHADER_CACHE_DIR" not in os.environ:
        monkeypatch.setenv("MESA_SHADER_CACHE_DIR", str(cache_folder))


@pytest.fixture(autouse=True)
def no_leaked_threads():
    """A test leaves no thread of its own behind."""
    before = set(threading.enumerate())
    yield
    left = [t for t in threading.enumerate() if t not in before and t.is_alive() and not t.daemon]
    assert not left


@pytest.fixture(autouse=True)
def no_slow_hand(request, monkeypatch):
    """The picture under a hand is whole however slow this machine is; `shipped_pace` leaves it as shipped."""
    if request.node.get_closest_marker("shipped_pace") is None:
        monkeypatch.setattr(paces, "HAND_SLOW_MS", math.inf)


@pytest.fixture
def rng():
    return np.random.default_rng(20271012)


@pytest.fixture(scope="session")
def room():
    from wallum.level.demos.pale_room import pale_room

    return pale_room()


@pytest.fixture(scope="session")
def renderer():
    """One renderer in this process for all tests of pictures."""
    from wallum.realtime.renderer import Renderer

    return Renderer()
