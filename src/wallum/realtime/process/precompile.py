"""Compile what a session will draw with before it is needed: each program with its real state."""

from collections.abc import Callable, Iterator
from dataclasses import replace

import numpy as np

from wallum.moment.camera import Camera
from wallum.moment.lamps import LAMP_ROW, NO_LAMPS, Lamps
from wallum.moment.resolved_look import Metering, ResolvedLook
from wallum.moment.scene import Dome, LitScene, Stars, Sun
from wallum.physics.bloom import Bloom
from wallum.physics.cloud_shadow import CloudShadow
from wallum.physics.dome import plain_dome
from wallum.physics.high_cloud import HighCloud
from wallum.physics.medium import AirLayer, Medium
from wallum.realtime.level.probe_set import MirrorPlaces, ProbeSet
from wallum.realtime.passes.sky.sky_visibility import ALL_OPEN
from wallum.realtime.process.request import PictureRequest
from wallum.realtime.renderer import Renderer
from wallum.transport.field.sky_parts import BINS

__all__ = ["precompile"]

# No power of two: a software driver makes programs of their own for textures of such sizes.
SIZE = (72, 40)
LARGE = (384, 216)  # whose bloom has steps of every kind
LIT = "lamp 0"  # of whose light surfaces send some back


# Of so many kinds of lamps, with what stands before them.
MAX_KINDS = 8
# Air that does not dim light on its way to surfaces, and air that does.
THIN, THICK = 1e-4, 2e-2


def _lamps(like: Lamps) -> Lamps:
    """One lamp of each kind of those of a picture, and a plain one with and without a shadow; all in view."""
    plain = np.zeros(2, LAMP_ROW)
    plain["emission"], plain["cos_outer"], plain["cos_inner"], plain["kind"] = 1.0, 0.5, 0.8, 1
    plain["shadow"][1], plain["direction"] = 1.0, (0.0, -1.0, 0.0)
    _, first = np.unique(like.rows[["kind", "gobo", "shadow"]], return_index=True)
    rows = np.concatenate([plain, like.rows[first[:MAX_KINDS]]])
    rows["position"], rows["point"], rows["range"] = (0.0, 1.0, 0.0), (0.0, 1.0, 0.0), 10.0
    return Lamps(tuple(f"lamp {number}" for number in range(len(rows))), rows)


def _air(extinction: float) -> Medium:
    return Medium((AirLayer(extinction, 500.0, 0.0, (1.0, 1.0, 1.0), 0.5),))


def _requests(resting: PictureRequest | None) -> Iterator[PictureRequest]:
    """Small pictures by day and by night, with air if there is any in the one that rests, and of its kinds of
    lamps: whole ones, then some under a hand, and others."""
    sun = Sun("sun", np.array([0.0, 1.0, 0.0]), np.ones(3), 0.01, True)
    even = plain_dome(1.0, np.ones(3)).astype(np.float32)
    sky = Dome("sky", even, np.ones(3), (-1.0,), stars=Stars(np.eye(3), 1e9))
    camera = Camera((0.0, 1.0, 3.0), (0.0, 0.0, -1.0))
    look = ResolvedLook(0.0, Metering("centre", 0.8, (-12.0, 20.0), (0.0, 0.0)))
    lamps = _lamps(NO_LAMPS if resting is None else resting.scene.lamps)
    # With no air none comes while it rests.
    bare = resting is not None and resting.scene.air is None
    for layer in (None,) if bare else (_air(THIN), _air(THICK)):
        sun = replace(sun, through=None if layer is None else (layer, 4.0))
        for bright in (sun, None):
            for lit in (NO_LAMPS, lamps):
                whole = PictureRequest(0, LitScene(lit, bright, sky, look, layer), camera, SIZE)
                yield whole
        whole = replace(whole, scene=LitScene(lamps, sun, sky, look, layer))
        if layer is not None:
            # Air that alone has changed is laid over light that is kept.
            yield whole
            yield replace(whole, scene=replace(whole.scene, air=_air(1.2 * layer.layers[0].extinction)))
        for active in (frozenset(lamps.ids), {"sun"}, {"sky"}):
            yield replace(whole, active=frozenset(active))
    high = HighCloud(0.5, 0.5, 0.5, 6000.0, 3e4, (0.0, 0.0), (0.0, 1.0, 0.0), (1.0,) * 3, (1.0,) * 3)
    shaded = replace(sun, clouds=(CloudShadow((0.0, 1.0, 0.0), high, None), np.ones(3)))
    under = replace(sky, cloud=high, key=(-2.0,))
    yield replace(whole, detail="reduced")
    # The first sign of life after a restart: what is compiled for it is kept on disk.
    yield replace(whole, detail="sketch")
    for lit in (NO_LAMPS, lamps):
        yield replace(whole, scene=LitScene(lit, shaded, under, look, layer))


