"""Takes mirror images of the level: six pictures about a place, lit as the scene is."""

import pickle
from collections.abc import Iterator
from dataclasses import replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.frame.views import FACE
from wallum.moment.camera import Camera
from wallum.moment.scene import LitScene
from wallum.realtime.engine import Engine
from wallum.realtime.gl.view import View, pre_exposure
from wallum.realtime.level.bundle import GLOSSY
from wallum.realtime.passes.indirect.mirror_images import FACES

__all__ = ["Mirroring"]

# Across a picture of a place; how near it sees [m].
SIZE: Final = 96
NEAR_M: Final = 0.1
# A picture of which smooth surfaces about a place are less than this does without its image at first.
MIN_SHARE: Final = 0.0002


class Mirroring:
    """Brings an engine's mirror images up to scenes."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    def stale(self, scene: LitScene, far: float) -> list[int]:
        """Places whose image shows other light than a scene has.

        far : how far a picture sees [m]
        """
        mirrors = self._engine.lighting.mirrors
        if not mirrors.there or not self._engine.lighting.glossy or not self._engine.probe_light.there:
            return []
        key = self._key(scene, far)
        return [number for number, shown in enumerate(mirrors.shows) if shown != key]

    def seen(self) -> set[int]:
        """Places whose images the last still picture shows: on smooth surfaces, and on all under a roof."""
        gbuffer, mirrors = self._engine.still.gbuffer, self._engine.lighting.mirrors
        assert mirrors.places is not None
        smooth = np.frombuffer(gbuffer.surface.read(), np.uint8)[::4] < GLOSSY * 255.0
        codes = np.frombuffer(gbuffer.bounce.read(), np.float16)[3::4].astype(np.int64)
        roofed = np.zeros(16, dtype=bool)
        roofed[1 : 1 + len(mirrors.places)] = mirrors.places.roofed
        shown = codes[smooth | roofed[codes & 15]]
        counts = np.bincount(shown & 15, minlength=16) + np.bincount((shown >> 4) & 15, minlength=16)
        return set(np.flatnonzero(counts[1:] > MIN_SHARE * len(smooth)).tolist())

    def take(self, place: int, scene: LitScene, far: float) -> Iterator[None]:
        """Take the image of a place; stops between passes."""
        engine, mirrors = self._engine, self._engine.lighting.mirrors
        assert mirrors.places is not None
        key, lit = self._key(scene, far), _bare(scene)
        x, y, z = (float(v) for v in mirrors.places.eyes[place])
        faces = np.empty((len(FACES), SIZE, SIZE, 4), np.float32)
        for number, direction in enumerate(FACES):
            camera = Camera((x, y, z), direction, 90.0, 1.0, NEAR_M, far)
            yield from engine.light(engine.faces, lit, View(camera, show=FACE), (SIZE, SIZE))
            faces[number] = self._face()
        light = engine.probe_light.room_light
        self._engine.hand.forget()
        mirrors.take(place, faces, pre_exposure(scene.look.ev100), light, key)

    def _face(self) -> NDArray[np.float32]:
        """The picture that was drawn last, lowest row first; where no surface is, nothing."""
        targets = self._engine.faces
        light = np.frombuffer(targets.total.light.read(), np.float16).reshape(SIZE, SIZE, 4)
        surface = np.frombuffer(targets.gbuffer.distance.read(), np.float32).reshape(SIZE, SIZE) > 0.0
        out = light.astype(np.float32) * surface[:, :, None]
        out[:, :, 3] = surface
        return out

    def _key(self, scene: LitScene, far: float) -> object:
        """What the light that an image shows depends on."""
        bare = _bare(scene)
        sky = None if bare.sky is None else bare.sky.key
        sun = None if bare.sun is None else bare.sun.key
        glow = tuple(sorted(bare.glow.items())), bare.glow_gain
        rooms = tuple(replace(room, mirrored=False) for room in bare.rooms if any(room.light))
        around = self._engine.probe_light.light_key(bare), bare.open_sky, rooms, bare.gaps
        flat = None if bare.flat is None else tuple(bare.flat)
        return bare.lamps.rows.tobytes(), sun, sky, pickle.dumps(glow), around, flat, far


def _bare(scene: LitScene) -> LitScene:
    """A scene with no air between: what is mirrored has that before it where it is seen."""
    return replace(scene, air=None, cards=(), screen=None)
