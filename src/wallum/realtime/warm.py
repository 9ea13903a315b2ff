"""Compile what a session will draw with before it is needed: each program with its real state."""

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from wallum.moment.camera import Camera
from wallum.moment.scene import LAMP_WIDTH, AirLayer, Dome, Lamps, LitScene, Metering, Stars, Sun
from wallum.physics.dome import plain_dome
from wallum.realtime.renderer import Renderer
from wallum.realtime.request import PictureRequest

__all__ = ["warm"]

SIZE = (64, 36)


def _lamps(shadow: bool) -> Lamps:
    row = [0.0, 1.0, 0.0, 0.0, 1.0, 1.0, 1.0, 0.05, 0.0, -1.0, 0.0, 1.0, 0.5, 0.8, 0.0]
    rows = np.array([row, row], dtype=np.float32)
    rows[1, -1] = float(shadow)
    return Lamps(("a", "b"), rows)


def _requests() -> Iterator[PictureRequest]:
    none = Lamps((), np.zeros((0, LAMP_WIDTH), np.float32))
    sun = Sun("sun", np.array([0.0, 1.0, 0.0]), np.ones(3), 0.01, True)
    even = plain_dome(1.0, np.ones(3)).astype(np.float32)
    sky = Dome("sky", even, np.ones(3), (-1.0,), stars=Stars(np.eye(3), 1e9))
    camera = Camera((0.0, 1.0, 3.0), (0.0, 0.0, -1.0))
    for bright, dome in ((sun, sky), (None, None), (None, sky), (sun, None)):
        for lamps in (none, _lamps(False), _lamps(True)):
            scene = LitScene(lamps, bright, dome, 0.0)
            yield PictureRequest(0, scene, camera, SIZE)
    whole = PictureRequest(0, LitScene(_lamps(True), sun, sky, 0.0), camera, SIZE)
    yield replace(whole, active=frozenset({"a", "b"}))
    yield replace(whole, active=frozenset({"sun"}))
    yield replace(whole, active=frozenset({"sky"}))
    yield replace(whole, detail="reduced")
    air = AirLayer(1e-4, 500.0, 0.0, (1.0, 1.0, 1.0), 0.5)
    metering = Metering("centre", 0.8, (-12.0, 20.0), (0.0, 0.0))
    hazy = replace(whole, scene=replace(whole.scene, air=air, metering=metering))
    yield hazy
    yield replace(hazy, active=frozenset({"a", "b"}))
    yield replace(hazy, active=frozenset({"sun"}))
    yield replace(hazy, active=frozenset({"sky"}))


def warm(renderer: Renderer) -> Iterator[None]:
    """Draw one small picture of every common kind; stops after each."""
    out = np.zeros((SIZE[1], SIZE[0], 4), np.uint8)
    request = None
    for request in _requests():
        for _ in renderer.draw(request):
            pass
        renderer.read_into(request, 0, out)
        yield
    assert request is not None
    renderer.settle(request, 1)
    renderer.read_into(request, 1, out)
    renderer.settler.stop()
    yield