def _looks(of: ResolvedLook) -> Iterator[ResolvedLook]:
    """A look, and with it one more value each: what a hand drags first."""
    yield of
    yield replace(of, bloom=Bloom(0.05))
    yield replace(of, grade=replace(of.grade, saturation=1.1))
    yield replace(of, grade=replace(of.grade, contrast=1.1))
    yield replace(of, white=(5000.0, 0.0))
    yield replace(of, lens=replace(of.lens, fall_off=0.5))


def _draw(renderer: Renderer, request: PictureRequest) -> None:
    """Draw with all variants that pictures of its kind need, whatever this one holds."""
    renderer.engine.lighting.compiles = True
    try:
        for _ in renderer.draw(request):
            pass
    finally:
        renderer.engine.lighting.compiles = False


def _one_probe() -> ProbeSet:
    """A probe that stands for nothing."""
    none = np.zeros((1, 4), np.float32)
    own = (np.zeros((1, 27), np.int32), none, none[:, :3], np.zeros((2, 3), bool), np.zeros(1, np.uint8))
    place = MirrorPlaces(none[:, :3], none[:, :3], none[:, :3], np.zeros(1, bool))
    cells, words = np.zeros((3, 3, 3), np.uint32), np.zeros(1, np.uint32)
    unseen = np.zeros((1, BINS), np.float16)
    return ProbeSet((0.0, 0.0, 0.0), 1.0, cells, words, none, *own, place, unseen, ALL_OPEN)


def _draw_with_probes(renderer: Renderer, request: PictureRequest) -> None:
    """Draw with those that are there, or with one for a moment; a lamp has light of its own among them."""
    lights = renderer.engine.probe_light
    lone = not lights.placed
    if lone:
        renderer.set_probes(_one_probe())
    with lights.tried(LIT):
        _draw(renderer, request)
    if lone:
        renderer.set_probes(None)


def precompile(
    renderer: Renderer, resting: Callable[[], PictureRequest | None] = lambda: None
) -> Iterator[None]:
    """Draw one small picture of every common kind; stops after each.

    resting : the picture that waits for this, if one does
    """
    asked = resting()
    out = np.zeros((SIZE[1], SIZE[0], 4), np.uint8)
    for request in _requests(asked):
        # Without light from surfaces there are pictures only until the first of it comes.
        (_draw if request.detail == "sketch" else _draw_with_probes)(renderer, request)
        renderer.read_into(request, 0, out)
        renderer.engine.forget_hand()
        yield
    # Light that has settled is held in floats of another size: programs that read it are others.
    large = replace(request, size=LARGE, active=frozenset())
    shown = np.zeros((LARGE[1], LARGE[0], 4), np.uint8)
    renderer.settle(large, 1)
    yield
    last = resting()
    for look in _looks(large.scene.look if last is None else last.scene.look):
        # A picture of another size may have been drawn meanwhile.
        for _ in renderer.draw(large):
            pass
        for settled in (0, 1):
            renderer.read_into(replace(large, scene=replace(large.scene, look=look)), settled, shown)
        yield
    renderer.settler.forget()
