"""The reference picture: light followed along paths, by rays alone; slow and right.

From the same LitScene as every other picture: sun and moon by points of their disc, lamps one at a
time by what they would give unshadowed, sky and glow by where the surface sends rays itself.
Direct light, then as many bounces as asked; alpha-masked surfaces have their holes; the air between the
eye and what it sees scatters once, or as often as asked, and beyond the first surface it only dims lamps and
sun. Sources:
Kajiya 1986, "The Rendering Equation"; Veach 1997 for the estimators; Heitz 2018 for sampling the facets.
"""

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from itertools import islice
from typing import NamedTuple, Self

import numpy as np
from numpy.typing import NDArray

from wallum.level.model.model import Level
from wallum.moment.camera import Camera
from wallum.moment.scene import LitScene
from wallum.physics.arrays import Floats, normalised, scaled
from wallum.physics.cloud_shadow import ShadowMap
from wallum.physics.colour import LUMINANCE_WEIGHTS
from wallum.physics.deck import deck_along, deck_ends
from wallum.physics.dome import sample_dome
from wallum.physics.emitters import disc_points
from wallum.physics.exposure import exposure_scale
from wallum.physics.frames import frame_of
from wallum.physics.medium import AIR_END_M
from wallum.transport.field.bounce import Field
from wallum.transport.paths.aimed_light import AimedLight
from wallum.transport.paths.air_between import air_between, air_kept
from wallum.transport.paths.air_lit import (
    AirSegments,
    far_light,
    lamp_light,
    onward,
    own_light,
    samples_along,
    worth_following,
)
from wallum.transport.paths.light_aim import UNEVEN, LightAim
from wallum.transport.paths.light_paths import PathStates, add_light
from wallum.transport.paths.onward import leave
from wallum.transport.paths.sky_aim import SkyAim
from wallum.transport.scene.rays import LIFT_M, Hits, Look, RayScene, one_thread
from wallum.transport.scene.surface_tables import Surfaces, SurfaceTables

__all__ = ["HalfColumns", "Reference"]

THREADS = max(1, os.cpu_count() or 1)
# See-through surfaces one behind the other that a path goes through.
MAX_VEILS = 16
# Paths that are worked on together, about: small enough for the processor's own memory.
BATCH = 32_400
# Paths that carry less than this share of a pixel, where light is even, go on by chance; from so many
# surfaces on.
FAINT, FAINT_FROM = 0.4, 1
ONES = np.ones(3, np.float32)
WEIGHTS = LUMINANCE_WEIGHTS.astype(np.float32)


class HalfColumns(NamedTuple):
    """Every second column of one path: light [cd/m2], albedo and normals, each (H, W / 2, 3)."""

    light: Floats
    albedo: Floats
    normals: Floats


