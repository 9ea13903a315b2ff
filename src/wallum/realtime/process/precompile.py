"""Compile what a session will draw with before it is needed: each program with its real state."""

from collections.abc import Callable, Iterator
from dataclasses import replace

import numpy as np

from wallum.moment.camera import Camera
from wallum.moment.lamps import LAMP_ROW, NO_LAMPS, Lamps
from wallum.moment.scene import Dome, LitScene, Stars, Sun
from wallum.moment.shown_look import Metering, ShownLook
from wallum.physics.bloom import Bloom
from wallum.physics.cloud_shadow import CloudShadow
from wallum.physics.dome import plain_dome
from wallum.physics.high_cloud import HighCloud
from wallum.physics.medium import Layer, Medium
from wallum.realtime.level.probe_set import MirrorPlaces, ProbeSet
from wallum.realtime.passes.sky_visibility import ALL_OPEN
from wallum.realtime.process.request import PictureRequest
from wallum.realtime.renderer import Renderer
from wallum.transport.field.sky_parts import BINS

__all__ = ["precompile"]

SIZE = (64, 36)
LARGE = (384, 216)  # whose bloom has steps of every kind


def _lamps(shadow: bool) -> Lamps:
    rows = np.zeros(2, LAMP_ROW)
    rows["position"], rows["point"], rows["direction"] = (0.0, 1.0, 0.0), (0.0, 1.0, 0.0), (0.0, -1.0, 0.0)
    rows["emission"], rows["cos_outer"], rows["cos_inner"], rows["kind"] = 1.0, 0.5, 0.8, 1
    rows["shadow"][1] = float(shadow)
    return Lamps(("a", "b"), rows)


def _requests() -> Iterator[PictureRequest]:
    sun = Sun("sun", np.array([0.0, 1.0, 0.0]), np.ones(3), 0.01, True)
    even = plain_dome(1.0, np.ones(3)).astype(np.float32)
    sky = Dome("sky", even, np.ones(3), (-1.0,), stars=Stars(np.eye(3), 1e9))
    camera = Camera((0.0, 1.0, 3.0), (0.0, 0.0, -1.0))
    air = Medium((Layer(1e-4, 500.0, 0.0, (1.0, 1.0, 1.0), 0.5),))
    look = ShownLook(0.0, Metering("centre", 0.8, (-12.0, 20.0), (0.0, 0.0)))
    for layer in (None, air):
        for bright, dome in ((sun, sky), (None, sky), (None, None)):
            for lamps in (NO_LAMPS, _lamps(False), _lamps(True)):
                scene = LitScene(lamps, bright, dome, look, layer)
                yield PictureRequest(0, scene, camera, SIZE)
                if lamps.ids:
                    yield PictureRequest(0, scene, camera, SIZE, detail="sketch")
        whole = PictureRequest(0, LitScene(_lamps(True), sun, sky, look, layer), camera, SIZE)
        for active in ({"a", "b"}, {"sun"}, {"sky"}):
            yield replace(whole, active=frozenset(active))
    high = HighCloud(0.5, 0.5, 0.5, 6000.0, 3e4, (0.0, 0.0), (0.0, 1.0, 0.0), (1.0,) * 3, (1.0,) * 3)
    shaded = replace(sun, clouds=(CloudShadow((0.0, 1.0, 0.0), high, None), np.ones(3)))
    under = replace(sky, cloud=high, key=(-2.0,))
    for lamps in (NO_LAMPS, _lamps(True)):
        yield replace(whole, scene=LitScene(lamps, shaded, under, look, air))
    yield replace(whole, detail="reduced")


def _looks(of: ShownLook) -> Iterator[ShownLook]:
    """A look, and with it one more value each: what a hand drags first."""
    yield of
    yield replace(of, bloom=Bloom(0.05))
    yield replace(of, grade=replace(of.grade, saturation=1.1))
    yield replace(of, grade=replace(of.grade, contrast=1.1))
    yield replace(of, white=(5000.0, 0.0))
    yield replace(of, lens=replace(of.lens, fall_off=0.5))


def _of_probes() -> Iterator[PictureRequest]:
    """Pictures with light from surfaces: whole, and with a lamp under the hand."""
    whole = [
        one for one in _requests() if one.detail == "full" and not one.active and one.scene.sky is not None
    ]
    yield from whole
    yield replace(whole[-1], active=frozenset({"a"}))


def _drawn_with_a_probe(renderer: Renderer, request: PictureRequest) -> bool:
    """Draw with one probe that stands for nothing, unless there are others: those compile what they need."""
    lights = renderer.engine.probe_light
    if lights.placed:
        return False
    none = np.zeros((1, 4), np.float32)
    own = (np.zeros((1, 27), np.int32), none, none[:, :3], np.zeros((2, 3), bool), np.zeros(1, np.uint8))
    no_words = np.zeros(1, np.uint32)
    place = MirrorPlaces(none[:, :3], none[:, :3], none[:, :3], np.zeros(1, bool))
    unseen = np.zeros((1, BINS), np.float16)
    renderer.set_probes(
        ProbeSet(
            (0.0, 0.0, 0.0), 1.0, no_words.reshape(1, 1, 1), no_words, none, *own, place, unseen, ALL_OPEN
        )
    )
    lights.take({"a": np.zeros((1 + len(ALL_OPEN.there), 3), np.float16)})
    for _ in renderer.draw(request):
        pass
    renderer.set_probes(None)
    return True


def precompile(renderer: Renderer, look: Callable[[], ShownLook | None] = lambda: None) -> Iterator[None]:
    """Draw one small picture of every common kind; stops after each.

    look : of the picture that waits for this, if one does
    """
    out = np.zeros((SIZE[1], SIZE[0], 4), np.uint8)
    for request in _requests():
        for _ in renderer.draw(request):
            pass
        renderer.read_into(request, 0, out)
        renderer.engine.forget_hand()
        yield
    for request in _of_probes():
        if _drawn_with_a_probe(renderer, request):
            renderer.read_into(request, 0, out)
        renderer.engine.forget_hand()
        yield
    # Light that has settled is held in floats of another size: programs that read it are others.
    large = replace(request, size=LARGE, active=frozenset())
    shown = np.zeros((LARGE[1], LARGE[0], 4), np.uint8)
    renderer.settle(large, 1)
    yield
    for one in _looks(look() or large.scene.look):
        # A picture of another size may have been drawn meanwhile.
        for _ in renderer.draw(large):
            pass
        for settled in (0, 1):
            renderer.read_into(replace(large, scene=replace(large.scene, look=one)), settled, shown)
        yield
    renderer.settler.forget()
