"""Pictures for the command line: the real-time one and the reference."""

from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

__all__ = ["RenderedPicture", "render_realtime", "render_reference"]


@dataclass(frozen=True)
class RenderedPicture:
    """A picture: rgb (H, W, 3) 8 bits, luminance (H, W, 3) [cd/m2]; what to tell of it, and in words."""

    rgb: Any
    luminance: Any
    told: dict[str, Any]
    text: str


def render_realtime(
    project: Any, level: Any, file: Path | None, camera: Any, view: str, options: dict[str, Any]
) -> RenderedPicture:
    """Draw with the renderer of the desk. Raises RendererProblem."""
    from wallum.cli.day import prepare

    drawn = prepare(project, level, file)
    picture = drawn.picture(
        drawn.project,
        camera,
        options["size"],
        settle=not options["as_delivered"],
        view=view,
        edges=drawn.project.target.edges,
    )
    passes = [{"name": p.name, "ms": round(p.ms, 3), "work": p.work} for p in picture.passes]
    messages = {"settled": picture.settled, "ev100": picture.ev100, "passes": passes}
    word = "as delivered" if options["as_delivered"] else "settled"
    return RenderedPicture(
        picture.rgb, picture.luminance, messages, f"{options['size'][0]}x{options['size'][1]}, {word}"
    )


def render_reference(
    project: Any, level: Any, file: Path | None, camera: Any, view: str, options: dict[str, Any]
) -> RenderedPicture:
    """Follow light along paths. Raises ValueProblem for a view that has no such picture.

    The noise told is the standard error of the raw pixels over their luminance, as root mean squares.
    """
    import numpy as np

    from wallum.errors import ValueProblem
    from wallum.image.denoise import denoised, denoiser
    from wallum.image.develop import develop, in_focus
    from wallum.level.model.flatten import flatten
    from wallum.moment.evaluate import evaluate
    from wallum.moment.metered import metered_picture
    from wallum.moment.probe_boxes import probe_boxes
    from wallum.transport.field.field_cache import kept_field
    from wallum.transport.paths.reference import Reference
    from wallum.transport.scene.rays import RayScene

    if view not in ("final", "direct"):
        raise ValueProblem(f"there is no reference picture of {view}", "--view", "final, direct, one:SOURCE")
    scene = evaluate(project, None, camera.eye)
    scene = scene.direct() if view == "direct" else scene
    bounces = 0 if view == "direct" else options["bounces"]
    rays = RayScene(level, flatten(level))
    reference = Reference(
        rays,
        level,
        scene,
        camera,
        options["size"],
        bounces,
        project.follows,
        scatterings=options["scatterings"],
    )
    # Where it is kept already; making it takes longer than it saves one picture.
    reference.aim_by(kept_field(rays, level, level.bounds, file, probe_boxes(project), lambda done: False))
    for _ in range(options["samples"]):
        reference.step()
    light = reference.luminance if options["raw"] else denoised(reference.luminance, *reference.guides)
    metering = scene.look.metering
    ev100 = scene.look.ev100 if metering is None else metered_picture(light, metering)
    noise = reference.noise if reference.samples > 1 else None
    by = None if options["raw"] else denoiser(light.shape)
    messages = {"samples": reference.samples, "noise": noise, "denoised_by": by, "ev100": ev100}
    text = f"noise {noise:.1%}" if noise is not None else "noise not known from one path"
    text += "" if by is None else f" before {by}"
    look = replace(scene.look, ev100=ev100)
    sharp = light if look.focus is None else in_focus(light, look, reference.depths(), camera.fov)
    return RenderedPicture(
        develop(sharp, look),
        light.astype(np.float32),
        messages,
        f"{reference.samples} paths a pixel, {text}",
    )
