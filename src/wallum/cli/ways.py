"""`wallum ways`: how light from all around can be shown, each way with its price and how far it is off."""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

__all__ = ["way_rows"]


def way_rows(project: Any, file: Path | None, shot: str | None) -> Iterator[dict[str, Any]]:
    """A row for each way. Raises PathProblem, ProjectProblem, RendererProblem."""
    from dataclasses import replace

    import numpy as np

    from wallum.cli.day import prepare
    from wallum.document.paths import find_slug
    from wallum.errors import PathProblem
    from wallum.frame.pass_work import Boxes
    from wallum.judge.device import load_profile
    from wallum.judge.indirect_methods import DRAWN, Surroundings, bare, of_ways, stops_off, surface_truth
    from wallum.level.opening import lit_project
    from wallum.moment.camera import Camera, far_for
    from wallum.moment.evaluate import evaluate
    from wallum.moment.moment import own_moment
    from wallum.physics.colour import luminance
    from wallum.realtime.level.bundling import chunk_boxes
    from wallum.realtime.process.offline import relit
    from wallum.realtime.process.request import PictureRequest
    from wallum.transport.direct.contributions import LAYER_SIZE
    from wallum.transport.scene.surfaces import seen_surfaces

    if not project.shots:
        raise PathProblem("the project has no shot to work out", "shots", "keep one in the desk")
    chosen = find_slug(project, "shots", shot) if shot is not None else project.shots[0]
    project, level = lit_project(project, file)
    drawn = prepare(project, level, file)
    camera = Camera.of_shot(chosen, DRAWN[0] / DRAWN[1], far_for(level.bounds))
    built = None if drawn.bounce is None else drawn.bounce.made
    about = Surroundings(
        project, own_moment(project), level, drawn.rays, camera,
        Boxes(*chunk_boxes(level, drawn.rays.triangles)),
        seen_surfaces(drawn.rays, level, camera, LAYER_SIZE), load_profile(project.target.profile),
        built, None if drawn.bounce is None else drawn.bounce.baked,
    )  # fmt: skip
    truth = surface_truth(about)
    if drawn.bounce is not None:
        relit(drawn.renderer, drawn.bounce, evaluate(project, about.moment))
    for way in of_ways(about):
        request = PictureRequest(0, bare(evaluate(way.project, about.moment)), camera, DRAWN)
        for _ in drawn.renderer.draw(request):
            pass
        light = np.asarray(luminance(drawn.renderer.luminance(request, False).astype(float)))
        result = replace(way, off=stops_off(light, truth))
        yield {
            "way": result.way,
            "frame_ms": round(result.ms, 4),
            "megabytes": round(result.megabytes, 2),
            "stops_off": round(result.off or 0.0, 3),
        }
