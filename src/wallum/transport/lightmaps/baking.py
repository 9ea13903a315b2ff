"""Light that comes to texels, by paths; better with every step."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from wallum.image.denoise import denoised
from wallum.level.model.model import Level
from wallum.level.model.unwrapping import UnwrappedTriangles
from wallum.moment.camera import Camera
from wallum.moment.scene import LitScene
from wallum.physics.arrays import Floats
from wallum.physics.colour import LUMINANCE_WEIGHTS
from wallum.transport.field.bounce import Field
from wallum.transport.lightmaps.texels import Texels, filled
from wallum.transport.paths.reference import THREADS, Reference
from wallum.transport.scene.rays import LIFT_M, RayScene, one_thread

__all__ = ["Baking", "beside", "cleaned", "on_pages", "outside_bodies"]

# Surfaces that light visits on its way to a texel.
BOUNCES: Final = 6
# Texels that are worked on together.
BATCH: Final = 32_000
# Rays of each that tell whether it lies inside a body, and the share of backs that it then sees.
LOOKS, INSIDE = 16, 0.25
# What faces another way by 60 degrees counts as so much farther off [m]; and what is near.
TURNED_M, NEAR_M = 0.5, 1.5
# Nobody looks from anywhere.
NOWHERE: Final = Camera((0.0, 0.0, 0.0), (0.0, 0.0, -1.0), 60.0)


class Baking:
    """The light of a scene on texels.

    straight : whether what comes straight from sun, moon and lamps is baked too
    sums, squares : (K, 3) of paths, (K,) of their luminance squared; samples : paths of each texel so far
    """

    def __init__(
        self,
        rays: RayScene,
        level: Level,
        scene: LitScene,
        texels: Texels,
        straight: bool,
        follows: dict[str, str] | None = None,
        made: Field | None = None,
        seed: int = 1,
    ) -> None:
        self.texels, self._straight, self._seed = texels, straight, seed
        reference = Reference(rays, level, scene, NOWHERE, (1, 1), BOUNCES, follows)
        self._reference = reference.aim_by(made)
        self.sums, self.squares = np.zeros((len(texels), 3)), np.zeros(len(texels))
        self.samples = 0

    @property
    def noise(self) -> float:
        """Standard error of the texels' illuminance over it, both as root mean squares."""
        if self.samples < 2:
            return float("inf")
        mean = self.sums @ LUMINANCE_WEIGHTS / self.samples
        variance = np.maximum(self.squares / self.samples - mean**2, 0.0) / (self.samples - 1)
        power = float((mean**2).mean())
        return float(np.sqrt(variance.mean() / power)) if power > 0.0 else 0.0

    def step(self, keep_going: Callable[[], bool] = lambda: True) -> bool:
        """One more path for every texel; False, and nothing changed, where it was not to go on."""
        texels, count = self.texels, len(self.texels)
        # Every n-th texel, so that all threads have the same share of what is open and of what is not.
        shares = min(THREADS * max(1, round(count / (THREADS * BATCH))), max(count, 1))
        rows = [np.arange(first, count, shares) for first in range(shares)]
        seeds = np.random.SeedSequence([self._seed, self.samples]).spawn(shares)

        def work(number: int) -> Floats | None:
            if not keep_going():
                return None
            own = rows[number]
            with one_thread():
                return self._reference.falling(
                    texels.places[own], texels.normals[own], texels.faces[own],
                    np.random.default_rng(seeds[number]), self._straight,
                )  # fmt: skip

        with ThreadPoolExecutor(THREADS) as pool:
            built = list(pool.map(work, range(shares)))
        light = [item for item in built if item is not None]
        if len(light) < shares:
            return False
        for own, item in zip(rows, light, strict=True):
            self.sums[own] += item
            self.squares[own] += (item @ LUMINANCE_WEIGHTS.astype(np.float32)) ** 2
        self.samples += 1
        return True

    def light(self) -> NDArray[np.float64]:
        """(K, 3) illuminance of the texels so far [lx]."""
        return self.sums / max(self.samples, 1)


def outside_bodies(rays: RayScene, texels: Texels, seed: int = 1) -> NDArray[np.bool_]:
    """(K,) which texels are on the outside: those inside a body, under a wall's foot or in the joint of two
    boxes, see backs all around and would be black at the edge of what is seen."""
    rng, backs = np.random.default_rng(seed), np.zeros(len(texels))
    starts = texels.places + texels.faces * np.float32(LIFT_M * 10.0)
    for _ in range(LOOKS):
        directions = rng.normal(size=texels.faces.shape).astype(np.float32)
        directions /= np.linalg.norm(directions, axis=1, keepdims=True)
        directions = 0.98 * directions + texels.faces  # by the cosine
        directions /= np.linalg.norm(directions, axis=1, keepdims=True)
        hits = rays.first_hit(starts, directions)
        met = np.flatnonzero(hits.triangle >= 0)
        result = hits.triangle[met]
        behind = (rays.triangles.face_normals[result] * directions[met]).sum(axis=1) > 0.0
        backs[met] += behind & ~rays.double_sided[rays.triangles.material[result]]
    return np.asarray(backs < INSIDE * LOOKS)


def on_pages(laid: UnwrappedTriangles, number: NDArray[np.int64], values: Floats) -> NDArray[np.float32]:
    """(P, H, W, C) of values (K, C) at texels; zeros elsewhere."""
    width, height = laid.size
    out = np.zeros((laid.pages * height * width, values.shape[1]), np.float32)
    out[number] = values
    return out.reshape(laid.pages, height, width, -1)


def beside(texels: Texels, buried: Texels) -> NDArray[np.int64]:
    """(B,) of texels that lie inside bodies, which other one each has its light of: the nearest in its own
    plane if one is near, or of all. A chart that is wholly buried has none on its page beside it."""
    of, own = _planes(texels.joined(buried)), len(texels)

    def where(some: Texels, apart: Floats) -> Floats:
        # What faces another way counts as farther off.
        return np.concatenate([some.places, some.normals * TURNED_M, apart[:, None]], axis=1)

    far = of * (1e3 * NEAR_M)
    away, nearest = cKDTree(where(texels, far[:own])).query(where(buried, far[own:]))
    _, anywhere = cKDTree(where(texels, 0.0 * far[:own])).query(where(buried, 0.0 * far[own:]))
    return np.asarray(np.where(away < NEAR_M, nearest, anywhere), np.int64)


def _planes(texels: Texels) -> NDArray[np.int64]:
    """(K,) the number of the plane that each lies in, to a centimetre and some three degrees."""
    away = (texels.places * texels.faces).sum(axis=1, keepdims=True)
    steps = np.round(np.concatenate([texels.faces * 20.0, away * 100.0], axis=1))
    return np.unique(steps, axis=0, return_inverse=True)[1].ravel()


def cleaned(
    laid: UnwrappedTriangles, texels: Texels, light: Floats, smooth: bool = True
) -> NDArray[np.float32]:
    """(P, H, W, 3) light of texels (K, 3) without its noise, and beyond what is lit the nearest of it."""
    number = texels.number
    known = on_pages(laid, number, np.ones((len(number), 1)))[..., 0] > 0.0
    pages = filled(on_pages(laid, number, light), known)
    if not smooth:
        return pages
    normals = filled(on_pages(laid, number, texels.normals), known)
    paper = np.ones(pages.shape[1:], np.float32)
    clean = [denoised(page, paper, turned) for page, turned in zip(pages, normals, strict=True)]
    return filled(np.array(clean, np.float32), known)
