"""What clouds leave of a far light, place by place.

Light comes along one direction, so a place is known by where its way to the light crosses height
0: over that, high cloud takes a share, and so does the deck; a place within the deck has less of
it over itself. Twin: shaders/cloud_shadow.frag.glsl, include/cloud_shadow.glsl.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats
from wallum.physics.deck import Deck, sun_depth
from wallum.physics.high_cloud import HighCloud, cloud_cover

__all__ = ["CLOUD_TAKES", "LOWEST_SINE", "CloudShadow", "ShadowMap"]

# Share of a far light that high cloud takes where it hides all: much of what a thin cloud takes
# goes on nearly straight.
CLOUD_TAKES = 0.85
# Lights that stand lower cast as if they stood so high: else shadows reach without end.
LOWEST_SINE = 0.02
AVERAGED = 9
# Optical depth beyond which nothing changes any more.
DEEPEST = 80.0


@dataclass(frozen=True)
class CloudShadow:
    """Clouds before a far light.

    toward : (3,) unit, to the light; cloud, deck : what stands before it
    """

    toward: tuple[float, float, float]
    cloud: HighCloud | None
    deck: Deck | None

    @property
    def foot(self) -> float:
        """Height above the level below which there is no cloud of the deck [m]."""
        return 0.0 if self.deck is None else min(self.deck.base, 0.0)

    @property
    def slope(self) -> tuple[float, float]:
        """Horizontal shift of a ray to the light for each metre that it rises.

        Returns (east, south) [-].
        """
        up = max(self.toward[1], LOWEST_SINE)
        return self.toward[0] / up, self.toward[2] / up

    def crossings(self, points: Floats) -> tuple[Floats, Floats]:
        """Where rays from points to the light cross height 0.

        points : (N, 3) [m]
        Returns x and z, each (N,) [m].
        """
        east, south = self.slope
        return points[:, 0] - east * points[:, 1], points[:, 2] - south * points[:, 1]

    def parts(self, x: Floats, z: Floats) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Transmittance of high cloud and of the whole deck.

        x, z : (N,) where rays to the light cross height 0 [m]
        Returns two (N,) [-].
        """
        left, through = np.ones(len(x)), np.ones(len(x))
        if self.cloud is not None:
            broadcast = np.broadcast_to(self.toward, (len(x), 3))
            left = 1.0 - CLOUD_TAKES * cloud_cover(self.cloud, broadcast, (x, z))
        if self.deck is not None:
            low, (east, south) = self.foot, self.slope
            depth = sun_depth(self.deck, self.toward, x + east * low, z + south * low, low)
            through = np.exp(-np.minimum(depth, DEEPEST))
        return left, through

    def share_over(self, height_m: Floats) -> NDArray[np.float64]:
        """Share of the deck that lies above given heights.

        height_m : (N,) above the level [m]
        Returns (N,) 0 to 1.
        """
        if self.deck is None:
            return np.ones(len(height_m))
        top = self.deck.base + self.deck.thick
        return np.asarray(np.clip((top - height_m) / self.deck.thick, 0.0, 1.0))

    def left(self, points: Floats) -> NDArray[np.float64]:
        """Share of the far light that reaches points.

        points : (N, 3) [m]
        Returns (N,) 0 to 1.
        """
        left, through = self.parts(*self.crossings(points))
        return np.asarray(left * through ** self.share_over(points[:, 1]))

    def average(self) -> float:
        """Mean transmittance over wide, low land, from one tile of the noise [-]."""
        tile = max(layer.tile for layer in (self.cloud, self.deck) if layer is not None)
        across = (np.arange(AVERAGED) + 0.5) / AVERAGED * tile
        x, z = np.meshgrid(across, across)
        left, through = self.parts(x.ravel(), z.ravel())
        return float((left * through).mean())

    def bounds(self, box: Floats) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Bounding box of the crossings of all rays from a box.

        box : (2, 3) lowest and highest corner [m]
        Returns lowest and highest (x, z), each (2,) [m]; never of zero extent.
        """
        corners = np.stack(np.meshgrid(*np.asarray(box).T), axis=-1).reshape(-1, 3)
        x, z = self.crossings(corners)
        low, high = np.array([x.min(), z.min()]), np.array([x.max(), z.max()])
        return low, np.maximum(high, low + 1.0)


class ShadowMap:
    """Transmittance of clouds over a box, tabulated on a grid of crossings."""

    def __init__(self, shadow: CloudShadow, box: Floats, cells: int = 96) -> None:
        self._shadow, self._cells = shadow, cells
        self._low, high = shadow.bounds(box)
        self._step = (high - self._low) / cells
        x, z = (self._low[k] + (np.arange(cells) + 0.5) * self._step[k] for k in (0, 1))
        over = np.meshgrid(x, z)
        self._left, self._through = (
            part.reshape(cells, cells) for part in shadow.parts(*(item.ravel() for item in over))
        )

    def left(self, points: Floats) -> NDArray[np.float64]:
        """Share of the far light that reaches points of the box, by bilinear lookup.

        points : (N, 3) [m]
        Returns (N,) 0 to 1.
        """
        x, z = self._shadow.crossings(points)
        last = self._cells - 1
        u = np.clip((x - self._low[0]) / self._step[0] - 0.5, 0.0, last)
        v = np.clip((z - self._low[1]) / self._step[1] - 0.5, 0.0, last)
        x0, z0 = np.minimum(u.astype(int), last - 1), np.minimum(v.astype(int), last - 1)
        a, b = u - x0, v - z0

        def between(table: Floats) -> Floats:
            flat, at = table.ravel(), z0 * self._cells + x0
            upper = flat.take(at) * (1.0 - a) + flat.take(at + 1) * a
            lower = flat.take(at + self._cells) * (1.0 - a) + flat.take(at + self._cells + 1) * a
            return np.asarray(upper * (1.0 - b) + lower * b)

        out = between(self._left)
        if self._shadow.deck is not None:
            out = out * between(self._through) ** self._shadow.share_over(points[:, 1])
        return np.asarray(out)
