"""What one camera shows of a project at a moment: the one way to the scene of a picture."""

from dataclasses import replace

from wallum.document.project import Project
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import Moment
from wallum.moment.scene import LitScene
from wallum.moment.view import in_view

__all__ = ["picture_scene"]


def picture_scene(
    project: Project, moment: Moment, camera: Camera, size: tuple[int, int], indirect: bool = False
) -> LitScene:
    """The scene of a camera's picture of a size.

    indirect : whether light counts that comes by way of other surfaces; where it does not, lamps are
               left out whose light cannot fall on anything in the picture
    """
    scene = evaluate(project, moment, camera.eye)
    if indirect:
        return scene
    keep = in_view(scene.lamps, camera.with_aspect(size[0] / size[1]))
    return scene if keep.all() else replace(scene, lamps=scene.lamps.only(keep))
