"""High cloud: a thin layer that drifts over the level, seen from below.

What hides the sky behind it and what it shows itself, by direction. It is lit from above and
through itself: forward scattering glows about the sun (Henyey, Greenstein 1941, g = 0.72 for
ice), the rest is even. Twin: shaders/include/cloud.glsl.
"""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats
from wallum.physics.medium import henyey_greenstein
from wallum.physics.noise import bilinear, cloud_noise
from wallum.physics.sky_air import EARTH_M

__all__ = [
    "FORWARD_G",
    "GLOWS",
    "TILE_OF_SIZE",
    "HighCloud",
    "cloud_cover",
    "cloud_light",
    "over_sky",
    "way_up",
]

# One repeat of the noise holds this many of its larger shapes.
TILE_OF_SIZE = 4.0
FORWARD_G, GLOWS = 0.72, 0.5
# Below this sine of elevation single shapes melt into their mean.
MELTS_BELOW = 0.09
THICKEST_WAY = 5.0


@dataclass(frozen=True)
class HighCloud:
    """The layer at a moment.

    cover, soft, opacity : 0 to 1; height [m] over the level; tile [m] of its noise
    drift    : (2,) how far it has drifted, east and south [m]
    toward   : (3,) unit, to the light that it shows
    sunlit   : (3,) illuminance by that, facing it, at the layer's height [lx]
    even     : (3,) luminance that it shows all over [cd/m2]
    """

    cover: float
    soft: float
    opacity: float
    height: float
    tile: float
    drift: tuple[float, float]
    toward: tuple[float, float, float]
    sunlit: tuple[float, float, float]
    even: tuple[float, float, float]

    def times(self, gain: float) -> "HighCloud":
        """The same in so much more light."""
        sunlit, even = (tuple(gain * part for part in three) for three in (self.sunlit, self.even))
        return replace(self, sunlit=sunlit, even=even)  # type: ignore[arg-type]


def way_up(sine: Floats, height_m: float) -> NDArray[np.float64]:
    """Distance to a layer over a round Earth, toward sines of elevation [m]."""
    up = np.asarray(sine, dtype=np.float64)
    return np.asarray(np.sqrt((EARTH_M * up) ** 2 + 2.0 * EARTH_M * height_m + height_m**2) - EARTH_M * up)


def cloud_cover(
    cloud: HighCloud, directions: Floats, places: tuple[Floats, Floats] | None = None
) -> NDArray[np.float64]:
    """(N,) how much the layer hides toward unit directions (N, 3) above the horizon, 0 to 1.

    places : (N,), (N,) where from, east and south of the level's middle [m]; None: from there
    """
    d = np.asarray(directions, dtype=np.float64)
    up = np.maximum(d[:, 1], 0.0)
    direction = way_up(up, cloud.height)
    x, z = (0.0, 0.0) if places is None else places
    u = (x + d[:, 0] * direction - cloud.drift[0]) / cloud.tile
    v = (z + d[:, 2] * direction - cloud.drift[1]) / cloud.tile
    value = bilinear(cloud_noise(), u, v)
    width = 0.04 + 0.9 * cloud.soft
    # An even value over a threshold of 1 - cover: so much of the sky is half covered.
    x = np.clip((value - (1.0 - cloud.cover)) / width + 0.5 * cloud.cover, 0.0, 1.0)
    thick = x * x * (3.0 - 2.0 * x)
    melted = np.clip(up / MELTS_BELOW, 0.0, 1.0)
    thick = cloud.cover * 0.6 + (thick - cloud.cover * 0.6) * melted
    hidden = cloud.opacity * thick
    longer = np.minimum(1.0 / np.maximum(up, 1e-3), THICKEST_WAY)
    return np.asarray(np.where(d[:, 1] > 0.0, 1.0 - (1.0 - 0.999 * hidden) ** longer, 0.0))


def cloud_light(cloud: HighCloud, directions: Floats) -> NDArray[np.float64]:
    """(N, 3) luminance of the layer where it is thick [cd/m2]."""
    cosine = np.asarray(directions, dtype=np.float64) @ np.array(cloud.toward)
    lobe = henyey_greenstein(cosine, FORWARD_G) * GLOWS + (1.0 - GLOWS) / (4.0 * np.pi)
    return np.asarray(lobe[:, None] * np.array(cloud.sunlit) + np.array(cloud.even))


def over_sky(cloud: HighCloud, directions: Floats, sky: Floats) -> NDArray[np.float64]:
    """(N, 3) sky of luminance (N, 3) [cd/m2] with the layer before it."""
    cover = cloud_cover(cloud, directions)[:, None]
    return np.asarray(sky * (1.0 - cover) + cloud_light(cloud, directions) * cover)
