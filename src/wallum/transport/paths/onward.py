"""Where paths go on from surfaces, and with what density."""

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats, dots, normalised, scaled
from wallum.physics.emitters import disc_points
from wallum.physics.frames import frame_of
from wallum.physics.surface import MIN_ROUGHNESS, response
from wallum.transport.paths.light_aim import LightAim
from wallum.transport.paths.light_paths import PathStates
from wallum.transport.scene.facets import facet_pdf, seen_facets
from wallum.transport.scene.surface_tables import Surfaces

__all__ = ["answer_of", "leave", "leaving_density"]

THIRD = np.full(3, 1.0 / 3.0, np.float32)


def answer_of(surfaces: Surfaces, rows: NDArray[np.int64], to_eye: Floats, to_light: Floats) -> Floats:
    """(K, 3) share of light that some of the surfaces send to the eye, its cosine with it."""
    s = surfaces
    if s.paper:
        cosine = np.clip(dots(s.normals.take(rows, 0), to_light), 0.0, 1.0) / np.float32(np.pi)
        return np.repeat(cosine[:, None], 3, axis=1)
    base, normals = s.base.take(rows, 0), s.normals.take(rows, 0)
    f0 = None if s.f0 is None else s.f0.take(rows)
    return response(base, s.metallic.take(rows), s.roughness.take(rows), normals, to_eye, to_light, f0)


def leaving_density(
    surfaces: Surfaces,
    rows: NDArray[np.int64],
    to_eye: Floats,
    toward: Floats,
    probes: NDArray[np.int64],
    others: LightAim | None,
) -> NDArray[np.float32]:
    """(K,) with which paths leave some of the surfaces by directions (K, 3) [1/sr]. to_eye : (N, 3) of all;
    probes, others : as `leave` has them"""
    share, alpha = _mirror_share(surfaces, to_eye)
    own = _density(surfaces, share, alpha, rows, to_eye.take(rows, 0), toward)
    if others is None:
        return own
    probes = probes.take(rows)
    return _guided(own, others.shares(probes, share.take(rows)), others, probes, toward)


def _guided(
    own: NDArray[np.float32],
    share: NDArray[np.float32],
    others: LightAim,
    probes: NDArray[np.int64],
    toward: Floats,
) -> NDArray[np.float32]:
    """(K,) densities where a share of the paths is aimed at what is bright."""
    out = own * (np.float32(1.0) - share)
    rows = np.flatnonzero(share > 0.0)
    out[rows] += share.take(rows) * others.density(probes.take(rows), toward.take(rows, 0))
    return out


def leave(
    paths: PathStates,
    surfaces: Surfaces,
    places: Floats,
    probes: NDArray[np.int64],
    rng: np.random.Generator,
    others: LightAim | None = None,
) -> PathStates:
    """Paths that leave their surfaces, from places (N, 3): by the cosine, by the facets' mirror image, or for
    what is bright. probes : (N,) by which those aim at the sky, and at `others`"""
    n, v = surfaces.normals, -paths.directions
    count = len(n)
    share, alpha = _mirror_share(surfaces, v)
    mirrored = rng.random(count, dtype=np.float32) < share
    side, up = frame_of(n)
    u = rng.random((count, 2), dtype=np.float32)
    disc = disc_points(u)
    height = np.sqrt(np.maximum(1.0 - u[:, 0], 0.0))
    toward = scaled(side, disc[:, 0]) + scaled(up, disc[:, 1]) + scaled(n, height)
    rows = np.flatnonzero(mirrored)
    eye = v.take(rows, 0)
    half = seen_facets(*(item.take(rows, 0) for item in (n, side, up, v, alpha, u)))
    toward[rows] = scaled(half, 2.0 * dots(eye, half)) - eye
    aimed = np.zeros(count, np.float32)
    if others is not None:
        aimed = others.shares(probes, share)
        some = np.flatnonzero(aimed > 0.0)
        rows = some[rng.random(len(some), dtype=np.float32) < aimed.take(some)]
        toward[rows] = others.aim(probes.take(rows), rng)
    toward = normalised(toward)
    n_l = dots(n, toward)
    good = (n_l > 1e-4) & (dots(surfaces.faces, toward) > 0.0) & paths.alive()
    rows = np.flatnonzero(good)
    v, toward = v.take(rows, 0), toward.take(rows, 0)
    density = _density(surfaces, share, alpha, rows, v, toward)
    if others is not None:
        density = _guided(density, aimed.take(rows), others, probes.take(rows), toward)
    weight = answer_of(surfaces, rows, v, toward)
    weight *= scaled(paths.weight.take(rows, 0), 1.0 / np.maximum(density, 1e-9))
    return PathStates(
        paths.pixel.take(rows), places.take(rows, 0), toward, weight, density, probes.take(rows)
    )


def _density(
    surfaces: Surfaces, share: Floats, alpha: Floats, rows: NDArray[np.int64], eye: Floats, toward: Floats
) -> NDArray[np.float32]:
    normals = surfaces.normals.take(rows, 0)
    return facet_pdf(normals, eye, toward, alpha.take(rows), share.take(rows)).astype(np.float32)


def _mirror_share(surfaces: Surfaces, to_eye: Floats) -> tuple[Floats, Floats]:
    """How often paths leave surfaces by their facets (N,), the others by the cosine; the facets' alpha."""
    if surfaces.paper:
        return np.zeros(len(to_eye), np.float32), np.ones(len(to_eye), np.float32)
    n_v = np.maximum(dots(surfaces.normals, to_eye), 1e-3)
    grey = surfaces.base @ THIRD
    f0 = 0.04 + (grey - 0.04) * surfaces.metallic
    gloss = f0 + (1.0 - f0) * (1.0 - n_v) * np.square(np.square(1.0 - n_v))
    dull = grey * (1.0 - surfaces.metallic)
    share = np.clip(gloss / np.maximum(gloss + dull, 1e-6), 0.08, 0.98)
    rough = np.maximum(surfaces.roughness, MIN_ROUGHNESS)
    return share, rough * rough
