"""What one camera shows of a project at a moment: the one way to the scene of a picture."""

from dataclasses import replace
from typing import Final

from wallum.document.project import Project
from wallum.memo import Memo
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.lamps import Lamps
from wallum.moment.moment import Moment
from wallum.moment.scene import LitScene
from wallum.moment.view import in_view

__all__ = ["picture_scene"]

# While the look alone changes, lamps and camera stay the same.
_SEEN: Final = Memo[Lamps](4)


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
    seen_by = camera.with_aspect(size[0] / size[1])
    return replace(scene, lamps=_SEEN.get(lambda: _seen(scene.lamps, seen_by), scene.lamps, also=seen_by))


def _seen(lamps: Lamps, camera: Camera) -> Lamps:
    """Those whose light can fall on anything in a camera's picture."""
    keep = in_view(lamps, camera)
    return lamps if keep.all() else lamps.only(keep)
