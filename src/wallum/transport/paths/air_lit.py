"""Air that is lit place by place: single scattering along ways from an eye, by one sample of each.

Distances for far light by what the air takes there, for lamps by the angle that the way takes up as the lamp
sees it (Kulla, Fajardo 2012, "Importance Sampling Techniques for Path Tracing in Participating Media");
directions of what comes from all around by the phase function (Henyey, Greenstein 1941).
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wallum.moment.kinds import LightSample, by_kind
from wallum.moment.lamps import LampRows
from wallum.moment.scene import LitScene
from wallum.physics.arrays import Floats, dots, normalised, scaled
from wallum.physics.cloud_shadow import ShadowMap
from wallum.physics.dome import sample_dome
from wallum.physics.emitters import cone_directions
from wallum.physics.frames import frame_of
from wallum.physics.medium import Medium, henyey_greenstein
from wallum.transport.paths.air_between import air_depths
from wallum.transport.scene.rays import LIFT_M, RayScene

__all__ = [
    "AirSamples",
    "AirSegments",
    "air_light",
    "far_light",
    "lamp_light",
    "onward",
    "own_light",
    "samples_along",
    "worth_following",
]

# Steps to the distance at which a way has a given optical depth: it is off by a thousandth then.
HALVINGS = 12
# Share of directions that are taken evenly all around.
EVEN = 0.25
# Ways that bring less of light than this are gone on with by chance.
WORTH = 0.3
# Pockets are no farther from each other than this [m].
POCKETS_END_M = 1e4


@dataclass(frozen=True)
class AirSegments:
    """Stretches of air: a start (3,) or one of each (N, 3), unit directions (N, 3), lengths (N,) [m]."""

    start: NDArray[np.float64]
    directions: Floats
    lengths: Floats

    def at(self, distance_m: Floats) -> NDArray[np.float64]:
        """(N, 3) places along them."""
        return np.asarray(self.start + scaled(self.directions, distance_m), dtype=np.float64)

    def only(self, rows: NDArray[np.intp]) -> "AirSegments":
        start = self.start if self.start.ndim == 1 else self.start.take(rows, 0)
        return AirSegments(start, self.directions.take(rows, 0), self.lengths.take(rows))

    @property
    def heights(self) -> NDArray[np.float64]:
        """(N,) of their starts [m]."""
        return np.broadcast_to(self.start[..., 1], np.shape(self.lengths))


@dataclass(frozen=True)
class AirSamples:
    """Where light is scattered on N ways, by K layers and pockets.

    places : (N, 3) [m]
    weight : (K, N, 3) what of light that is scattered there, times the phase function, comes to the eye
    forwardness : (K,) of each one's phase function
    """

    places: NDArray[np.float64]
    weight: NDArray[np.float64]
    forwardness: tuple[float, ...]

    def phased(self, cosine: Floats) -> NDArray[np.float64]:
        """(N, 3) weights with the phase functions for a cosine between the ways of light."""
        out = np.zeros(self.weight.shape[1:])
        for weight, forwardness in zip(self.weight, self.forwardness, strict=True):
            out += scaled(weight, henyey_greenstein(cosine, forwardness))
        return out


def _depth(air: Medium, ways: AirSegments, distance_m: Floats) -> NDArray[np.float64]:
    """(layers, N) optical depth of layers up to distances, but for what is clear."""
    heights = ways.heights
    rise = ways.directions[:, 1]
    out = air.depths(heights, rise, distance_m)
    if air.clear_to > 0.0:
        out = np.maximum(out - air.depths(heights, rise, np.minimum(distance_m, air.clear_to)), 0.0)
    return out


def _scattered(
    air: Medium, ways: AirSegments, distance_m: Floats, over_pdf: Floats, by: tuple[bool, bool] = (True, True)
) -> AirSamples:
    """Samples at distances along ways, with 1 / the density that they were taken by.

    by : whether light is scattered by layers, and by pockets
    """
    places = ways.at(distance_m)
    taken = air_depths(air, ways.start, ways.directions, distance_m).sum(axis=0)
    selected = np.exp(-taken) * (over_pdf * (distance_m >= air.clear_to))[:, None] * air.hides
    densities = [layer.extinction * layer.density(places[:, 1]) for layer in air.layers if by[0]]
    densities += [pocket.extinction * pocket.density(places) for pocket in air.pockets if by[1]]
    kinds = [(layer.albedo, layer.forwardness) for layer in air.layers if by[0]]
    kinds += [(pocket.albedo, pocket.forwardness) for pocket in air.pockets if by[1]]
    pairs = zip(kinds, densities, strict=True)
    weight = [density[:, None] * np.array(kind[0]) * selected for kind, density in pairs]
    return AirSamples(places, np.stack(weight), tuple(kind[1] for kind in kinds))


def _in_pockets(air: Medium, ways: AirSegments, rng: np.random.Generator) -> AirSamples:
    """One place on each way in one of the pockets that it goes through, by how thick they are."""
    ends = [pocket.ends(ways.start, ways.directions) for pocket in air.pockets]
    first = np.maximum(np.stack([pair[0] for pair in ends]), 0.0)
    inside = np.maximum(np.minimum(np.stack([pair[1] for pair in ends]), ways.lengths) - first, 0.0)
    gain = inside * np.array([pocket.extinction for pocket in air.pockets])[:, None]
    total = gain.sum(axis=0)
    aim = rng.random(len(total)) * total
    pick = np.minimum((np.cumsum(gain, axis=0) < aim).sum(axis=0), len(gain) - 1)
    rows = np.arange(len(total))
    distance = first[pick, rows] + inside[pick, rows] * rng.random(len(total))
    # Where pockets overlap a place may have been found by way of each.
    within = (distance >= first) & (distance <= first + inside)
    pdf = (within * np.array([pocket.extinction for pocket in air.pockets])[:, None]).sum(axis=0)
    over_pdf = np.where(pdf > 0.0, total / np.maximum(pdf, 1e-30), 0.0)
    return _scattered(air, ways, distance, over_pdf, by=(False, True))


def _along(air: Medium, ways: AirSegments, rng: np.random.Generator) -> AirSamples:
    """One place on each way, by what the air takes of light up to there and there."""
    whole = _depth(air, ways, ways.lengths).sum(axis=0)
    taken = -np.expm1(-whole)
    aim = -np.log1p(-rng.random(len(whole)) * taken)
    # Distances by their logarithm, so that near ones are found as exactly as far ones.
    largest = np.log1p(np.asarray(ways.lengths, dtype=np.float64))
    low, high = np.zeros(len(largest)), largest.copy()
    for _ in range(HALVINGS):
        middle = 0.5 * (low + high)
        short = _depth(air, ways, np.expm1(middle)).sum(axis=0) < aim
        low, high = np.where(short, middle, low), np.where(short, high, middle)
    # Somewhere in what is left, so that no step of it shows.
    first, last = np.expm1(low), np.expm1(high)
    ends = [_depth(air, ways, item).sum(axis=0) for item in (first, last)]
    share = np.clip((aim - ends[0]) / np.maximum(ends[1] - ends[0], 1e-12), 0.0, 1.0)
    distance = first + (last - first) * share
    heights = ways.at(distance)[:, 1]
    local = sum(layer.extinction * layer.density(heights) for layer in air.layers)
    left = np.exp(-_depth(air, ways, distance).sum(axis=0))
    pdf = local * left / np.maximum(taken, 1e-12)
    over_pdf = np.where(taken > 0.0, 1.0 / np.maximum(pdf, 1e-30), 0.0)
    return _scattered(air, ways, distance, over_pdf, by=(True, False))


def own_light(air: Medium, ways: AirSegments) -> NDArray[np.float64]:
    """(N, 3) the air's own light along ways [cd/m2], of each by its part of what is taken."""
    lights = [*(layer.own for layer in air.layers), *(pocket.own for pocket in air.pockets)]
    if not np.any(lights):
        return np.zeros((len(ways.lengths), 3))
    depths = air_depths(air, ways.start, ways.directions, ways.lengths)
    whole = depths.sum(axis=0)
    own = np.zeros_like(whole)
    for part, light in zip(depths, lights, strict=True):
        own += part * np.array(light)
    return np.asarray(own / np.maximum(whole, 1e-30) * -np.expm1(-whole) * air.hides)


