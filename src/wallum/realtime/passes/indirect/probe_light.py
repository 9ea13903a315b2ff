"""Light that has come back from surfaces, and what is seen of the sky: from probes, once a G-buffer."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from typing import Any

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.moment.ambient_box_light import AmbientBoxLight
from wallum.moment.bounce_gains import coloured, gains_of, sky_strength
from wallum.moment.scene import OF, Dome, LitScene
from wallum.physics.colour import LUMINANCE_WEIGHTS, luminance
from wallum.realtime.gl.programs import Programs, set_uniforms
from wallum.realtime.gl.sizes import non_power_of_two
from wallum.realtime.gl.targets import GBuffer
from wallum.realtime.gl.view import View, pre_exposure
from wallum.realtime.level.packed_probes import image_words, shared_exponent, sky_words
from wallum.realtime.level.probe_set import MAX_IMAGES, ProbeSet, UnitResponses
from wallum.realtime.passes.indirect.probe_sky import ProbeSky, terms_of
from wallum.realtime.passes.interaction.light_sum import Gains, LightSum

__all__ = ["LightKey", "ProbeLight"]

# Of include/probes.glsl.
ROW = 64
# Of a probe's links that to itself.
OWN_LINK = 13
# Variants of probe_light.frag.glsl by a value that each needs.
NEEDED = {"BAKED": "g_baked", "LIVE": "beside_baked", "SKY": "sky_terms"}
# A surface that lies so near a room's side is in it [m].
NEAR_M = 0.1
# What light may change by before pictures that take turns show it, as a share.
UNNOTICED = 0.005
# Number of the probes and what of colours is kept; of each source its id, its version, and RGB gain.
LightKey = tuple[tuple[int, float], tuple[tuple[Any, ...], ...]]


class _Table:
    """What each probe has, as probe_light.frag.glsl reads it, see level/probe_words.py.

    images : (N,) the number of that which each mirrors
    """

    def __init__(self, context: moderngl.Context, probes: ProbeSet) -> None:
        count = len(probes.places)
        rows = non_power_of_two(-(-count // ROW))
        self.images = probes.of_room.copy()
        self.light = np.zeros((count, 3), np.float32)  # of surfaces, pre-exposed
        self._words = np.zeros((rows * ROW, 4), np.uint32)
        self._words[:count, 2:] = sky_words(probes.sky, self.images, probes.links)
        # One that is no more has what another has that stands in its place.
        own = probes.links[:, OWN_LINK]
        self._stands = None if (own == np.arange(count)).all() else own
        self._texture = context.texture((ROW, rows), 4, self._words.tobytes(), dtype="u4")
        self._texture.filter = (moderngl.NEAREST, moderngl.NEAREST)
        self._written: object = None
        self._stale = False
        self.sum = LightSum(slice(count))
        self._sky: NDArray[np.float32] | None = None

    def show_images(self, images: NDArray[np.uint8]) -> None:
        """Let each probe mirror another image."""
        count, self.images = len(images), images
        self._words[:count, 2:] = image_words(self._words[:count, 2:], images)
        self._stale = True

    def show_sky(self, light: NDArray[np.float32]) -> None:
        """(N, 3) what comes straight from the sky, pre-exposed; one array has always the same light."""
        if light is not self._sky:
            self._words[: len(light), 1], self._sky = self._standing(shared_exponent(light)), light
            self._stale = True

    def show_light(self, light: NDArray[np.float32], key: object) -> None:
        """(N, 3) what comes from surfaces, pre-exposed. key : see `holds`"""
        self.light, self._written = light, key
        self._words[: len(light), 0] = self._standing(shared_exponent(light))
        self._stale = True

    def holds(self, key: object) -> bool:
        """Whether the light that it was last given had this key."""
        return self._written == key

    def _standing(self, words: NDArray[np.uint32]) -> NDArray[np.uint32]:
        return words if self._stands is None else words[self._stands]

    @property
    def texture(self) -> moderngl.Texture:
        """All of it as it is now."""
        if self._stale:
            self._texture.write(self._words)
            self._stale = False
        return self._texture


class ProbeLight:
    """Holds a level's probes and their light by source."""

    def __init__(self, context: moderngl.Context, programs: Programs) -> None:
        self._context, self._programs = context, programs
        self._set: ProbeSet | None = None
        self._textures: dict[str, moderngl.Texture | moderngl.Texture3D] = {}
        self._all: _Table | None = None
        self._beside: _Table | None = None  # the same without what is baked
        self._sky: ProbeSky | None = None
        self._in_air = LightSum(slice(0))  # what the air sees, and whence that comes
        self._ways = LightSum(slice(0), signed=True)
        self.units: UnitResponses = {}
        self._versions: dict[str, int] = {}  # of each
        self._means: dict[str, tuple[NDArray[np.float16], NDArray[np.float64]]] = {}  # see _mean
        self.number = 0  # of the set
        self._rooms_number = 0  # of what sees which image
        # By number, mean of the surfaces that see an image [lx].
        self.room_light: NDArray[np.float64] = np.zeros(1)

    @property
    def placed(self) -> bool:
        """Whether it has the probes of the level, with light or without."""
        return self._set is not None

    @property
    def there(self) -> bool:
        return self._set is not None and bool(self.units)

    def shown(self, made: object) -> bool:
        """Whether the probes are those of a field of this process."""
        return self._set is not None and self._set.of == id(made)

    def set_probes(self, probes: ProbeSet | None) -> None:
        """Take the probes of a level; None: there are none, and no light of theirs."""
        tables = [item.texture for item in (self._all, self._beside) if item is not None]
        for texture in (*self._textures.values(), *tables):
            texture.release()
        self._set, self._textures, self._all, self._beside, self._sky = probes, {}, None, None, None
        self.units, self._versions, self._means = {}, {}, {}
        self.number += 1
        if probes is None:
            return
        first, count = len(probes.places), 0 if probes.air is None else len(probes.air.there)
        self._in_air = LightSum(slice(first, first + count))
        self._ways = LightSum(slice(first + count, None), signed=True)
        cells = np.ascontiguousarray(probes.cells.transpose(2, 1, 0))
        self._textures = {
            "probe_cells": self._context.texture3d(probes.cells.shape, 1, cells.tobytes(), dtype="u4"),
            "probe_parts": self._table(probes.parts[:, None], "u4", 1),
            "probe_planes": self._table(probes.planes, "f4"),
            "probe_links": self._table(probes.links, "i4", 1),
            "probe_middles": self._table(np.pad(probes.places, ((0, 0), (0, 1))), "f4"),
        }
        for texture in self._textures.values():
            texture.filter = (moderngl.NEAREST, moderngl.NEAREST)
        self._all, self._beside = _Table(self._context, probes), _Table(self._context, probes)
        self._sky = ProbeSky(probes.sky_seen)

    def show_rooms(self, rooms: tuple[AmbientBoxLight, ...]) -> None:
        """Let what stands in rooms of the artist's see the images of those, which come after those found."""
        if self._set is None:
            return
        numbers = self._set.of_room.copy()
        first = len(self._set.mirrors)
        for number, room in enumerate(rooms[: MAX_IMAGES - first], start=first + 1):
            low, high = room.corners
            over = replace(room, half=tuple((0.5 * (high - low) + NEAR_M).tolist()), turn_rad=0.0)
            numbers[over.share(self._set.places) > 0.0] = number
        for table in (self._all, self._beside):
            assert table is not None
            table.show_images(numbers)
        self._rooms_number += 1

    def _table(self, values: NDArray[np.generic], dtype: str, components: int = 4) -> moderngl.Texture:
        """(N, K) values in a texture of ROW probes a row."""
        kinds = {"f4": np.float32, "i4": np.int32, "u4": np.uint32}
        rows = non_power_of_two(-(-len(values) // ROW))
        padded = np.zeros((rows * ROW, values.shape[1]), kinds[dtype])
        padded[: len(values)] = values
        size = (ROW * values.shape[1] // components, rows)
        return self._context.texture(size, components, padded.tobytes(), dtype=dtype)

    @contextmanager
    def tried(self, source_id: str) -> Iterator[None]:
        """Meanwhile a source is among those whose light is known: it has none."""
        assert self._set is not None
        units, versions = self.units, dict(self._versions)
        air = 0 if self._set.air is None else len(self._set.air.there)
        self.take({source_id: np.zeros((len(self._set.places) + 2 * air, 3), np.float16)})
        try:
            yield
        finally:
            self.units, self._versions = units, versions

    def take(self, units: UnitResponses) -> None:
        """Take over light of some sources, in the place of what they had."""
        if self._set is not None:
            self.units = {**self.units, **units}
            self._versions |= {unit: self._versions.get(unit, 0) + 1 for unit in units}

    def key(self, scene: LitScene) -> tuple[int, LightKey]:
        """What the light of a scene's sources depends on, and which images surfaces see."""
        return self._rooms_number, self.light_key(scene)

    def light_key(self, scene: LitScene) -> LightKey:
        """What that light alone depends on."""
        gains = gains_of(scene, self.units)
        versions = tuple((gain, self._versions[gain], *gains[gain]) for gain in sorted(gains))
        return (self.number, scene.bounce[1]), versions

    def unnoticed(self, held: LightKey, now: LightKey) -> bool:
        """Whether all light has changed so little since, in the mean of all probes, that a picture soon
        followed by another may do without."""
        if held[0] != now[0] or [item[:2] for item in held[1]] != [item[:2] for item in now[1]]:
            return False
        then, gains = (np.array([item[2:] for item in key[1]]).reshape(-1, 3) for key in (held, now))
        mean = np.array([self._mean(item[0]) for item in now[1]]).reshape(-1, 3)
        return bool((mean * np.abs(gains - then)).sum() <= UNNOTICED * (mean * gains).sum())

    def _mean(self, source_id: str) -> NDArray[np.float64]:
        """(3,) light of a source at strength 1, the mean of all probes."""
        assert self._set is not None
        known = self._means.get(source_id)
        light = self.units[source_id]
        if known is None or known[0] is not light:
            mean = light[: len(self._set.places)].mean(axis=0, dtype=np.float64)
            known = self._means[source_id] = light, mean
        return known[1]

    def versions(self, ids: frozenset[str]) -> tuple[object, ...]:
        """What the light of some sources at strength 1 depends on; of those that have any."""
        return self.number, tuple((item, self._versions[item]) for item in sorted(ids) if item in self.units)

    def _write(self, table: "_Table", gains: Gains, keeps: float, exposure: float) -> bool:
        """Have the light of sources, each times its gain, in a table; False where it is."""
        there = {item: gain for item, gain in sorted(gains.items()) if item in self.units}
        versions = self.versions(frozenset(there))
        key = (versions, tuple(tuple(gain) for gain in there.values()), keeps, exposure)
        if table.holds(key):
            return False
        out = table.sum.of(self.units, there) * np.float32(exposure)
        table.show_light(coloured(out, keeps), key)
        return True

    def air_light(self, scene: LitScene) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """(A, 3) mean luminance of all surfaces that places of the air see [cd/m2], and the mean of that
        times the directions to them; of two that a wall parts both see what the darker does, so that none
        gets through it."""
        assert self._set is not None
        air = self._set.air
        if air is None:
            return np.zeros((0, 3), np.float32), np.zeros((0, 3), np.float32)
        gains = gains_of(scene, self.units)
        seen = self._in_air.of(self.units, gains)
        grey = {item: np.full(3, LUMINANCE_WEIGHTS @ gain) for item, gain in gains.items()}
        directions = self._ways.of(self.units, grey)
        out = coloured(seen, scene.bounce[1])
        bright = np.where(air.there, out @ LUMINANCE_WEIGHTS.astype(np.float32), np.float32(np.inf))
        pairs = np.concatenate([air.parted, air.parted[:, ::-1]])
        pairs = pairs[bright[pairs[:, 1]] < bright[pairs[:, 0]]]
        darkest = np.arange(len(out))
        order = np.argsort(-bright[pairs[:, 1]], kind="stable")
        darkest[pairs[order, 0]] = pairs[order, 1]
        # Both come a channel after the other.
        return out.T.take(darkest, 1).T, directions.T.take(darkest, 1).T

    @property
    def in_air(self) -> bool:
        """Whether it is known what surfaces the air sees."""
        return self.there and self._set is not None and self._set.air is not None

    def fill(
        self,
        gbuffer: GBuffer,
        view: View,
        scene: LitScene,
        whole: bool = True,
        baked: frozenset[str] = frozenset(),
        sky: Dome | None = None,
    ) -> None:
        """Find what each pixel has from the probes about it.

        whole : whether that is all light there is; sky : whose light straight from it is found too
        baked : ids of sources of which pixels that have baked light have theirs there
        """
        assert self._all is not None
        assert self._beside is not None
        exposure = pre_exposure(scene.look.ev100)
        gains = gains_of(scene, self.units)
        if self._write(self._all, gains, scene.bounce[1], exposure) and whole:
            numbers = self._all.images
            light = np.maximum(luminance(self._all.light), 0.0) / exposure
            counts = np.maximum(np.bincount(numbers), 1)
            self.room_light = np.bincount(numbers, light) / counts
        values: dict[str, object] = {}
        if baked:
            live = {item: gain for item, gain in gains.items() if item.partition(OF)[0] not in baked}
            if live:
                self._write(self._beside, live, scene.bounce[1], exposure)
                values = {"beside_baked": self._beside.texture}
            by_pages = scene.sky is not None and scene.sky.id in baked
            values |= {"g_baked": gbuffer.baked[0], "sky_is_baked": float(by_pages)}
        if sky is not None:
            assert self._sky is not None
            self._all.show_sky(self._sky.light(sky, exposure))
            values |= terms_of(sky, exposure)
            gbuffer.sky_strength = sky_strength(sky)
        self._look_up(gbuffer, view, gbuffer.probe_frame, values)
        gbuffer.images = gbuffer.key, self.number, self._rooms_number

    def fill_of_hand(self, gbuffer: GBuffer, view: View, scene: LitScene, gains: Gains) -> None:
        """The same of the light of some sources alone, each times its gain."""
        assert self._all is not None
        self._write(self._all, gains, scene.bounce[1], pre_exposure(scene.look.ev100))
        self._look_up(gbuffer, view, gbuffer.of_hand[1], {})

    def _look_up(
        self, gbuffer: GBuffer, view: View, frame: moderngl.Framebuffer, more: dict[str, object]
    ) -> None:
        assert self._set is not None
        assert self._all is not None
        features = {"OWN"} if view.show == "probes" else set()
        features |= {name for name, value in NEEDED.items() if value in more}
        program = self._programs.get("screen", "probe_light", frozenset(features))
        set_uniforms(
            program,
            **self._textures,
            **more,
            probe_light=self._all.texture,
            probe_low=self._set.low,
            probe_step=self._set.step,
            ends_below=tuple(np.where(self._set.goes_on[0], 0.0, 1e3)),
            ends_above=tuple(np.where(self._set.goes_on[1], 0.0, 1e3)),
            g_normal=gbuffer.normal,
            g_depth=gbuffer.distance,
            probe_turn=view.turn(gbuffer.size),
            **view.uniforms,
        )
        frame.use()
        frame.depth_mask = False
        frame.viewport = (0, 0, *gbuffer.size)
        self._context.enable_only(moderngl.DEPTH_TEST)
        self._context.depth_func = ">"
        self._programs.over_screen(program)
