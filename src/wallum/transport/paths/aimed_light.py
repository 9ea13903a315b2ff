"""Light that surfaces ask for by name: sun or moon, one lamp, one place that glows; each by one ray.

Veach 1995 for what is met by chance too: "Optimally Combining Sampling Techniques".
"""

import numpy as np
from numpy.typing import NDArray

from wallum.moment.kinds import LightSample, by_kind
from wallum.moment.scene import LitScene
from wallum.physics.arrays import Floats, dots, scaled
from wallum.physics.cloud_shadow import ShadowMap
from wallum.physics.dome import sample_dome
from wallum.physics.emitters import cone_directions
from wallum.transport.paths.glow_aim import GlowAim
from wallum.transport.paths.lamp_choice import lamp_weights
from wallum.transport.paths.light_aim import LightAim
from wallum.transport.paths.light_paths import PathStates, add_light
from wallum.transport.paths.onward import answer_of, leaving_density
from wallum.transport.paths.sky_aim import SkyAim
from wallum.transport.scene.rays import LIFT_M, Hits, RayScene
from wallum.transport.scene.surface_tables import Surfaces, SurfaceTables

__all__ = ["AimedLight"]


class AimedLight:
    """The sources of a scene that rays are sent to. part_gain : (P,) what each part's glow is worth"""

    def __init__(
        self,
        rays: RayScene,
        tables: SurfaceTables,
        scene: LitScene,
        part_gain: NDArray[np.float32],
        cloud_shadow: ShadowMap | None,
    ) -> None:
        self._rays, self._tables, self._scene, self._cloud_shadow = rays, tables, scene, cloud_shadow
        self._part_gain = part_gain
        self.sky: SkyAim | None = None  # where the sky is looked for, where that is known
        self.others: LightAim | None = None  # where light of other surfaces is
        self._glow = GlowAim(rays, tables, part_gain)
        self._lamps = scene.lamps.rows.copy()
        self._casts = scene.lamps.casting
        self._emission = np.ascontiguousarray(self._lamps["emission"])
        self._weights = lamp_weights(self._lamps)

    def gather(
        self,
        light: Floats,
        paths: PathStates,
        surfaces: Surfaces,
        places: Floats,
        rng: np.random.Generator,
        straight: bool = True,
    ) -> NDArray[np.int64]:
        """Add what all of them give surfaces that paths have met, at places (N, 3) a little before them.

        straight : with sun, moon and lamps, of which light comes from one place
        Returns the probes by which those aim at the sky (N,), -1 where they do not.
        """
        probes = np.full(len(places), -1, np.int64)
        if self.sky is not None:
            probes = self.sky.find(places.astype(np.float64), surfaces.faces)
            self._add_sky(light, paths, surfaces, places, probes, rng)
        if straight:
            self._add_far(light, paths, surfaces, places, rng)
            self._add_lamps(light, paths, surfaces, places, rng)
        self._add_glow(light, paths, surfaces, places, probes, rng)
        return probes

    def sky_share(self, paths: PathStates) -> NDArray[np.float32]:
        """(N,) what the sky counts for that paths have met by chance, beside what aims at it."""
        counts = np.ones(len(paths.pixel), np.float32)
        rows = np.flatnonzero(paths.probe >= 0)
        if self.sky is not None and len(rows):
            aimed = self.sky.density(paths.probe.take(rows), paths.directions.take(rows, 0))
            counts[rows] = _weighed(paths.density.take(rows), aimed)
        return counts

    def _add_sky(
        self,
        light: Floats,
        paths: PathStates,
        surfaces: Surfaces,
        places: Floats,
        probes: NDArray[np.int64],
        rng: np.random.Generator,
    ) -> None:
        sky, aim = self._scene.sky, self.sky
        assert sky is not None
        assert aim is not None
        rows = np.flatnonzero(aim.aims(probes) & paths.alive())
        toward, chance = aim.aim(probes.take(rows), rng)
        over = dots(surfaces.normals.take(rows, 0), toward) > 1e-4
        over &= dots(surfaces.faces.take(rows, 0), toward) > 0.0
        lit = np.flatnonzero(over & (chance > 0.0))
        rows, toward, chance = rows.take(lit), toward.take(lit, 0), chance.take(lit)
        endless = np.full(len(rows), np.inf, np.float32)
        through = self._rays.let_through(places.take(rows, 0), toward, endless)
        seen = np.flatnonzero(through.any(axis=1))
        rows, toward, through = rows.take(seen), toward.take(seen, 0), through.take(seen, 0)
        chance = chance.take(seen)
        if not len(rows):
            return
        to_eye = -paths.directions
        met = leaving_density(surfaces, rows, to_eye, toward, probes, self.others)
        counts = _weighed(chance, met) / chance
        shown = sample_dome(sky.luminance, sky.ground.astype(np.float32), toward).astype(np.float32) * through
        shown *= answer_of(surfaces, rows, to_eye.take(rows, 0), toward) * paths.weight.take(rows, 0)
        add_light(light, paths.pixel.take(rows), scaled(shown, counts))

    def met_share(self, paths: PathStates, rows: NDArray[np.int64], hits: Hits) -> NDArray[np.float32]:
        """(K,) what glow counts for that some of the paths have met by chance, beside what aims at it."""
        counts = np.ones(len(rows), np.float32)
        chosen = np.flatnonzero(np.isfinite(paths.density.take(rows)))
        if len(self._glow) and len(chosen):
            own = rows.take(chosen)
            places, directions = paths.origins.take(own, 0), paths.directions.take(own, 0)
            aimed = self._glow.chance(places, directions, hits.only(own))
            counts[chosen] = _weighed(paths.density.take(own), aimed)
        return counts

    def _add_glow(
        self,
        light: Floats,
        paths: PathStates,
        surfaces: Surfaces,
        places: Floats,
        probes: NDArray[np.int64],
        rng: np.random.Generator,
    ) -> None:
        rows = np.flatnonzero(paths.alive()) if len(self._glow) else np.zeros(0, np.int64)
        if not len(rows):
            return
        target = self._glow.aim(places.take(rows, 0), rng)
        over = dots(surfaces.normals.take(rows, 0), target.toward) > 1e-4
        over &= dots(surfaces.faces.take(rows, 0), target.toward) > 0.0
        lit = np.flatnonzero(over & (target.chance > 0.0))
        toward, reach = target.toward.take(lit, 0), target.reach.take(lit)
        free = reach - np.float32(20.0 * LIFT_M) - reach * np.float32(1e-4)
        through = self._rays.let_through(places.take(rows.take(lit), 0), toward, free)
        open_way = np.flatnonzero(through.any(axis=1))
        lit, toward, through = lit.take(open_way), toward.take(open_way, 0), through.take(open_way, 0)
        if not len(lit):
            return
        rows, hits = rows.take(lit), target.hits.only(lit)
        to_eye = -paths.directions
        chance = target.chance.take(lit)
        met = leaving_density(surfaces, rows, to_eye, toward, probes, self.others)
        counts = _weighed(chance, met) / chance
        part = self._rays.triangles.part.take(hits.triangle)
        shown = self._tables.glow_at(hits.triangle, hits.weights) * through
        shown *= answer_of(surfaces, rows, to_eye.take(rows, 0), toward) * paths.weight.take(rows, 0)
        add_light(light, paths.pixel.take(rows), scaled(shown, counts * self._part_gain.take(part)))

    def _add_far(
        self,
        light: Floats,
        paths: PathStates,
        surfaces: Surfaces,
        places: Floats,
        rng: np.random.Generator,
    ) -> None:
        sun = self._scene.sun
        if sun is None:
            return
        middle, half = sun.direction.astype(np.float32), 0.5 * sun.disc_rad
        # Some part of the disc is over the surface.
        edge = -np.float32(np.sin(half))
        facing = (dots(surfaces.normals, middle) > edge) & (dots(surfaces.faces, middle) > edge)
        rows = np.flatnonzero(facing & paths.alive())
        toward = cone_directions(middle, half, rng.random((len(rows), 2), dtype=np.float32))
        over = dots(surfaces.normals.take(rows, 0), toward) > 0.0
        over &= dots(surfaces.faces.take(rows, 0), toward) > 0.0
        through = np.ones((len(rows), 3), np.float32)
        if sun.shadow and over.any():
            endless = np.where(over, np.float32(np.inf), np.float32(0.0))
            through = self._rays.let_through(places.take(rows, 0), toward, endless)
            over &= through.any(axis=1)
        seen = np.flatnonzero(over)
        rows, toward = rows.take(seen), toward.take(seen, 0)
        if len(rows):
            answer = answer_of(surfaces, rows, -paths.directions.take(rows, 0), toward)
            answer *= paths.weight.take(rows, 0) * through.take(seen, 0)
            if self._cloud_shadow is not None or sun.through is not None:
                answer *= sun.at(places.take(rows, 0), self._cloud_shadow).astype(np.float32)
            else:
                for k in range(3):
                    answer[:, k] *= np.float32(sun.illuminance[k])
            add_light(light, paths.pixel.take(rows), answer)

    def _add_lamps(
        self,
        light: Floats,
        paths: PathStates,
        surfaces: Surfaces,
        places: Floats,
        rng: np.random.Generator,
    ) -> None:
        """One lamp a surface, picked by what it would give without shadow."""
        if not len(self._casts):
            return
        gain = self._weights(places, surfaces.normals)
        total = gain.sum(axis=0)
        rows = np.flatnonzero((total > 0.0) & paths.alive())
        if not len(rows):
            return
        gain, total = gain.take(rows, 1), total.take(rows)
        pick = (np.cumsum(gain, axis=0) < rng.random(len(rows), dtype=np.float32) * total).sum(axis=0)
        pick = np.minimum(pick, len(gain) - 1)
        pdf = gain[pick, np.arange(len(rows))] / total
        toward, reach, strength = self._samples(pick, places.take(rows, 0), rng)
        open_way, through = strength > 0.0, np.ones((len(rows), 3), np.float32)
        casting = np.flatnonzero(open_way & self._casts.take(pick))
        if len(casting):
            free = reach.take(casting) - 2.0 * LIFT_M
            from_places = places.take(rows.take(casting), 0)
            through[casting] = self._rays.let_through(from_places, toward.take(casting, 0), free)
            open_way &= through.any(axis=1)
        lit = np.flatnonzero(open_way)
        rows, pick = rows.take(lit), pick.take(lit)
        answer = answer_of(surfaces, rows, -paths.directions.take(rows, 0), toward.take(lit, 0))
        answer *= scaled(self._emission.take(pick, 0), (strength / np.maximum(pdf, 1e-12)).take(lit))
        if self._scene.air is not None:
            lamps = self._lamps["position"].take(pick, 0)
            answer *= self._scene.air.between(lamps, places.take(rows, 0)).astype(np.float32)
        shown = paths.weight.take(rows, 0) * answer * through.take(lit, 0)
        add_light(light, paths.pixel.take(rows), shown)

    def _samples(self, pick: NDArray[np.intp], places: Floats, rng: np.random.Generator) -> LightSample:
        """What comes to places from a point of the lamp that each has picked."""
        u = rng.random((len(pick), 3), dtype=np.float32)
        rows = self._lamps.take(pick)
        kinds = list(by_kind(rows))
        if len(kinds) == 1:
            return kinds[0][0].sample(rows, places, u)
        out = LightSample(np.empty_like(places), np.empty(len(pick)), np.empty(len(pick)))
        for kind, own in kinds:
            result = kind.sample(rows.take(own), places.take(own, 0), u.take(own, 0))
            for whole, part in zip(out, result, strict=True):
                whole[own] = part
        return out


def _weighed(own: Floats, other: Floats) -> NDArray[np.float32]:
    """What a sample counts for that another way could have found too: Veach's power heuristic."""
    ratio = np.minimum(other / np.maximum(own, 1e-20), 1e15)
    return np.asarray(1.0 / (1.0 + ratio * ratio), np.float32)
