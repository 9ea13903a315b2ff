"""One picture of a project, in this process: for the command line and for tests."""

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from wallum.document.project import Project
from wallum.frame.quality import HIGH, Quality
from wallum.frame.record import PassRecord
from wallum.level.model.model import Level
from wallum.moment.camera import Camera
from wallum.moment.moment import own_moment
from wallum.moment.picture_scene import picture_scene
from wallum.moment.scene import LitScene
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.level.probe_set import probe_set, units_of
from wallum.realtime.process.request import PictureRequest
from wallum.realtime.renderer import Renderer

__all__ = ["Picture", "relit", "render_picture", "renderer_for"]


if TYPE_CHECKING:
    from wallum.transport.field.bounce import BounceField


@dataclass(frozen=True)
class Picture:
    """A finished picture.

    rgb       : (H, W, 3) 8-bit sRGB
    luminance : (H, W, 3) float32 [cd/m2]
    settled   : jittered pictures in it, 0 for as delivered
    ev100     : exposure of `rgb`; metered : what the meter found, where the exposure is metered
    """

    rgb: NDArray[np.uint8]
    luminance: NDArray[np.float32]
    settled: int
    passes: list[PassRecord]
    ev100: float
    metered: float | None = None


def render_picture(
    project: Project,
    level: Level,
    camera: Camera,
    size: tuple[int, int],
    settle: bool = True,
    renderer: Renderer | None = None,
    **asked: Any,
) -> Picture:
    """Draw a project's light on its level, at its clock. Raises RendererProblem, LevelProblem.

    renderer : one that already shows this level; made and filled, without probes, where None
    asked    : more of the request, as heroes, view, held_ev, seed; see PictureRequest
    """
    renderer = renderer or renderer_for(project, level)
    scene = picture_scene(project, own_moment(project), camera, size)
    request = PictureRequest(0, scene, camera, size, **asked)
    for _ in renderer.draw(request):
        pass
    if settle:
        renderer.settle(request)
    several = request.edges == "samples" and not settle
    if several:
        samples = renderer.engine.quality.edge_samples
        renderer.settle(replace(request, most=samples), samples)
    count = renderer.settler.count if settle or several else 0
    out = np.zeros((size[1], size[0], 4), np.uint8)
    frame = renderer.read_into(request, count, out)
    light = renderer.luminance(request, count > 0)
    return Picture(out[:, :, 2::-1].copy(), light, count, frame.passes, frame.ev100, frame.metered)


def renderer_for(project: Project, level: Level, quality: Quality = HIGH) -> Renderer:
    """A renderer in this process that shows a project's level. Raises RendererProblem."""
    renderer = Renderer(quality=quality)
    renderer.set_level(bundle_level(level, follows=project.follows))
    return renderer


def relit(renderer: Renderer, bounce: "BounceField", scene: LitScene) -> None:
    """Bring a renderer's light from surfaces up to a scene; its probes, where it has none."""
    if not renderer.engine.probe_light.shown(bounce.made):
        renderer.set_probes(probe_set(bounce.made))
        renderer.take_bounce(units_of(bounce.units))
    for ids in bounce.relight(scene):
        renderer.take_bounce(units_of({item: bounce.units[item] for item in ids}))
