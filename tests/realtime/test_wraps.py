"""Textures beyond 0 to 1, as their wraps say: the picture shows what the texture's own reader reads."""

import numpy as np
import pytest
from level_shapes import level_of

from wallum.document.look import Look
from wallum.document.project import Project
from wallum.document.sources import PointSource
from wallum.level.model.model import Level, Material, Picture, Sampler, TextureUse
from wallum.level.model.pictures import as_png
from wallum.level.model.solids import grid
from wallum.level.model.texels import texels
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.physics.tone import srgb_decode
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.process.request import PictureRequest

REPEATED, CLAMPED, MIRRORED = 10497, 33071, 33648
CAMERA = Camera((0.0, 0.0, 4.0), (0.0, 0.0, -1.0), 40.0, 1.0, far=50.0)
SIZE = (120, 120)
# Eight by eight texels, none like its neighbours, and not the same turned or mirrored.
TEXELS = np.zeros((8, 8, 3), np.uint8)
TEXELS[..., 0] = 40 + 25 * np.arange(8)[None, :]
TEXELS[..., 1] = 40 + 25 * np.arange(8)[:, None]
TEXELS[..., 2] = 128


def wall(wrap_s, wrap_t):
    """A wall 3 m wide and high before the camera whose coordinates go from -1.1 to 2.2."""
    side = np.linspace(-1.5, 1.5, 2)
    x, y = np.meshgrid(side, side)
    built = grid(np.stack([x, y, 0 * x], axis=-1), 0)
    uv = (built.positions[:, :2] / 3.0 + 0.5) * 3.3 - 1.1
    built = type(built)(built.positions, built.normals, built.triangles, 0, uv0=uv.astype(np.float32))
    use = TextureUse(0, Sampler(9728, 9728, wrap_s, wrap_t))
    material = Material("w", (1.0,) * 4, 0.0, 1.0, unlit=True, textures={"base": use})
    level = level_of(built, material)
    picture = Picture("p", "image/png", as_png(TEXELS))
    return Level(level.name, level.meshes, level.parts, level.materials, (picture,)), use


@pytest.mark.parametrize("wrap_s", [REPEATED, CLAMPED, MIRRORED])
@pytest.mark.parametrize("wrap_t", [REPEATED, CLAMPED, MIRRORED])
def test_the_picture_shows_what_the_reader_reads(renderer, wrap_s, wrap_t):
    level, use = wall(wrap_s, wrap_t)
    renderer.set_level(bundle_level(level))
    lamp = PointSource(id="l", name="L", position=(0.0, 0.0, 3.0))
    request = PictureRequest(1, evaluate(Project(sources=(lamp,), look=Look(ev100=8.0))), CAMERA, SIZE)
    for _ in renderer.draw(request):
        pass
    seen = renderer.luminance(request, settled=False)
    middle = (np.arange(SIZE[0]) + 0.5) / SIZE[0]
    x, y = np.meshgrid(middle, middle)
    rays = CAMERA.rays(x.ravel(), y.ravel())
    at = rays * (4.0 / -rays[:, 2])[:, None]
    uv = (at[:, :2] / 3.0 + 0.5) * 3.3 - 1.1
    inside = (np.abs(at[:, :2]) < 1.45).all(axis=1)
    # Edges of texels fall either way.
    inside &= (np.abs(uv * 8.0 - np.round(uv * 8.0)) > 0.12).all(axis=1)
    read = texels(level, use, np.concatenate([uv, uv], axis=1))[:, :3][inside]
    shown = seen.reshape(-1, 3)[inside]
    assert inside.sum() > 4000
    # Unlit colours are shown as they are: their order is told by red and green alone.
    ratio = shown[:, :2] / shown[:, 2:3]
    linear = srgb_decode(read / 255.0)
    assert np.abs(np.log2(ratio / (linear[:, :2] / linear[:, 2:3]))).max() < 0.15