class Reference:
    """A picture that becomes better with every step; `samples` counts the paths of a pixel.

    bounces : surfaces that light may visit between the first one lit and the eye
    scatterings : how often air may pass it on to air
    """

    def __init__(
        self,
        rays: RayScene,
        level: Level,
        scene: LitScene,
        camera: Camera,
        size: tuple[int, int],
        bounces: int = 2,
        follows: dict[str, str] | None = None,
        seed: int = 1,
        scatterings: int = 1,
    ) -> None:
        self._rays, self._scene, self._camera, self._bounces = rays, scene, camera, bounces
        self._tables = SurfaceTables(level, rays.triangles)
        clouds = scene.sun.clouds if scene.sun is not None else None
        self._cloud_shadow = None if clouds is None else ShadowMap(clouds[0], level.bounds)
        self._size, self._seed, self._scatterings = size, seed, scatterings
        self._floor = float(level.bounds[0, 1]) if level.parts else 0.0
        count = size[0] * size[1]
        self._sum, self._squares = np.zeros((count, 3)), np.zeros(count)
        self._shown = np.zeros((count, 6), np.float32)  # albedo and normals, summed
        self.samples = 0
        gains = [scene.glow.get((follows or {}).get(part.id, ""), 1.0) for part in level.parts]
        self._part_gain = (np.array(gains or [1.0]) * scene.glow_gain).astype(np.float32)
        # What is a lamp's body shows, but lights nothing beside its lamp.
        body = np.array([part.id in scene.bodies for part in level.parts] or [False])
        self._lit_gain = np.where(body, np.float32(0.0), self._part_gain)
        self._aimed = AimedLight(rays, self._tables, scene, self._lit_gain, self._cloud_shadow)

    def aim_by(self, made: Field | None) -> Self:
        """From now on paths aim at the sky too, by what the level's probes have seen of it, and where that is
        little at surfaces that are bright."""
        if made is not None and self._scene.sky is not None:
            self._aimed.sky = SkyAim(made, self._scene.sky)
            self._aimed.others = LightAim(self._rays, made, self._scene, self._aimed.sky.little)
        return self

    @property
    def luminance(self) -> NDArray[np.float64]:
        """(H, W, 3) mean so far [cd/m2]."""
        width, height = self._size
        return (self._sum / max(self.samples, 1)).reshape(height, width, 3)

    @property
    def guides(self) -> tuple[Floats, Floats]:
        """(H, W, 3) mean albedo and mean normals of what the pixels show; zeros where that is no surface."""
        width, height = self._size
        mean = (self._shown / np.float32(max(self.samples, 1))).reshape(height, width, 6)
        return mean[..., :3], mean[..., 3:]

    def depths(self) -> NDArray[np.float64]:
        """(H, W) how far from the camera's plane the surfaces in the middles of the pixels lie [m], but for
        those that are seen through; 0 for the sky."""
        width, height = self._size
        x, y = ((np.arange(item) + 0.5) / item for item in self._size)
        camera = self._camera.with_aspect(width / height)
        directions = camera.rays(np.tile(x, height), np.repeat(y, width)).astype(np.float32)
        eyes = np.broadcast_to(np.array(camera.eye, np.float32), directions.shape)
        hits = self._rays.first_hit(eyes, directions, veils=False)
        back = camera.rotation()[2]
        along = -(directions @ back) * np.where(hits.triangle >= 0, hits.distance, 0.0)
        return np.asarray(along.reshape(height, width), np.float64)

    @property
    def errors(self) -> NDArray[np.float64]:
        """(H, W) standard error of each pixel's luminance [cd/m2]; endless before there are two paths."""
        n, (width, height) = self.samples, self._size
        if n < 2:
            return np.full((height, width), np.inf)
        mean = self._sum @ WEIGHTS / n
        variance = np.maximum(self._squares / n - mean**2, 0.0) / (n - 1)
        return np.asarray(np.sqrt(variance).reshape(height, width), np.float64)

    @property
    def noise(self) -> float:
        """Standard error of the pixels' luminance over their luminance, both as root mean squares."""
        if self.samples < 2:
            return float("inf")
        power = float(((self._sum @ WEIGHTS / self.samples) ** 2).mean())
        return float(np.sqrt((self.errors**2).mean() / power)) if power > 0.0 else 0.0

    def step(
        self,
        keep_going: Callable[[], bool] = lambda: True,
        halfway: Callable[[HalfColumns], None] | None = None,
    ) -> bool:
        """One more path for every pixel; False, and nothing changed, where it was not to go on.

        halfway : is given every second column of this path alone, once those are there
        """
        first, others = self._parts()
        parts = first + others
        seeds = np.random.SeedSequence([self._seed, self.samples]).spawn(len(parts))

        def work(number: int) -> tuple[Floats, Floats] | None:
            if not keep_going():
                return None
            with one_thread():
                return self._light(parts[number], np.random.default_rng(seeds[number]))

        with ThreadPoolExecutor(THREADS) as pool:
            map_ = pool.map(work, range(len(parts)))
            done = [item for item in islice(map_, len(first)) if item is not None]
            if halfway is not None and len(done) == len(first):
                halfway(self._half(first, done))
            done += [item for item in map_ if item is not None]
        if len(done) < len(parts):
            return False
        for pixels, (light, shown) in zip(parts, done, strict=True):
            self._sum[pixels] += light
            self._shown[pixels] += shown
            self._squares[pixels] += (light @ WEIGHTS) ** 2
        self.samples += 1
        return True

    def _parts(self) -> tuple[list[NDArray[np.int64]], list[NDArray[np.int64]]]:
        """Numbers of the pixels that are worked on together, of every second column and of the others: each
        n-th of them, so that all threads have the same share of sky and of ground."""
        width, height = self._size
        numbers = np.arange(width * height).reshape(height, width)
        shares = max(1, THREADS // 2) * max(1, round(numbers.size / (THREADS * BATCH)))
        first, others = (
            [part for k in range(shares) if len(part := columns.ravel()[k::shares])]
            for columns in (numbers[:, ::2], numbers[:, 1::2])
        )
        return first, others

    def _half(self, parts: list[NDArray[np.int64]], done: list[tuple[Floats, Floats]]) -> HalfColumns:
        width, height = self._size
        light, shown = np.zeros((width * height, 3), np.float32), np.zeros((width * height, 6), np.float32)
        for pixels, (own, seen) in zip(parts, done, strict=True):
            light[pixels], shown[pixels] = own, seen
        light, shown = (item.reshape(height, width, -1)[:, ::2] for item in (light, shown))
        return HalfColumns(light, shown[..., :3], shown[..., 3:])

    # -- one batch of paths --------------------------------------------------------------

    def _first(self, pixels: NDArray[np.int64], rng: np.random.Generator) -> PathStates:
        width, height = self._size
        jitter = rng.random((2, len(pixels)), dtype=np.float32)
        x = ((pixels % width).astype(np.float32) + jitter[0]) / np.float32(width)
        y = ((pixels // width).astype(np.float32) + jitter[1]) / np.float32(height)
        directions = self._camera.with_aspect(width / height).rays(x, y)
        origins = np.broadcast_to(np.array(self._camera.eye, dtype=np.float32), directions.shape)
        return PathStates.alone(np.arange(len(pixels)), origins, directions, np.ones_like(directions))

    def _light(self, pixels: NDArray[np.int64], rng: np.random.Generator) -> tuple[Floats, Floats]:
        """What pixels (P,) have of light (P, 3), and what they show: albedo and normals (P, 6)."""
        light, shown = np.zeros((len(pixels), 3), np.float32), np.zeros((len(pixels), 6), np.float32)
        paths = self._first(pixels, rng)
        hits = self._rays.first_visible(paths.origins, paths.directions)
        self._go_through(paths, hits, self._rays.first_visible, rng)
        scattered = self._before(light, paths, hits, rng)
        self._add_sky(light, paths.only(np.flatnonzero(hits.triangle < 0)), discs=True)
        self._gather(light, paths, hits, scattered, rng, shown)
        return light, shown

    def _gather(
        self,
        light: Floats,
        paths: PathStates,
        hits: Hits,
        scattered: PathStates | None,
        rng: np.random.Generator,
        shown: Floats | None = None,
    ) -> None:
        """Gather the light of the surfaces that the eye sees, and all that comes to them and to the air
        before them; notes in `shown` (P, 6) what those are."""
        met = np.flatnonzero(hits.triangle >= 0)
        paths = self._lit_and_onward(light, paths.only(met), hits.only(met), rng, shown)
        if scattered is not None:
            paths = paths.joined(self._from_air_to_air(light, scattered, rng))
        self._follow(light, paths, rng)

    def _follow(self, light: Floats, paths: PathStates, rng: np.random.Generator) -> None:
        """Gather what paths that have left surfaces or air meet, over as many surfaces as is asked."""
        for number in range(self._bounces):
            if number >= FAINT_FROM:
                paths = paths.chosen(rng, self._faint(paths))
            if not len(paths.pixel):
                return
            hits = self._rays.first_hit(paths.origins, paths.directions)
            self._go_through(paths, hits, self._rays.first_hit, rng)
            met = np.flatnonzero(hits.triangle >= 0)
            self._add_sky(light, paths.only(np.flatnonzero(hits.triangle < 0)))
            paths = self._lit_and_onward(light, paths.only(met), hits.only(met), rng)
        if len(paths.pixel):  # only sky and glow are left to be met
            hits = self._rays.first_hit(paths.origins, paths.directions)
            self._go_through(paths, hits, self._rays.first_hit, rng)
            self._add_sky(light, paths.only(np.flatnonzero(hits.triangle < 0)))
            met = np.flatnonzero(self._tables.shining(hits))
            paths, hits = paths.only(met), hits.only(met)
            self._add_own(light, paths, self._tables.at(hits, paths.directions), hits)

    def _faint(self, paths: PathStates) -> Floats:
        """(N,) below which weight paths go on by chance: less where little of what is about is bright, and
        what few paths find there is nearly all of the light."""
        others = self._aimed.others
        uneven = np.float32(UNEVEN) if others is None else others.unevenness(paths.probe)
        return np.asarray(np.float32(FAINT) / uneven)

    def along(
        self, start: Floats, direction: Floats, length: float, samples: int
    ) -> tuple[float, Floats, Floats]:
        """What is seen along a line, from its start to where it ends or meets a surface: how far that is [m],
        the light that the air scatters (samples, 3), and all light (samples, 3) [cd/m2].

        start, unit direction : (3,); length : at most [m]
        """
        rng = np.random.default_rng(self._seed)
        item = np.ones((samples, 1), np.float32)
        paths = PathStates.alone(
            np.arange(samples),
            item * np.asarray(start, np.float32),
            item * np.asarray(direction, np.float32),
            np.repeat(item, 3, axis=1),
        )
        hits = self._rays.first_visible(paths.origins, paths.directions)
        beyond = hits.distance > length
        hits.triangle[beyond], hits.distance[beyond] = -1, length
        ray = length if beyond.all() else float(hits.distance.min())
        self._go_through(paths, hits, self._rays.first_visible, rng)
        nothing = hits.only(np.zeros(0, np.int64))
        light, air = np.zeros((samples, 3), np.float32), np.zeros((samples, 3), np.float32)
        scattered = self._before(air, paths, hits, rng)
        self._gather(air, paths.only(np.zeros(0, np.int64)), nothing, scattered, rng)
        self._gather(light, paths, hits, None, rng)
        return ray, air, light + air

    def arriving(
        self, place: Floats, normal: Floats, samples: int
    ) -> tuple[Floats, Floats, NDArray[np.int64]]:
        """(samples, 3) illuminance of a surface at a place (3,) with a normal (3,) by light that comes back
        from other surfaces, and by what they glow [lx]; and the material that each sample met, -1: none."""
        rng = np.random.default_rng(self._seed)
        disc = disc_points(rng.random((samples, 2)))
        height = np.sqrt(np.maximum(1.0 - (disc**2).sum(axis=1), 0.0))
        normal = normalised(np.asarray(normal, np.float64)[None])
        side, up = frame_of(normal)
        distances = disc[:, :1] * side + disc[:, 1:] * up + height[:, None] * normal
        start = np.asarray(place, np.float64) + normal * (20.0 * LIFT_M)
        ones = np.ones((samples, 3), np.float32)
        paths = PathStates.alone(
            np.arange(samples), ones * start.astype(np.float32), distances.astype(np.float32), ones
        )
        light = np.zeros((samples, 3), np.float32)
        hits = self._rays.first_hit(paths.origins, paths.directions)
        self._go_through(paths, hits, self._rays.first_hit, rng)
        rows = np.flatnonzero(hits.triangle >= 0)
        shone, seen, met = np.zeros_like(light), paths.only(rows), hits.only(rows)
        surfaces = self._tables.at(met, seen.directions)
        self._add_own(shone, seen, surfaces, met)
        bodies = np.zeros_like(light)  # which light nothing
        self._add_own(bodies, seen, surfaces, met, self._part_gain - self._lit_gain)
        self._gather(light, paths, hits, None, rng)
        material = np.full(samples, -1)
        material[rows] = self._rays.triangles.material.take(met.triangle)
        return (light - shone) * np.float32(np.pi), (shone - bodies) * np.float32(np.pi), material

    def falling(
        self, places: Floats, normals: Floats, faces: Floats, rng: np.random.Generator, straight: bool
    ) -> Floats:
        """(N, 3) illuminance of surfaces at places (N, 3), one path each [lx]. normals, faces : (N, 3) of the
        surfaces and of their triangles; straight : with what comes straight from sun, moon and lamps"""
        count = len(places)
        starts = (places + faces * np.float32(LIFT_M * 10.0)).astype(np.float32)
        paths = PathStates.alone(np.arange(count), starts, -normals, np.ones((count, 3), np.float32))
        surfaces = Surfaces.white_paper(normals, faces)
        light = np.zeros((count, 3), np.float32)
        probes = self._aimed.gather(light, paths, surfaces, starts, rng, straight)
        self._follow(light, leave(paths, surfaces, starts, probes, rng, self._aimed.others), rng)
        return light * np.float32(np.pi)

    def _lit_and_onward(
        self,
        light: Floats,
        paths: PathStates,
        hits: Hits,
        rng: np.random.Generator,
        shown: Floats | None = None,
    ) -> PathStates:
        """Gather the light of the surfaces that paths have met; returns the paths that leave them."""
        if not len(paths.pixel):
            return paths
        surfaces = self._tables.at(hits, paths.directions)
        if shown is not None:
            shown[paths.pixel, :3], shown[paths.pixel, 3:] = surfaces.base, surfaces.normals
        places = paths.origins + scaled(paths.directions, hits.distance.astype(np.float32))
        places += surfaces.faces * np.float32(LIFT_M * 10.0)
        self._add_own(light, paths, surfaces, hits)
        probes = self._aimed.gather(light, paths, surfaces, places, rng)
        return leave(paths, surfaces, places, probes, rng, self._aimed.others)

    def _go_through(self, paths: PathStates, hits: Hits, see: Look, rng: np.random.Generator) -> None:
        """At what is seen through a path goes on straight or stays, by how much comes through; `hits` are
        then where each stays. A surface that is passed is no bounce."""
        rows = self._rays.on_veils(hits)
        if len(rows):
            paths.weight = np.array(paths.weight)
        for _ in range(MAX_VEILS):
            if not len(rows):
                return
            leaves, covers = self._rays.leaves(hits.only(rows), paths.directions.take(rows, 0))
            chance = np.clip(leaves @ WEIGHTS, 0.0, 1.0)
            goes = rng.random(len(rows), dtype=np.float32) < chance
            on, stays = rows[goes], rows[~goes]
            paths.weight[on] *= scaled(leaves[goes], 1.0 / chance[goes])
            # Of what stays only the covered share is surface; the rest went through.
            paths.weight[stays] *= (covers[~goes] / (1.0 - chance[~goes]))[:, None]
            self._rays.past(hits, on, paths.origins, paths.directions, see)
            rows = on[np.isin(on, self._rays.on_veils(hits))]

    def _before(
        self, light: Floats, paths: PathStates, hits: Hits, rng: np.random.Generator
    ) -> PathStates | None:
        """What air and a deck of cloud add along the first stretch; what they keep is then in the weights.
        Returns paths on to where the air has light from all around. What the deck shows has only the air
        before it; what lies behind it has all."""
        eye, scene = paths.origins[0].astype(np.float64), self._scene
        if scene.air is None and (scene.sky is None or scene.sky.deck is None):
            return None
        selected, added = air_between(scene, eye, paths.directions, hits.distance)
        deck = scene.sky.deck if scene.sky is not None else None
        ends = hits.distance
        if deck is not None:
            start, _ = deck_ends(deck, paths.directions, float(eye[1]))
            rows = np.flatnonzero(start < hits.distance)
            ends = np.minimum(hits.distance, start)
            directions = paths.directions.take(rows, 0)
            shown, left = deck_along(deck, directions, eye, until_m=hits.distance.take(rows))
            near, before = air_between(scene, eye, directions, start.take(rows))
            added[rows] = scaled(added[rows] - before, left) + shown * near + before
            selected[rows] = scaled(selected[rows], left)
        scattered = None
        if scene.air is not None and scene.air.straight is None:
            alike = added if deck is None else air_between(scene, eye, paths.directions, ends)[1]
            # Of ways on which next to nothing is scattered only some are looked at.
            taken = 1.0 - (selected if deck is None else air_kept(scene, eye, paths.directions, ends))
            rows, counts = worth_following(taken, rng)
            stretches = AirSegments(eye, paths.directions, np.minimum(ends, AIR_END_M)).only(rows)
            lit, scattered = self._lit_air(scene, stretches, rng)
            added = added - alike
            added[rows] += scaled(lit, counts)
            scattered.weight = scaled(scattered.weight, counts[scattered.pixel].astype(np.float32))
            scattered.pixel = rows[scattered.pixel]
        light += added.astype(np.float32)
        paths.weight = paths.weight * selected.astype(np.float32)
        return scattered

    def _lit_air(
        self, scene: LitScene, ways: AirSegments, rng: np.random.Generator
    ) -> tuple[Floats, PathStates]:
        """What the air along ways shows of far light, lamps and its own, and paths on to all else."""
        assert scene.air is not None
        lit = lamp_light(self._rays, scene, ways, rng) + own_light(scene.air, ways)
        nothing = np.zeros((0, 3), np.float32)
        paths = PathStates.alone(np.zeros(0, np.int64), nothing, nothing, nothing)
        for samples in samples_along(scene.air, ways, rng):
            lit += far_light(self._rays, scene, ways, samples, self._cloud_shadow, rng)
            toward, weight = onward(scene.air, ways, samples, rng)
            weight *= 1.0 if scene.sky is None else scene.sky.in_air  # of all that comes from around
            rows, counts = worth_following(weight, rng)
            selected = samples.places[rows], toward[rows], scaled(weight[rows], counts)
            moved = (item.astype(np.float32) for item in selected)
            paths = paths.joined(PathStates.alone(rows, *moved))
        return lit, paths

    def _from_air_to_air(self, light: Floats, paths: PathStates, rng: np.random.Generator) -> PathStates:
        """Follow light that one place of the air has of others, as often as is asked; returns all paths on
        from air to what is no air. Between it and the sky the sky's own haze stands for the air."""
        scene, done = self._scene, None
        if scene.air is not None:  # its fakes are those of what the eye sees
            scene = replace(scene, air=replace(scene.air, clear_to=0.0, hides=1.0))
        for _ in range(self._scatterings - 1):
            hits = self._rays.first_hit(paths.origins, paths.directions)
            near = np.flatnonzero(hits.triangle >= 0)
            out = paths.only(np.flatnonzero(hits.triangle < 0))
            done = out if done is None else done.joined(out)
            paths = paths.only(near)
            if not len(near) or scene.air is None:
                break
            air_segments = AirSegments(
                paths.origins.astype(np.float64), paths.directions, hits.distance.take(near)
            )
            lit, more = self._lit_air(scene, air_segments, rng)
            add_light(light, paths.pixel, paths.weight * lit)
            more.weight = more.weight * paths.weight.take(more.pixel, 0)
            more.pixel = paths.pixel.take(more.pixel)
            air = air_kept(scene, air_segments.start, air_segments.directions, air_segments.lengths)
            paths.weight = paths.weight * air.astype(np.float32)
            done, paths = done.joined(paths), more
        return paths if done is None else done.joined(paths)

    def _add_sky(self, light: Floats, paths: PathStates, discs: bool = False) -> None:
        sky = self._scene.sky
        if sky is None or not len(paths.pixel):
            return
        if discs:
            seen = sky.seen(paths.directions, self._camera.eye, self._floor, discs=True, deck=False)
        else:
            seen = sample_dome(sky.luminance, sky.ground.astype(np.float32), paths.directions)
            seen = scaled(seen.astype(np.float32), self._aimed.sky_share(paths))
        add_light(light, paths.pixel, paths.weight * seen)

    def _add_own(
        self, light: Floats, paths: PathStates, surfaces: Surfaces, hits: Hits, gains: Floats | None = None
    ) -> None:
        """Glow, and surfaces that ask for no light. gains : by part, what its glow counts for; as it is seen,
        or lights, where None"""
        rows = surfaces.shining
        if len(rows):
            counts = self._aimed.met_share(paths, rows, hits)
            part, seen = surfaces.part.take(rows), np.isinf(paths.density.take(rows))
            gain = np.where(seen, self._part_gain.take(part), self._lit_gain.take(part))
            glow = scaled(surfaces.glow, counts * (gain if gains is None else gains.take(part)))
            add_light(light, paths.pixel.take(rows), paths.weight.take(rows, 0) * glow)
        rows = np.flatnonzero(surfaces.unlit) if gains is None else np.zeros(0, np.int64)
        if len(rows):
            shown = surfaces.base.take(rows, 0) / exposure_scale(self._scene.look.ev100)
            add_light(light, paths.pixel.take(rows), paths.weight.take(rows, 0) * shown)
            paths.weight[rows] = 0.0
