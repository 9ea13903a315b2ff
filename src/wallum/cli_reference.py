"""The reference picture, for the command line."""

from dataclasses import dataclass
from typing import Any

__all__ = ["Traced", "render_reference"]


@dataclass(frozen=True)
class Traced:
    """A reference picture: rgb (H, W, 3) 8 bits, luminance (H, W, 3) [cd/m2], paths a pixel, the
    pixels' standard error over their luminance, and the exposure of rgb."""

    rgb: Any
    luminance: Any
    samples: int
    noise: float
    ev100: float


def render_reference(project: Any, level: Any, camera: Any, view: str, options: dict[str, Any]) -> Traced:
    """Follow light along paths. Raises ValueProblem for a view that has no such picture."""
    import numpy as np

    from wallum.errors import ValueProblem
    from wallum.image.develop import develop
    from wallum.level.flatten import flatten
    from wallum.moment.evaluate import evaluate
    from wallum.moment.metered import metered_picture
    from wallum.transport.rays import RayScene
    from wallum.transport.reference import Reference

    if view not in ("final", "direct"):
        raise ValueProblem(
            f"there is no reference picture of {view}", "--view", "final, direct or one:SOURCE"
        )
    scene = evaluate(project)
    scene = scene.direct() if view == "direct" else scene
    bounces = 0 if view == "direct" else options["bounces"]
    rays = RayScene(level, flatten(level))
    reference = Reference(rays, level, scene, camera, options["size"], bounces, project.follows)
    for _ in range(options["samples"]):
        reference.step()
    light = reference.luminance
    metering = scene.metering
    ev100 = scene.ev100 if metering is None else metered_picture(light, metering)
    return Traced(develop(light, ev100), light.astype(np.float32), reference.samples, reference.noise, ev100)