def samples_along(air: Medium, ways: AirSegments, rng: np.random.Generator) -> list[AirSamples]:
    """Places on each way where it has light of far sources and from all around: one in the layers, and one
    in the pockets where there are any."""
    return [_along(air, ways, rng), *([_in_pockets(air, ways, rng)] if air.pockets else [])]


def far_light(
    rays: RayScene,
    scene: LitScene,
    ways: AirSegments,
    samples: AirSamples,
    over: ShadowMap | None,
    rng: np.random.Generator,
) -> NDArray[np.float64]:
    """(N, 3) light of sun or moon that is scattered toward the eye at samples [cd/m2]."""
    sun = scene.sun
    if sun is None:
        return np.zeros((len(ways.lengths), 3))
    toward = cone_directions(sun.direction, 0.5 * sun.disc_rad, rng.random((len(ways.lengths), 2)))
    light = sun.at(samples.places, over) * sun.in_air * samples.phased(ways.directions @ sun.direction)
    if scene.air is not None and scene.air.pockets:
        end = np.full(len(toward), POCKETS_END_M)
        light = light * scene.air.through_pockets(samples.places, toward, end)[:, None]
    rows = np.flatnonzero(light.any(axis=1))
    if sun.shadow and sun.air_shadow and len(rows):
        endless = np.full(len(rows), np.inf)
        light[rows] *= rays.let_through(samples.places.take(rows, 0), toward.take(rows, 0), endless)
    return np.asarray(light)


