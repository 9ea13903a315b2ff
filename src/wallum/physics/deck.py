"""A cloud deck: a layer with thickness, ray marched; seen from below, from within or from above.

Density is noise over the ground, shaped by height and eroded by finer noise. Light is sunlight scattered once
(Henyey-Greenstein, shadowed by the cloud toward the sun), and multiple scattering by the two-stream
transmittance 1 / (1 + 3/4 (1 - g) depth) of a layer without absorption, for light from above and from the
ground.
The Earth is round: a ray of elevation sine s rises by s t + t^2 (1 - s^2) / 2R.

Source: Bohren 1987, "Multiple scattering of light and some of its observable consequences".
GLSL twin: shaders/deck.frag.glsl.
"""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats
from wallum.physics.medium import henyey_greenstein
from wallum.physics.noise import bilinear, cloud_noise
from wallum.physics.sky_air import EARTH_M

__all__ = [
    "DECK_STEPS",
    "DROPS_G",
    "SHADOW_STEPS",
    "Deck",
    "deck_along",
    "deck_density",
    "deck_ends",
    "deck_noise",
    "deck_share",
    "sun_depth",
    "sun_through",
]

DROPS_G = 0.8
# 3/4 (1 - g) with the g of whole drops, 0.86.
DIFFUSES = 0.105
DECK_STEPS = 20
# Samples on the way to a far light, where only its shadow is asked for.
SHADOW_STEPS = 10
# A whole number: after a drift by one period the finer noise repeats too.
DETAIL_FINER, ACROSS_FINER, LEANS = 6.0, 5.0, 0.5
# How fast the noise across the ground changes upward, and how deep it cuts.
UPWARD_FINER, CUTS = 9.0, 0.5
# Share of its thickness over which it thins out at its foot.
FOOT = 0.12
# Longest march in thicknesses of the deck, and the farthest distance that is marched [m].
LONGEST_OF_THICK, FARTHEST_M = 40.0, 90_000.0


@dataclass(frozen=True)
class Deck:
    """The deck at one moment.

    base, thick    : height of its base over the level, and its thickness [m]
    cover, detail  : 0 to 1
    extinction     : inside the cloud [1/m]
    tile           : period of the noise [m]
    drift          : (2,) shift east and south [m]
    toward, sunlit : (3,) direction to the far light, and its illuminance over the deck, facing it [lx]
    above, below   : (3,) mean luminance of the sky over the deck, and of the ground under it [cd/m2]
    veil           : (3,) extinction of the clear air in front of it [1/m]
    """

    base: float
    thick: float
    cover: float
    detail: float
    extinction: float
    tile: float
    drift: tuple[float, float]
    toward: tuple[float, float, float]
    sunlit: tuple[float, float, float]
    above: tuple[float, float, float]
    below: tuple[float, float, float]
    veil: tuple[float, float, float]

    def times(self, gain: float) -> "Deck":
        """The same deck in light `gain` times as strong."""
        lights = {
            name: tuple(gain * part for part in getattr(self, name)) for name in ("sunlit", "above", "below")
        }
        return replace(self, **lights)  # type: ignore[arg-type]


def deck_noise() -> NDArray[np.float32]:
    """Noise texture that all decks share, (S, S) float32, periodic."""
    return cloud_noise(falling=1.9, drawn_out=1.0, seed=29)


def deck_density(deck: Deck, x: Floats, z: Floats, share: Floats, fine: bool = True) -> NDArray[np.float64]:
    """Density of the deck.

    x, z  : (...,) places over the ground [m]
    share : (...,) height inside the deck, 0 at its base to 1 at its top
    fine  : whether to erode by the finer noise
    Returns (...,) 0 to 1.
    """
    # Higher air has drifted farther, so clouds lean.
    lean = LEANS * share * deck.thick
    u, v = (x - deck.drift[0] - lean) / deck.tile, (z - deck.drift[1] + 0.6 * lean) / deck.tile
    noise = deck_noise()
    # Only full cover gives a closed deck.
    over = bilinear(noise, u, v) - (1.0 - deck.cover) + 0.16 * deck.cover**6
    # Flat base, rounded tops: less cloud with height.
    bulge = np.clip(share - 0.35, 0.0, 1.0)
    over = over - (1.0 - 0.75 * deck.cover) * bulge * bulge * 1.2
    fine = fine and deck.detail > 0.0
    if fine:
        # Vertical noise cuts into the sides, which would be streaks otherwise.
        height = share * deck.thick / deck.tile * UPWARD_FINER
        across = bilinear(noise, (u + v) * ACROSS_FINER, height + u - v)
        over = over - deck.detail * CUTS * np.clip(across - 0.4, 0.0, 1.0)
    out = (
        np.clip(over / 0.16, 0.0, 1.0)
        * np.clip(share / FOOT, 0.0, 1.0)
        * np.clip((1.0 - share) / 0.2, 0.0, 1.0)
    )
    if fine:
        eaten = bilinear(noise, u * DETAIL_FINER + share * 0.43, v * DETAIL_FINER - share * 0.31)
        out = np.clip(out - deck.detail * (1.0 - out) * eaten * 1.3, 0.0, 1.0)
    return np.asarray(out)


