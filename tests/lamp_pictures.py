"""A floor, with or without a board, that one lamp lights: as the renderer and as paths show it."""

from dataclasses import replace

import numpy as np

from wallum.document.look import Look
from wallum.document.project import Project
from wallum.level.model.flatten import flatten
from wallum.level.model.model import Level, Material, Mesh, Part
from wallum.level.model.solids import grid
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.physics.colour import luminance
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.process.request import PictureRequest
from wallum.transport.paths.reference import Reference
from wallum.transport.scene.rays import RayScene

CAMERA = Camera((0.0, 3.0, 3.0), (0.0, -0.7071, -0.7071), 50.0, 1.0, far=50.0)
SIZE = (96, 96)


def flat(number, half, y, x=0.0):
    """A level square of material `number`."""
    side = np.linspace(-half, half, 5)
    a, b = np.meshgrid(side, side)
    return Mesh(f"m{number}", (replace(grid(np.stack([a + x, 0 * a + y, -b], axis=-1), 0), material=number),))


def floor(roughness=1.0, metallic=0.0, board=False, at=(0.6, 0.2)):
    """A floor, and where asked a board over it. at : its height, and how far east it lies"""
    meshes = [flat(0, 4.0, 0.0), *([flat(1, 0.3, *at)] if board else [])]
    materials = (
        Material("floor", (0.5, 0.5, 0.5, 1.0), metallic, roughness, double_sided=True),
        Material("board", (0.5, 0.5, 0.5, 1.0), 0.0, 1.0, double_sided=True),
    )
    parts = tuple(Part(f"p{n}", f"p{n}", n, np.eye(4)) for n in range(len(meshes)))
    return Level("floor", tuple(meshes), parts, materials)


def scene_of(*lamps, **more):
    """A scene that these lamps alone light."""
    return evaluate(Project(sources=lamps, look=Look(ev100=7.0), **more))


def shown(renderer, level, scene, settled=True, active=frozenset(), number=1):
    """(H, W, 3) luminance of the renderer's picture."""
    renderer.set_level(bundle_level(level))
    request = PictureRequest(number, scene, CAMERA, SIZE, active=active)
    for _ in renderer.draw(request):
        pass
    if settled:
        renderer.settle(request)
    return renderer.luminance(request, settled=settled).astype(np.float64)


def by_paths(level, scene, paths=48):
    """(H, W, 3) luminance of the reference picture, direct light alone."""
    reference = Reference(RayScene(level, flatten(level)), level, scene, CAMERA, SIZE, bounces=0)
    for _ in range(paths):
        reference.step()
    return reference.luminance


def blocks(picture, size=8):
    """Mean luminance of square blocks."""
    h, w = picture.shape[0] // size, picture.shape[1] // size
    return luminance(picture).reshape(h, size, w, size).mean(axis=(1, 3))