def lamp_light(
    rays: RayScene, scene: LitScene, ways: AirSegments, rng: np.random.Generator
) -> NDArray[np.float64]:
    """(N, 3) light of lamps that is scattered toward the eye [cd/m2]; one lamp a way."""
    air, lamps = scene.air, scene.lamps
    assert air is not None
    out = np.zeros((len(ways.lengths), 3))
    if not len(lamps.ids):
        return out
    gain = np.zeros((len(lamps.ids), len(ways.lengths)))
    for kind, own in by_kind(lamps.rows):
        gain[own] = kind.air_weights(lamps.rows[own], ways.start, ways.directions, ways.lengths)
    total = gain.sum(axis=0)
    rows = np.flatnonzero(total > 0.0)
    if not len(rows):
        return out
    pick = (np.cumsum(gain[:, rows], axis=0) < rng.random(len(rows)) * total[rows]).sum(axis=0)
    pick = np.minimum(pick, len(gain) - 1)
    lit_ways = ways.only(rows)
    distance, over_pdf = _air_places(lamps.rows[pick], lit_ways, rng.random(len(rows)))
    over_pdf = over_pdf * total[rows] / gain[pick, rows]
    samples = _scattered(air, lit_ways, distance, over_pdf)
    result = _of_lamps(scene, pick, samples.places, rng)
    light = samples.phased(dots(lit_ways.directions, result.toward))
    light *= lamps.rows["emission"][pick].astype(np.float64) * np.asarray(result.strength)[:, None]
    light *= (
        air.between(_origins(lamps.rows[pick], samples.places), samples.places)
        * lamps.rows["in_air"][pick, None]
    )
    casts = lamps.casting[pick] & (lamps.rows["air_shadow"][pick] > 0.5)
    casting = np.flatnonzero(casts & (result.strength > 0.0))
    if len(casting):
        free = result.reach[casting] - 2.0 * LIFT_M
        light[casting] *= rays.let_through(samples.places[casting], result.toward[casting], free)
    out[rows] = light
    return out


def _air_places(rows: LampRows, ways: AirSegments, u: Floats) -> tuple[Floats, Floats]:
    """A place on each way by its lamp: (N,) distance and (N,) inverse density [m]."""
    distance, over_pdf = np.zeros(len(rows)), np.zeros(len(rows))
    for kind, own in by_kind(rows):
        start = ways.start[own] if ways.start.ndim > 1 else ways.start
        sample = kind.air_distances(rows[own], start, ways.directions[own], ways.lengths[own], u[own])
        distance[own], over_pdf[own] = sample
    return distance, over_pdf