def _way_to(height_m: float, sine: Floats, eye_m: float, far: bool = False) -> NDArray[np.float64]:
    """Distance along rays to a height, on a round Earth.

    height_m, eye_m : heights over the level [m]
    sine            : (N,) sine of each ray's elevation
    far             : the second crossing, for rays that dip below the height and rise again
    Returns (N,) [m]; inf where a ray never reaches the height.
    """
    bend = (1.0 - sine * sine) / (2.0 * EARTH_M)
    rise = height_m - eye_m
    root = np.sqrt(np.maximum(sine * sine + 4.0 * bend * rise, 0.0))
    reached = sine * sine + 4.0 * bend * rise >= 0.0
    up = 2.0 * rise / np.maximum(sine + root, 1e-12)
    down = 2.0 * -rise / np.maximum(-sine + root, 1e-12)
    second = (-sine + root) / np.maximum(2.0 * bend, 1e-12)
    direction = up if rise >= 0.0 else np.where(sine < 0.0, down, np.inf)
    direction = second if far else direction
    return np.asarray(np.where(reached & (direction >= 0.0), direction, np.inf))


def deck_ends(
    deck: Deck, directions: Floats, eye_m: float
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Where rays enter and leave the deck.

    directions : (N, 3) unit
    eye_m      : height of the eye over the level [m]
    Returns start and end, each (N,) [m]; equal where a ray misses the deck.
    """
    sine = np.asarray(directions, dtype=np.float64)[:, 1]
    base, top = deck.base, deck.base + deck.thick
    to_base, to_top = _way_to(base, sine, eye_m), _way_to(top, sine, eye_m)
    if eye_m < base:
        # A ray that looks down meets the ground first.
        start, end = np.where(sine > 0.0, to_base, np.inf), to_top
    elif eye_m <= top:
        start, end = np.zeros_like(sine), np.where(sine < 0.0, np.minimum(to_base, to_top), to_top)
    else:
        start = np.where(sine < 0.0, to_top, np.inf)
        end = np.minimum(to_base, _way_to(top, sine, eye_m, far=True))
    start = np.minimum(start, FARTHEST_M)
    end = np.minimum(end, np.minimum(start + LONGEST_OF_THICK * deck.thick, FARTHEST_M))
    return start, np.maximum(end, start)


def _two_stream(depth: Floats) -> NDArray[np.float64]:
    """Two-stream transmittance for an optical depth (...,). Source: Bohren 1987."""
    return np.asarray(1.0 / (1.0 + DIFFUSES * np.asarray(depth)))


def _leaving(deck: Deck, sine: Floats, eye_m: float) -> NDArray[np.float64]:
    """Angular distribution of light below closed cloud, relative to its cosine-weighted mean.


    Three times as much from the zenith as from the horizon, as in the standard overcast sky. From within or
    above
    the deck it is uniform.
    sine : (N,) sine of the elevation
    Returns (N,) [-]. Source: Moon and Spencer 1942; ISO 15469:2004, type 1.
    """
    under = np.clip((deck.base - eye_m) / (0.1 * deck.thick), 0.0, 1.0)
    return np.asarray(1.0 + under * ((1.0 + 3.0 * np.clip(sine, 0.0, 1.0)) / 3.0 - 1.0))


def deck_along(
    deck: Deck,
    directions: Floats,
    eye: Floats,
    offset: Floats | float = 0.5,
    steps: int = DECK_STEPS,
    until_m: Floats | None = None,
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """March rays through the deck.

    directions : (N, 3) unit
    eye        : (3,) [m], y over the level
    offset     : (N,) or scalar position of the samples in their steps, 0 to 1
    steps      : samples a ray
    until_m    : (N,) where each ray ends [m]; None for no end
    Returns added luminance (N, 3) [cd/m2] and transmittance (N,) [-].
    """
    d = np.asarray(directions, dtype=np.float64)
    start, end = deck_ends(deck, d, float(eye[1]))
    if until_m is not None:
        end = np.maximum(np.minimum(end, until_m), start)
    # Inside the deck near cloud hides the rest: samples are denser near the eye.
    inside = deck.base < float(eye[1]) < deck.base + deck.thick
    edges = (np.arange(steps + 1) / steps) ** (2.0 if inside else 1.0)
    light, selected = np.zeros((len(d), 3)), np.ones(len(d))
    toward, sunlit = np.array(deck.toward), np.array(deck.sunlit)
    up = max(float(toward[1]), 0.05)
    lobe = henyey_greenstein(d @ toward, DROPS_G)
    bend = (1.0 - d[:, 1] ** 2) / (2.0 * EARTH_M)
    leaving = _leaving(deck, d[:, 1], float(eye[1]))
    for number in range(steps):
        step = (end - start) * (edges[number + 1] - edges[number])
        distance = start + (end - start) * edges[number] + offset * step
        x, z = eye[0] + d[:, 0] * distance, eye[2] + d[:, 2] * distance
        share = (eye[1] + distance * d[:, 1] + distance * distance * bend - deck.base) / deck.thick
        density = deck_density(deck, x, z, share)
        aside = 0.3 * deck.thick
        shaded = deck_density(
            deck, x + toward[0] * aside, z + toward[2] * aside, np.clip(share + 0.2, 0.0, 0.95), False
        )
        over = deck.extinction * deck.thick * np.clip(1.0 - share, 0.0, 1.0)
        under = deck.extinction * deck.thick * np.clip(share, 0.0, 1.0)
        # Above a base that thins out, the cloud is as thick as beside it.
        whole = np.maximum(density, shaded * (1.0 - np.clip(0.5 * share / FOOT, 0.0, 1.0)))
        to_sun = over * (0.35 * whole + 0.65 * shaded) / up
        mean = 0.5 * (whole + shaded)
        # A side that thins out toward the sun is lit like a wall, not like the ground.
        facing = up + (1.0 - up) * np.clip(whole - shaded, 0.0, 1.0)
        down = 1.0 + (leaving - 1.0) * mean
        source = (
            (lobe * np.exp(-np.minimum(to_sun, 60.0)) + down * facing * _two_stream(to_sun) / np.pi)[:, None]
            * sunlit
            + (down * _two_stream(over * mean))[:, None] * np.array(deck.above) * 0.5
            + _two_stream(under * mean)[:, None] * np.array(deck.below) * 0.5
        )
        passed = np.exp(-deck.extinction * density * step)
        light += (selected * (1.0 - passed))[:, None] * source
        selected = selected * passed
    clear = np.exp(-start[:, None] * np.array(deck.veil))
    left = selected + (1.0 - selected) * (1.0 - np.exp(-start * np.mean(deck.veil)))
    return light * clear, left


def deck_share(cover: float, thick_m: float, extinction: float) -> float:
    """Share of diffuse light from above that comes through a deck, averaged over wide land.

    cover      : 0 to 1
    thick_m    : [m]
    extinction : [1/m]
    Returns 0 to 1. Source: two-stream transmittance, Bohren 1987.
    """
    return 1.0 - cover + cover * float(_two_stream(np.asarray(extinction * thick_m)))


def sun_through(deck: Deck, eye_m: float = 0.0, over: tuple[float, float] = (0.0, 0.0)) -> float:
    """Direct transmittance of the deck toward the far light from one place of the level.

    eye_m : height over the level [m]
    over  : x and z [m]
    Returns 0 to 1 (Beer's law).
    """
    places = (np.array([over[0]]), np.array([over[1]]))
    return float(np.exp(-sun_depth(deck, deck.toward, *places, eye_m, steps=64)[0]))


def sun_depth(
    deck: Deck,
    toward: tuple[float, float, float],
    x: Floats,
    z: Floats,
    height_m: float = 0.0,
    steps: int = SHADOW_STEPS,
) -> NDArray[np.float64]:
    """Optical depth of the deck from places at one height toward a light.

    toward   : (3,) unit
    x, z     : (N,) [m]
    height_m : over the level [m]
    Returns (N,) [-].
    """
    if toward[1] <= 0.0 or height_m >= deck.base + deck.thick:
        return np.zeros(len(x))
    start, end = (float(part[0]) for part in deck_ends(deck, np.array([toward]), height_m))
    direction = (start + (np.arange(steps) + 0.5) / steps * (end - start))[:, None]
    bend = (1.0 - toward[1] ** 2) / (2.0 * EARTH_M)
    share = (height_m + direction * toward[1] + direction * direction * bend - deck.base) / deck.thick
    density = deck_density(deck, x + toward[0] * direction, z + toward[2] * direction, share)
    return np.asarray(deck.extinction * density.mean(axis=0) * (end - start))
