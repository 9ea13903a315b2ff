"""What surfaces a camera sees, coarsely and by rays: places, normals, colours."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from wallum.level.model.model import Level, TextureUse
from wallum.level.model.texels import texels
from wallum.moment.camera import Camera
from wallum.physics.arrays import Floats, normalised
from wallum.physics.colour import luminance
from wallum.physics.tone import srgb_decode
from wallum.transport.scene.rays import Hits, RayScene

__all__ = ["SeenSurfaces", "seen_surfaces"]

# Panes one behind the other that are looked through.
MAX_VEILS = 8


@dataclass(frozen=True)
class SeenSurfaces:
    """The surfaces in the middles of a picture's pixels.

    camera : that sees them; size : columns, rows
    pixel : (P,) number of each surface's pixel, from the top left
    points, normals, to_eye, base, glow : (P, 3); metallic, roughness : (P,)
    distance : (P,) from the eye [m]; unlit, tinted : (P,) whether it asks for no light, and whether
    colours of corners tint it; part : (P,) number of its part
    layers : see-through surfaces before them, each pixel's counted
    material : (P,) number of its material; names : of those
    triangle : (P,) number of its triangle; weights : (P, 2) of that one's second and third corners
    """

    camera: Camera
    size: tuple[int, int]
    pixel: NDArray[np.int64]
    points: NDArray[np.float64]
    normals: NDArray[np.float64]
    to_eye: NDArray[np.float64]
    base: NDArray[np.float64]
    glow: NDArray[np.float64]
    metallic: NDArray[np.float64]
    roughness: NDArray[np.float64]
    distance: NDArray[np.float64]
    unlit: NDArray[np.bool_]
    tinted: NDArray[np.bool_]
    part: NDArray[np.int64]
    layers: int = 0
    material: NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, np.int64))
    names: tuple[str, ...] = ()
    triangle: NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, np.int64))
    weights: Floats = field(default_factory=lambda: np.zeros((0, 2)))


def _weights(hits: Hits) -> NDArray[np.float64]:
    return np.stack([1.0 - hits.weights.sum(axis=1), hits.weights[:, 0], hits.weights[:, 1]], axis=1)


def _texel(level: Level, use: TextureUse, uv: Floats) -> NDArray[np.float64]:
    """(N, 4) nearest texels, 0 to 1."""
    return np.asarray(texels(level, use, uv) / 255.0)


def _look_through(rays: RayScene, hits: Hits, origins: Floats, directions: Floats) -> int:
    """Look on where more than half comes through; returns how many see-through surfaces were met."""
    rows, met = rays.on_veils(hits), 0
    for _ in range(MAX_VEILS):
        met += len(rows)
        leaves, _ = rays.leaves(hits.only(rows), directions.take(rows, 0))
        rows = rows[luminance(leaves) > 0.5]
        if not len(rows):
            break
        rays.past(hits, rows, origins, directions)
        rows = rows[np.isin(rows, rays.on_veils(hits))]
    return met


def seen_surfaces(rays: RayScene, level: Level, camera: Camera, size: tuple[int, int]) -> SeenSurfaces:
    """Surfaces in the middle of each pixel; normals interpolated, without normal maps. Of what is seen
    through, that which lies behind it where more than half of it comes through.

    The camera's own aspect holds: pixels need not be square.
    """
    columns, rows = size
    x, y = np.meshgrid((np.arange(columns) + 0.5) / columns, (np.arange(rows) + 0.5) / rows)
    directions = camera.rays(x.ravel(), y.ravel())
    origins = np.broadcast_to(np.array(camera.eye), directions.shape)
    hits = rays.first_visible(origins, directions)
    layers = _look_through(rays, hits, origins, directions)
    met = np.flatnonzero(hits.triangle >= 0)
    flat, result = rays.triangles, Hits(hits.distance[met], hits.triangle[met], hits.weights[met])
    corners, share = flat.faces[result.triangle], _weights(result)
    normals = normalised(np.einsum("nk,nkc->nc", share, flat.normals[corners].astype(np.float64)))
    to_eye = -directions[met]
    normals = np.where((normals * to_eye).sum(axis=1, keepdims=True) < 0.0, -normals, normals)
    uv = np.einsum("nk,nkc->nc", share, flat.uv[corners].astype(np.float64))
    base = np.einsum("nk,nkc->nc", share, flat.colours[corners].astype(np.float64))[:, :3]
    tinted = np.abs(base - 1.0).max(axis=1) > 1e-3 if len(base) else np.zeros(0, dtype=bool)
    unlit = np.array([item.unlit for item in level.materials] or [False])[flat.material[result.triangle]]
    glow = np.zeros_like(base)
    metallic, roughness = np.zeros(len(met)), np.ones(len(met))
    number = flat.material[result.triangle]
    for index in np.unique(number):
        here, material = number == index, level.materials[index]
        base[here] *= np.array(material.base[:3])
        glow[here] = material.glow
        metallic[here], roughness[here] = material.metallic, material.roughness
        if "base" in material.textures:
            base[here] *= srgb_decode(_texel(level, material.textures["base"], uv[here])[:, :3])
        if "emissive" in material.textures:
            glow[here] *= srgb_decode(_texel(level, material.textures["emissive"], uv[here])[:, :3])
        if "metal_rough" in material.textures:
            texel = _texel(level, material.textures["metal_rough"], uv[here])
            roughness[here] *= texel[:, 1]
            metallic[here] *= texel[:, 2]
    points = origins[met] + directions[met] * result.distance[:, None]
    part = flat.part[result.triangle].astype(np.int64)
    gloss = (metallic, roughness)
    return SeenSurfaces(
        camera,
        size,
        met,
        points,
        normals,
        to_eye,
        base,
        glow,
        *gloss,
        result.distance,
        unlit,
        tinted,
        part,
        layers,
        number.astype(np.int64),
        tuple(item.name for item in level.materials),
        result.triangle.astype(np.int64),
        result.weights,
    )