def _origins(rows: LampRows, places: Floats) -> NDArray[np.float64]:
    """(N, 3) points from which light of lamps comes through the air to places (N, 3)."""
    out = np.empty((len(rows), 3))
    for kind, own in by_kind(rows):
        out[own] = kind.origins(rows[own], places[own])
    return out


def _of_lamps(
    scene: LitScene, pick: NDArray[np.intp], places: NDArray[np.float64], rng: np.random.Generator
) -> LightSample:
    """What comes to places from the lamp that each has picked, from a point of its body."""
    rows, u = scene.lamps.rows[pick], rng.random((len(pick), 3))
    out = LightSample(np.zeros((len(pick), 3)), np.zeros(len(pick)), np.zeros(len(pick)))
    for kind, own in by_kind(rows):
        result = kind.sample(rows[own], places[own], u[own])
        for whole, part in zip(out, result, strict=True):
            whole[own] = part
    return out


def onward(
    air: Medium, ways: AirSegments, samples: AirSamples, rng: np.random.Generator
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Unit directions (N, 3) that light comes from to each sample, and what of it comes to the eye (N, 3)."""
    count = len(ways.lengths)
    u = rng.random((count, 3))
    forward = max(air.layers, key=lambda layer: layer.extinction).forwardness
    bent = _lobe(forward, u[:, 0])
    even = rng.random(count) < EVEN
    cosine = np.where(even, 2.0 * u[:, 0] - 1.0, bent)
    sine, turn = np.sqrt(np.maximum(1.0 - cosine**2, 0.0)), 2.0 * np.pi * u[:, 1]
    d = np.asarray(ways.directions, dtype=np.float64)
    side, up = frame_of(d)
    toward = scaled(d, cosine) + scaled(side, sine * np.cos(turn)) + scaled(up, sine * np.sin(turn))
    pdf = EVEN / (4.0 * np.pi) + (1.0 - EVEN) * henyey_greenstein(cosine, forward)
    return normalised(toward), samples.phased(cosine) / pdf[:, None]


def worth_following(weight: Floats, rng: np.random.Generator) -> tuple[NDArray[np.intp], Floats]:
    """Which of N ways are gone on with, by chance as their weights (N, 3) are small, and by what each then
    counts (K,), so that the mean is the same. Arvo, Kirk 1990, "Particle Transport and Image Synthesis"."""
    chance = np.minimum(np.asarray(weight).max(axis=1) / WORTH, 1.0)
    rows = np.flatnonzero(rng.random(len(chance)) < chance)
    return rows, 1.0 / chance[rows]


def air_light(
    rays: RayScene, scene: LitScene, ways: AirSegments, turns: int, rng: np.random.Generator
) -> NDArray[np.float64]:
    """(N, 3) all that the air along ways shows of far light, lamps, the sky and its own [cd/m2], the mean of
    some samples; of light that surfaces send back nothing."""
    air, sky = scene.air, scene.sky
    assert air is not None
    out = np.zeros((len(ways.lengths), 3))
    for _ in range(turns):
        out += lamp_light(rays, scene, ways, rng)
        for samples in samples_along(air, ways, rng):
            out += far_light(rays, scene, ways, samples, None, rng)
            if sky is not None:
                toward, weight = onward(air, ways, samples, rng)
                seen = sample_dome(sky.luminance, sky.ground, toward) * sky.in_air
                endless = np.full(len(toward), np.inf)
                out += weight * seen * rays.let_through(samples.places, toward, endless)
    return out / turns + own_light(air, ways)


def _lobe(g: float, u: Floats) -> NDArray[np.float64]:
    """Cosines that follow the phase function, for random numbers in 0..1."""
    if abs(g) < 1e-3:
        return np.asarray(2.0 * u - 1.0)
    part = (1.0 - g * g) / (1.0 - g + 2.0 * g * u)
    return np.asarray((1.0 + g * g - part * part) / (2.0 * g))
